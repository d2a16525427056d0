"""What everything costs in a month: numbers, seats, calls and what is paid once; each line says
whose it is.

Carriers charge a number's month on its first day, whatever becomes of it; what is delivered later
in a month is charged by its days. Within a month the fee is shared by days among those who had the
number. Seats are charged alike. All parts add up to what is charged.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum
from itertools import groupby
from typing import NamedTuple

from sedge.core.facts import Money
from sedge.core.spend.months import Month, days_within, shared_out, to_minor_unit
from sedge.core.supply.quote import pro_rata


class CostKind(StrEnum):
    NUMBERS = "numbers"
    SEATS = "licence seats"
    CALLS = "calls"
    ONCE = "paid once"


class Owner(NamedTuple):
    """Whose a cost is; '' where it belongs to nobody."""

    site: str = ""
    holder_kind: str = ""
    holder: str = ""
    cost_centre: str = ""


class FeeSpan(NamedTuple):
    """A while in which a number cost the same and was the same one's; `monthly` in ten
    thousandths."""

    number: int
    owner: Owner
    carrier: str
    account: str
    currency: str
    monthly: Decimal
    since: datetime
    until: datetime | None


class SeatSpan(NamedTuple):
    """A while in which so many seats of a product were paid for, at `price` each a month, or at
    one of `prices` (by currency) where whoever has it is at a site that pays in that currency."""

    product: str
    seats: int
    price: Decimal
    currency: str
    since: datetime
    until: datetime | None
    prices: tuple[tuple[str, Decimal], ...] = ()


class GrantSpan(NamedTuple):
    """A while in which somebody had a seat; `currency`: in which their site pays its carrier."""

    product: str
    owner: Owner
    since: datetime
    until: datetime | None
    currency: str = ""


class CostLine(NamedTuple):
    """`thing` is what costs: a number, a product, an order. `units` of them (numbers, seats,
    calls)."""

    kind: CostKind
    thing: str
    owner: Owner
    carrier: str
    account: str
    product: str
    currency: str
    amount: Decimal
    units: Decimal = Decimal(1)


def number_lines(spans: Iterable[FeeSpan], month: Month) -> Iterator[CostLine]:
    """The fees of numbers; `spans` in the order of their numbers and moments."""
    for number, found in groupby(spans, key=lambda span: span.number):
        held = [s for s in found if s.since < month.ends and (s.until or month.ends) > month.starts]
        for charged, parts in _charges(held, month):
            days = [days_within(part.since, part.until, month) for part in parts]
            amounts = shared_out(charged, days, parts[0].currency)
            counts = _counts(days)
            for part, amount, count in zip(parts, amounts, counts, strict=True):
                if amount or count:
                    yield CostLine(
                        CostKind.NUMBERS,
                        f"+{number}",
                        part.owner,
                        part.carrier,
                        part.account,
                        "",
                        part.currency,
                        amount,
                        count,
                    )


def _counts(days: Sequence[int]) -> list[Decimal]:
    """One number, counted for who had it last."""
    last = max((i for i, n in enumerate(days) if n), default=len(days) - 1)
    return [Decimal(int(i == last)) for i in range(len(days))]


def _charges(held: Sequence[FeeSpan], month: Month) -> Iterator[tuple[Decimal, list[FeeSpan]]]:
    """What a number's carrier charges for the month, and the whiles that share it: a charge for
    each time that it came into service, by the fee of that moment."""
    parts: list[FeeSpan] = []
    for span in held:
        if parts and (parts[-1].until != span.since or parts[-1].account != span.account):
            yield _charge(parts, month), parts
            parts = []
        parts.append(span)
    if parts:
        yield _charge(parts, month), parts


def _charge(parts: Sequence[FeeSpan], month: Month) -> Decimal:
    first = parts[0]
    if first.since <= month.starts:
        return to_minor_unit(first.monthly, first.currency)
    fee = Money(amount=first.monthly, currency=first.currency)
    return pro_rata(fee, first.since.date()).amount


def seat_lines(
    seats: Iterable[SeatSpan], grants: Sequence[GrantSpan], month: Month
) -> Iterator[CostLine]:
    """The seats of a month: those that somebody had are theirs, the others nobody's."""
    by_product: dict[str, list[GrantSpan]] = defaultdict(list)
    for grant in grants:
        by_product[grant.product].append(grant)
    for product, found in groupby(sorted(seats), key=lambda span: span.product):
        spans = [s for s in found if days_within(s.since, s.until, month)]
        for currency in sorted({s.currency for s in spans}):
            mine = [s for s in spans if s.currency == currency]
            yield from _seats_of(product, currency, mine, by_product[product], month)


def _seats_of(
    product: str,
    currency: str,
    spans: Sequence[SeatSpan],
    grants: Sequence[GrantSpan],
    month: Month,
) -> Iterator[CostLine]:
    paid_days = sum(s.seats * days_within(s.since, s.until, month) for s in spans)
    exact = sum(
        (s.price * s.seats * days_within(s.since, s.until, month) / month.days for s in spans),
        Decimal(0),
    )
    if not paid_days:
        return
    abroad = {c for s in spans for c, _ in s.prices} - {currency}
    elsewhere = [g for g in grants if g.currency in abroad]
    days_elsewhere = 0
    for other in sorted({g.currency for g in elsewhere}):
        theirs = [g for g in elsewhere if g.currency == other]
        days_elsewhere += sum(days_within(g.since, g.until, month) for g in theirs)
        sums = sum((_price_of(g, spans, month) for g in theirs), Decimal(0))
        yield from _shared(product, other, to_minor_unit(sums, other), theirs, 0, month)
    left = max(0, paid_days - days_elsewhere)
    total = to_minor_unit(exact * left / paid_days, currency)
    here = [g for g in grants if g.currency not in abroad]
    used = sum(days_within(g.since, g.until, month) for g in here)
    yield from _shared(product, currency, total, here, max(0, left - used), month)


def _price_of(grant: GrantSpan, spans: Sequence[SeatSpan], month: Month) -> Decimal:
    """What a seat of somebody abroad costs in a month, in their site's currency."""
    sums, told_until = Decimal(0), grant.since
    for span in sorted(spans, key=lambda s: s.since):
        begins = max(told_until, span.since)
        ends = min((m for m in (grant.until, span.until) if m), default=None)
        if ends is None or begins < ends:
            price = dict(span.prices).get(grant.currency, Decimal(0))
            sums += price * days_within(begins, ends, month) / month.days
            told_until = ends or month.ends
    return sums


def _shared(
    product: str,
    currency: str,
    total: Decimal,
    grants: Sequence[GrantSpan],
    nobodys_days: int,
    month: Month,
) -> Iterator[CostLine]:
    """What seats cost, shared out among those who had them by their days."""
    whose: dict[Owner, int] = defaultdict(int)
    for grant in grants:
        whose[grant.owner] += days_within(grant.since, grant.until, month)
    owners = [*sorted(whose), Owner()]
    weights = [*(whose[owner] for owner in sorted(whose)), nobodys_days]
    if not any(weights):
        return
    amounts = shared_out(total, weights, currency)
    for owner, days, amount in zip(owners, weights, amounts, strict=True):
        if days:
            count = Decimal(days) / month.days
            yield CostLine(CostKind.SEATS, product, owner, "", "", product, currency, amount, count)


class Total(NamedTuple):
    """A row of an answer: counts of numbers, seats and calls beside the money of each kind."""

    key: str
    numbers: Decimal
    seats: Decimal
    calls: Decimal
    once: Decimal
    fees: Decimal
    seat_fees: Decimal
    call_fees: Decimal

    @property
    def total(self) -> Decimal:
        return self.fees + self.seat_fees + self.call_fees + self.once


GROUPS: dict[str, Callable[[CostLine], str]] = {
    "site": lambda line: line.owner.site,
    "cost_centre": lambda line: line.owner.cost_centre,
    "carrier": lambda line: line.carrier,
    "account": lambda line: line.account,
    "product": lambda line: line.product,
    "holder": lambda line: (
        f"{line.owner.holder_kind}:{line.owner.holder}" if line.owner.holder else ""
    ),
    "kind": lambda line: line.kind.value,
    "number": lambda line: line.thing if line.thing.startswith("+") else "",
}


def summed(lines: Iterable[CostLine], by: str) -> dict[str, list[Total]]:
    """By currency the totals of each group, the dearest first. Raises KeyError for a group that
    there is not."""
    group = GROUPS[by]
    money: dict[tuple[str, str], dict[CostKind, Decimal]] = {}
    count: dict[tuple[str, str], dict[CostKind, Decimal]] = {}
    for line in lines:
        key = line.currency, group(line)
        amounts = money.setdefault(key, dict.fromkeys(CostKind, Decimal(0)))
        counts = count.setdefault(key, dict.fromkeys(CostKind, Decimal(0)))
        amounts[line.kind] += line.amount
        counts[line.kind] += line.units
    found: dict[str, list[Total]] = {}
    for (currency, key), amounts in money.items():
        counts = count[currency, key]
        found.setdefault(currency, []).append(
            Total(
                key,
                counts[CostKind.NUMBERS],
                counts[CostKind.SEATS],
                counts[CostKind.CALLS],
                amounts[CostKind.ONCE],
                amounts[CostKind.NUMBERS],
                amounts[CostKind.SEATS],
                amounts[CostKind.CALLS],
            )
        )
    for rows in found.values():
        rows.sort(key=lambda row: (-row.total, row.key))
    return found


@dataclass(frozen=True)
class Step:
    """Why a month cost more or less than the one before: so much by this kind at this group, and
    the change of its count."""

    kind: CostKind
    key: str
    money: Decimal
    count: Decimal


def differences(before: Sequence[Total], after: Sequence[Total], least: Decimal) -> list[Step]:
    """What changed between two months of one currency, the largest first; what is under `least` is
    left out."""
    nothing = Total("", *(Decimal(0) for _ in range(7)))
    old, new = ({row.key: row for row in rows} for rows in (before, after))
    steps: list[Step] = []
    for key in {*old, *new}:
        a, b = old.get(key, nothing), new.get(key, nothing)
        steps += [
            Step(CostKind.NUMBERS, key, b.fees - a.fees, b.numbers - a.numbers),
            Step(CostKind.SEATS, key, b.seat_fees - a.seat_fees, b.seats - a.seats),
            Step(CostKind.CALLS, key, b.call_fees - a.call_fees, b.calls - a.calls),
            Step(CostKind.ONCE, key, b.once - a.once, Decimal(0)),
        ]
    told = [step for step in steps if abs(step.money) >= least]
    return sorted(told, key=lambda step: (-abs(step.money), step.kind, step.key))
