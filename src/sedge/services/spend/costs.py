"""What a month costs, from the fees of numbers, the seats, the calls and what was paid once."""

import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any, NamedTuple

from sqlalchemy import Connection, Select, func, or_, select

from sedge.core.access.roles import May
from sedge.core.amounts import CURRENCIES
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money
from sedge.core.records import Account, Carrier, Order, Product, Site
from sedge.core.spend import costs as core
from sedge.core.spend.closing import rounded
from sedge.core.spend.costs import (
    GROUPS,
    CostKind,
    CostLine,
    FeeSpan,
    GrantSpan,
    Owner,
    SeatSpan,
    Total,
)
from sedge.core.spend.months import Month, to_minor_unit
from sedge.core.spend.rates.rate_decks import amount_of
from sedge.core.supply.records import LineState
from sedge.services.context import Context, Reading
from sedge.services.spend.usage import holder_names
from sedge.store.repositories.spend import closed_months
from sedge.store.schema import chain, spend, tables

BEFORE_ALL = datetime(1970, 1, 1, tzinfo=UTC)
DETAILED = {"holder", "number"}  # groups for which each number is looked at
NEVER_PAID = {LineState.FAILED, LineState.CANCELLED}

Told = list[tuple[datetime, dict[str, Any]]]  # a record at each of its changes


@dataclass(frozen=True)
class Statement:
    """What a month cost in one currency, by group; `total` is the sum of the rows."""

    month: Month
    currency: str
    rows: list[Total]
    total: Total


def read_group(text: str) -> str:
    """Raises NotUnderstood."""
    if text not in GROUPS:
        message = f"“{text[:20]}” is no group: choose {', '.join(GROUPS)}."
        raise NotUnderstood(message, field="by", reason="group")
    return text


def statements(context: Context, month: Month, by: str) -> list[Statement]:
    """One for each currency, the largest first. Raises NotUnderstood."""
    context.require(May.SEE_MONEY)
    lines = lines_of(context, month, detailed=read_group(by) in DETAILED)
    found = [
        Statement(month, currency, rows, total_of(rows))
        for currency, rows in core.summed(lines, by).items()
    ]
    return sorted(found, key=lambda s: (-s.total.total, s.currency))


def nothing(month: Month, currency: str) -> Statement:
    return Statement(month, currency, [], total_of([]))


def home_currency(context: Context) -> str:
    """That of the organisation's home country."""
    return CURRENCIES[context.organisation.home_country]


def total_of(rows: Iterable[Total]) -> Total:
    sums = [Decimal(0)] * 7
    for row in rows:
        sums = [a + b for a, b in zip(sums, row[1:], strict=True)]
    return Total("", *sums)


def fixed_monthly(context: Context) -> dict[str, Money]:
    """What numbers and seats cost in the next whole month by all that is known now, by currency;
    calls and what is paid once left out."""
    found: dict[str, Money] = {}
    for line in lines_of(context, Month.of(context.now()).later(1)):
        if line.kind in {CostKind.NUMBERS, CostKind.SEATS}:
            amount = Money(amount=line.amount, currency=line.currency)
            found[line.currency] = (
                found[line.currency] + amount if line.currency in found else amount
            )
    return found


def _nil(currency: str) -> Money:
    return Money(amount=Decimal(0), currency=currency)


def lines_of(context: Context, month: Month, *, detailed: bool = False) -> list[CostLine]:
    """Every line of a month, as it was closed or as it is now, to the penny; by number where it is
    `detailed`, else numbers that are alike together."""
    name = f"costs of {month}{' by number' if detailed else ''}"
    return context.installation.while_unchanged(
        context, name, lambda: _lines(context, month, detailed), minutes=60
    )


def _lines(context: Context, month: Month, detailed: bool) -> list[CostLine]:
    with context.reading() as reading:
        if closed_months.is_closed(reading.connection, month):
            return closed_months.lines_of(reading.connection, month, detailed=detailed)
        return rounded(computed(reading, month, detailed=detailed))


def computed(reading: Reading, month: Month, *, detailed: bool) -> list[CostLine]:
    """What a month costs by all that is known now."""
    connection = reading.connection
    carriers = _carriers(reading)
    return [
        *_number_lines(connection, month, detailed=detailed),
        *core.seat_lines(_seats(reading), _grants(reading, month), month),
        *_call_lines(connection, month, carriers, detailed=detailed),
        *_once_lines(reading, month, carriers),
    ]


# ── numbers ──


class _Alike(NamedTuple):
    site: str
    holder_kind: str
    cost_centre: str
    carrier: str
    account: str
    currency: str
    monthly: int
    many: int


def _number_lines(connection: Connection, month: Month, *, detailed: bool) -> Iterator[CostLine]:
    table = spend.fee_span
    among = [table.c.since < month.ends, or_(table.c.until.is_(None), table.c.until > month.starts)]
    moved = select(table.c.number).where(
        *among,
        or_(table.c.since > month.starts, table.c.until < month.ends),
    )
    if detailed:
        yield from core.number_lines(_spans(connection, among), month)
        return
    yield from core.number_lines(_spans(connection, [*among, table.c.number.in_(moved)]), month)
    for alike in _unmoved(connection, month, moved):
        each = to_minor_unit(amount_of(alike.monthly), alike.currency)
        yield CostLine(
            CostKind.NUMBERS,
            "",
            Owner(alike.site, alike.holder_kind, "", alike.cost_centre),
            alike.carrier,
            alike.account,
            "",
            alike.currency,
            each * alike.many,
            Decimal(alike.many),
        )


def _unmoved(connection: Connection, month: Month, moved: Select[int]) -> Iterator[_Alike]:
    """Numbers of which nothing changed in the month, those that are alike together. Of the month
    that nothing has followed yet they are the numbers there are, but for those that came since it
    began: counts that are kept."""
    table, tally = spend.fee_span, spend.fee_tally
    names = [column.name for column in tally.primary_key.columns]
    columns = [table.c[name] for name in names]
    changed_since = connection.execute(
        select(table.c.id)
        .where((table.c.since >= month.ends) | (table.c.until >= month.ends))
        .limit(1)
    ).first()
    if changed_since is not None:
        among = table.c.since <= month.starts, table.c.number.not_in(moved)
        lasting = or_(table.c.until.is_(None), table.c.until >= month.ends)
        query = select(*columns, func.count()).where(*among, lasting).group_by(*columns)
        for row in connection.execute(query):
            yield _Alike._make(row)
        return
    fresh = {
        tuple(row[:-1]): row[-1]
        for row in connection.execute(
            select(*columns, func.count())
            .where(table.c.since > month.starts, table.c.until.is_(None))
            .group_by(*columns)
        )
    }
    for row in connection.execute(select(*(tally.c[name] for name in names), tally.c.count)):
        many = row[-1] - fresh.get(tuple(row[:-1]), 0)
        if many:
            yield _Alike._make((*row[:-1], many))


def _spans(connection: Connection, where: Sequence[Any]) -> Iterator[FeeSpan]:
    table = spend.fee_span
    query = select(table).where(*where).order_by(table.c.number, table.c.since, table.c.id)
    for row in connection.execute(query):
        yield FeeSpan(
            row.number,
            Owner(row.site, row.holder_kind, row.holder_id, row.cost_centre),
            row.carrier,
            row.account,
            row.currency,
            amount_of(row.monthly),
            row.since,
            row.until,
        )


# ── seats ──


def _seats(reading: Reading) -> list[SeatSpan]:
    """Seats over time at the prices of their time, both as the ledger tells them; cancelled ones
    until their term is over."""
    prices = _prices(reading)
    spans: list[SeatSpan] = []
    for told in map(_with_end_of_term, _told(reading, Subject.SUBSCRIPTION).values()):
        ends = [at for at, _ in told[1:]]
        for (since, seats), until in zip(told, [*ends, None], strict=True):
            if seats.get("trial_ends") or seats.get("ended"):
                continue
            for begins, price, others in prices.get(seats["product"], []):
                at = max(since, begins.since)
                over = min((m for m in (until, begins.until) if m), default=None)
                if over is None or at < over:
                    spans.append(
                        SeatSpan(
                            seats["product"],
                            int(seats["seats"]),
                            price.amount,
                            price.currency,
                            at,
                            over,
                            tuple((other.currency, other.amount) for other in others),
                        )
                    )
    return spans


def _with_end_of_term(told: Told) -> Told:
    at, seats = told[-1]
    if not seats.get("leaving") or not seats.get("renews_on"):
        return told
    after = {**seats, "seats": seats["seats"] - seats["leaving"], "leaving": 0}
    return [*told, (max(at, datetime.fromisoformat(seats["renews_on"])), after)]


class _While(NamedTuple):
    since: datetime
    until: datetime | None


Prices = list[tuple[_While, Money, list[Money]]]


def _prices(reading: Reading) -> dict[str, Prices]:
    """What a seat of each product cost and when, and what in other currencies; the first price
    holds for all before it."""
    found: dict[str, Prices] = {}
    for key, told in _told(reading, Subject.PRODUCT).items():
        ends = [at for at, _ in told[1:]]
        begins = [BEFORE_ALL, *ends]
        found[key] = [
            (
                _While(since, until),
                Money.model_validate(product["monthly"]),
                [Money.model_validate(price) for price in product.get("prices", ())],
            )
            for since, until, (_, product) in zip(begins, [*ends, None], told, strict=True)
            if not product.get("free")
        ]
    return found


def _told(reading: Reading, subject: Subject) -> dict[str, Told]:
    """The records of a kind as the ledger tells them, each in the order of its changes."""
    ledger = chain.ledger
    query = (
        select(ledger.c.subject_id, ledger.c.at, ledger.c.after)
        .where(ledger.c.subject == subject.value, ledger.c.after.is_not(None))
        .order_by(ledger.c.sequence)
    )
    found: dict[str, Told] = {}
    for key, at, after in reading.connection.execute(query):
        found.setdefault(key, []).append((at, json.loads(after)))
    return found


def _grants(reading: Reading, month: Month) -> list[GrantSpan]:
    grant = tables.grant
    query = select(
        grant.c.product, grant.c.holder_kind, grant.c.holder_id, grant.c.since, grant.c.until
    ).where(
        grant.c.since < month.ends,
        or_(grant.c.until.is_(None), grant.c.until > month.starts),
    )
    sites, currencies = sites_of_holders(reading), currencies_of_sites(reading)
    rows = (
        (product, Owner(sites.get((kind, key), ""), kind, key), since, until)
        for product, kind, key, since, until in reading.connection.execute(query)
    )
    return [GrantSpan(*row, currencies.get(row[1].site, "")) for row in rows]


def currencies_of_sites(reading: Reading) -> dict[str, str]:
    """In which currency each site pays its carrier."""
    accounts = {a.id: a.balance.currency for a in reading.records.all(Account)}
    return {
        site.id: accounts[site.account]
        for site in reading.records.all(Site)
        if site.account in accounts
    }


def sites_of_holders(reading: Reading) -> dict[tuple[str, str], str]:
    people, lines = tables.person, tables.service_line
    found = {
        ("person", key): site
        for key, site in reading.connection.execute(select(people.c.id, people.c.site))
    }
    return found | {
        ("service_line", key): site
        for key, site in reading.connection.execute(select(lines.c.id, lines.c.site))
    }


# ── calls ──


def _call_lines(
    connection: Connection, month: Month, carriers: dict[str, str], *, detailed: bool
) -> Iterator[CostLine]:
    if detailed:
        yield from _calls_by_number(connection, month, carriers)
        return
    table = spend.usage_month
    query = (
        select(
            table.c.site,
            table.c.holder_kind,
            table.c.cost_centre,
            table.c.account,
            table.c.currency,
            func.sum(table.c.cost),
            func.sum(table.c.calls),
        )
        .where(table.c.month == str(month), table.c.currency != "")
        .group_by(
            table.c.site,
            table.c.holder_kind,
            table.c.cost_centre,
            table.c.account,
            table.c.currency,
        )
    )
    for site, kind, centre, account, currency, cost, count in connection.execute(query):
        yield CostLine(
            CostKind.CALLS,
            "",
            Owner(site, kind, "", centre),
            carriers.get(account, ""),
            account,
            "",
            currency,
            amount_of(cost),
            Decimal(count),
        )


def _calls_by_number(
    connection: Connection, month: Month, carriers: dict[str, str]
) -> Iterator[CostLine]:
    table, fees = spend.usage_day, spend.fee_span
    query = (
        select(
            table.c.number,
            table.c.site,
            table.c.holder_kind,
            table.c.holder_id,
            table.c.currency,
            func.sum(table.c.cost),
            func.sum(table.c.calls),
        )
        .where(
            table.c.day.between(month.first.isoformat(), month.last.isoformat()),
            table.c.currency != "",
        )
        .group_by(
            table.c.number,
            table.c.site,
            table.c.holder_kind,
            table.c.holder_id,
            table.c.currency,
        )
    )
    paid = {
        number: (account, centre)
        for number, account, centre in connection.execute(
            select(fees.c.number, fees.c.account, fees.c.cost_centre)
            .where(fees.c.since < month.ends)
            .order_by(fees.c.since)
        )
    }
    for number, site, kind, key, currency, cost, count in connection.execute(query):
        account, centre = paid.get(number, ("", ""))
        yield CostLine(
            CostKind.CALLS,
            f"+{number}",
            Owner(site, kind, key, centre),
            carriers.get(account, ""),
            account,
            "",
            currency,
            amount_of(cost),
            Decimal(count),
        )


# ── paid once ──


def _once_lines(reading: Reading, month: Month, carriers: dict[str, str]) -> Iterator[CostLine]:
    """The set-up of orders that were placed in a month, but for lines that never came."""
    for order in reading.records.all(Order):
        if order.placed_at is None or order.placed_at not in month:
            continue
        for line in order.lines:
            if line.state in NEVER_PAID or not line.setup.amount:
                continue
            yield CostLine(
                CostKind.ONCE,
                order.reference,
                Owner(order.site),
                carriers.get(order.account, ""),
                order.account,
                "",
                line.setup.currency,
                line.setup.amount,
            )


def _carriers(reading: Reading) -> dict[str, str]:
    """The carrier of each account."""
    return {account.id: account.carrier for account in reading.records.all(Account)}


# ── names ──


def names(context: Context, by: str, keys: Iterable[str]) -> dict[str, str]:
    """What people call the groups of an answer."""
    wanted = [key for key in keys if key]
    with context.reading() as reading:
        found = _names(reading, by, wanted)
    return {key: found.get(key) or key for key in wanted} | {"": NOBODYS.get(by, "not told")}


NOBODYS = {
    "site": "not at a site",
    "cost_centre": "no cost centre",
    "holder": "not assigned",
    "product": "no licence product",
    "carrier": "no carrier",
    "account": "no account",
    "number": "no number",
}


def _names(reading: Reading, by: str, keys: Sequence[str]) -> dict[str, str]:
    records = reading.records
    match by:
        case "site":
            return {s.id: s.name for s in records.many(Site, keys)}
        case "product":
            return {p.id: p.name for p in records.many(Product, keys)}
        case "carrier":
            return {c.id: c.name for c in records.many(Carrier, keys)}
        case "account":
            return {a.id: a.name for a in records.many(Account, keys)}
        case "holder":
            return holder_names(reading, keys)
    return {}
