"""A row of a file read as a number to be brought in as it is found, or why it can't be.

Made for many rows: what repeats (sites, accounts, states, prices) is looked up once per spelling.
"""

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time
from decimal import Decimal, InvalidOperation
from operator import itemgetter
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from sedge.core.imports.directory import Directory, plain_name
from sedge.core.imports.fields import Mapping, plain_cell
from sedge.core.numbers.e164 import describe, is_canonical, is_in_service, read
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import (
    Account,
    Capacity,
    Carrier,
    Defaults,
    HolderRef,
    Site,
    Spot,
    Trunk,
    tags_in,
)
from sedge.core.retiring.quarantine import lasts_until

STATES = {
    State.AVAILABLE: (
        "available",
        "free",
        "spare",
        "unused",
        "unassigned",
        "frei",
        "vacant",
        "not in use",
        "no",
    ),
    State.ASSIGNED: (
        "assigned",
        "in use",
        "used",
        "active",
        "live",
        "belegt",
        "taken",
        "yes",
        "working",
    ),
    State.RESERVED: ("reserved", "held", "on hold", "reserviert", "promised", "hold"),
    State.AGING: (
        "aging",
        "resting",
        "ageing",
        "cooling off",
        "recently returned",
        "gekündigt",
        "left",
    ),
    State.ADMINISTRATIVE: (
        "administrative",
        "test",
        "test line",
        "set aside",
        "network",
        "readback",
        "internal use",
    ),
}
_BY_STATE = {word: state for state, words in STATES.items() for word in words}
_CAPACITIES = {
    **{c.value: c for c in Capacity},
    "one": Capacity.SINGLE,
    "1": Capacity.SINGLE,
    "one call at a time": Capacity.SINGLE,
    "many calls": Capacity.MANY,
    "several": Capacity.MANY,
    "any number of calls": Capacity.ANY,
    "unlimited": Capacity.ANY,
    "": Capacity.ANY,
}


@dataclass(frozen=True)
class RowContext:
    """What rows are read against, and what stands for columns a file doesn't have."""

    home: str
    now: datetime
    sites: dict[str, Site]
    accounts: dict[str, Account]
    carriers: dict[str, Carrier]
    trunks: dict[str, Trunk] = field(default_factory=dict)
    spots: dict[str, Spot] = field(default_factory=dict)
    holders: Directory = field(default_factory=Directory)
    ids: dict[str, int] = field(default_factory=dict)  # numbers by what other systems call them
    default_site: str = ""
    default_account: str = ""
    default_price: str = "0"
    defaults: Defaults | None = None  # the organisation's own, days of rest among them


class Incoming(NamedTuple):
    """A number as found in a file. `price` is an amount in the account's currency unless `currency`
    says otherwise."""

    number: int
    state: State
    site: str
    account: str
    carrier: str
    capacity: Capacity
    price: str
    currency: str
    kind: str
    trunk: str | None = None
    label: str = ""
    holder: HolderRef | None = None
    spot: str | None = None
    until: datetime | None = None
    note: str = ""
    cost_centre: str = ""
    tags: tuple[str, ...] = ()
    known_as: tuple[tuple[str, str], ...] = ()

    @property
    def is_plain(self) -> bool:
        """Whether only its number tells it from many others: state, place, price, label and until
        are shared."""
        return not (
            self.holder or self.spot or self.note or self.cost_centre or self.tags or self.known_as
        )


class Alike(NamedTuple):
    """Rows that differ in nothing but their line and their number. The number of `row` is that of
    the first."""

    row: Incoming
    lines: list[int]
    numbers: list[int]


def alike(rows: Iterable[tuple[int, Incoming]]) -> list[Alike]:
    """Rows with their lines, by what they have in common. One that is not plain is alike only to
    itself."""
    known: dict[tuple[object, ...], Alike] = {}
    alone: list[Alike] = []
    before, like = (), None  # rows that are alike mostly follow one another
    for line, row in rows:
        tail = row[1:]
        if like is None or tail != before:
            if not row.is_plain:
                alone.append(Alike(row, [line], [row.number]))
                continue
            before, like = tail, known.get(tail)
            if like is None:
                like = known[tail] = Alike(row, [], [])
        like.lines.append(line)
        like.numbers.append(row[0])
    return [*known.values(), *alone]


class Fault(Exception):
    """Why a row can't be imported, in words."""


Reader = Callable[[Sequence[str]], "Incoming"]


def by_names(records: Iterable[Any], *more: str) -> dict[str, Any]:
    """Records by their names, ids and the attributes named, in small letters."""
    return {
        str(getattr(r, name)).lower(): r
        for r in records
        for name in ("name", "id", *more)
        if getattr(r, name)
    }


def reader(mapping: Mapping, context: RowContext) -> Reader:
    """A function from cells to what they say. It raises Fault with the reason where a row can't be
    brought in."""
    columns = {name: at for name, at in mapping.items() if not name.startswith("known:")}
    known = [(name[6:], at) for name, at in mapping.items() if name.startswith("known:")]
    also = tuple(sorted({s.country for s in context.sites.values()}))
    shared = _Shared(context)
    rare = {name: at for name, at in columns.items() if name in _RARE}
    width = 1 + max(
        mapping.values(), default=0
    )  # each row gets one empty cell more, which stands for columns that are missing
    number_at = columns.get("number", width)
    plain = itemgetter(*(columns.get(name, width) for name in ("label", *_SHARED)))
    is_simple = not rare and not known
    hundreds: dict[
        int, dict[tuple[str, ...], tuple[object, ...]]
    ] = {}  # by hundred: what rows of its plan said, and what that means
    plans: dict[tuple[str, str], dict[tuple[str, ...], tuple[object, ...]]] = {}

    def one(cells: Sequence[str]) -> Incoming:
        padded = (*cells[:width], *("",) * (width + 1 - min(len(cells), width)))
        text = padded[number_at]
        named = (
            next((n for _, at in known if (n := context.ids.get(padded[at].strip()))), 0)
            if known and not text.strip()
            else 0
        )
        number = named or _number(text, context.home, also)
        said = plain(padded)
        if is_simple:
            meanings = hundreds.get(number // 100)
            if meanings is None:
                if len(hundreds) > 200_000:
                    hundreds.clear()
                meanings = hundreds[number // 100] = plans.setdefault(shared.plan(number), {})
            rest = meanings.get(said)
            if rest is None:
                if len(meanings) > 50_000:
                    meanings.clear()
                rest = meanings[said] = _simple(said, number, shared, context)
            return Incoming._make((number, *rest))
        extra = {name: plain_cell(padded[at]) for name, at in rare.items()}
        ids = tuple(
            (system, padded[at].strip()[:120]) for system, at in known if padded[at].strip()
        )
        return _whole(number, said[1:], _label(said[0]), extra, ids, shared, context)

    return one


def _label(text: str) -> str:
    label = plain_cell(text)
    if len(label) > 80:
        raise Fault(f"the label has {len(label)} characters; at most 80 fit")
    return label


def _simple(
    said: tuple[str, ...], number: int, shared: "_Shared", context: RowContext
) -> tuple[Any, ...]:
    """All but the number, of a row without holder and small facts."""
    label = _label(said[0])
    facts = shared.of(said[1:], number)
    if facts[0] is State.ASSIGNED:
        raise Fault("it is in use, but the file has no column that says by whom")
    return (*facts, label, None, None, _until("", facts[0], number, context), "", "", (), ())


_SHARED = ("state", "site", "account", "carrier", "capacity", "price", "currency", "trunk")
LASTING = (State.RESERVED, State.AGING)
_RARE = {"holder", "email", "extension", "spot", "until", "note", "cost_centre", "tags"}


def _number(text: str, home: str, also: tuple[str, ...]) -> int:
    plain = text if text[:1] == "+" else "+" + text
    if is_canonical(plain) and is_in_service(plain):
        return int(plain)
    text = text.strip().removeprefix("'")
    if not text:
        raise Fault("the number is missing")
    found = read(text, home, also)
    if found.problem:
        raise Fault(f"“{text[:40]}”: {found.problem.sentence}")
    return int(found.candidates[0].e164)


class _Shared:
    """What many rows have in common, looked up once per spelling."""

    def __init__(self, context: RowContext) -> None:
        self.context = context
        self._known: dict[tuple[Any, ...], tuple[Any, ...]] = {}

    def of(
        self, said: tuple[str, ...], number: int, *, is_held: bool = False, holder_site: str = ""
    ) -> tuple[Any, ...]:
        country, kind = self.plan(number)
        key = said, country, is_held, holder_site
        found = self._known.get(key)
        if found is None:
            if len(self._known) > 50_000:
                self._known.clear()
            found = self._known[key] = self._looked_up(
                said, country, is_held=is_held, holder_site=holder_site
            )
        state, site, account, carrier, capacity, price, currency, trunk = found
        return state, site, account, carrier, capacity, price, currency, kind, trunk

    @staticmethod
    def plan(number: int) -> tuple[str, str]:
        """Country and kind of a number."""
        facts = describe(f"+{number}")
        return facts.country, facts.kind.value

    def _looked_up(
        self, said: tuple[str, ...], country: str, *, is_held: bool, holder_site: str
    ) -> tuple[object, ...]:
        state, site, account, carrier, capacity, price, currency, trunk = (
            text.strip() for text in said
        )
        found_site = self._site(site or holder_site, country)
        found_account = self._account(account, carrier, found_site)
        amount = amount_of(price or self.context.default_price)
        wanted = state.lower() and _BY_STATE.get(state.lower())
        if wanted is None:
            words = ", ".join(s.value for s in STATES)
            raise Fault(f"“{state}” is no state a number can be found in: {words}")
        found_capacity = _CAPACITIES.get(capacity.lower())
        if found_capacity is None:
            raise Fault(f"“{capacity}” is not how many calls a number carries: single, many or any")
        found_trunk = self._trunk(trunk)
        money = currency.upper() or found_account.balance.currency
        if not re.fullmatch(r"[A-Z]{3}", money):
            raise Fault(f"“{currency}” is no currency; write GBP or EUR")
        return (
            wanted or (State.ASSIGNED if is_held else State.AVAILABLE),
            found_site.id,
            found_account.id,
            found_account.carrier,
            found_capacity,
            amount,
            money,
            found_trunk,
        )

    def _site(self, name: str, country: str) -> Site:
        wanted = name or self.context.default_site
        site = self.context.sites.get(wanted.lower())
        if site is None:
            raise Fault(
                f"no site is called “{name}”"
                if name
                else "no site is named; choose one for rows without"
            )
        if country and COUNTRIES.get(country) and site.country != country and not name:
            raise Fault(
                f"a number of {COUNTRIES[country].name}, and the site for rows without one is"
                " elsewhere; name its site"
            )
        return site

    def _account(self, account: str, carrier: str, site: Site) -> Account:
        accounts = self.context.accounts
        if account:
            found = accounts.get(account.lower())
            if found is None:
                raise Fault(f"no account is called “{account}”")
            return found
        if carrier:
            of = self.context.carriers.get(carrier.lower())
            if of is None:
                raise Fault(f"no carrier is called “{carrier}”")
            own = [a for a in accounts.values() if a.carrier == of.id]
            if own:
                return own[0]
            raise Fault(f"there is no account with {of.name}")
        found = accounts.get((self.context.default_account or site.account or "").lower())
        if found is None:
            raise Fault("no account is named; choose one for rows without")
        return found

    def _trunk(self, trunk: str) -> str | None:
        if not trunk:
            return None
        found = self.context.trunks.get(trunk.lower())
        if found is None:
            raise Fault(f"no trunk is called “{trunk}”")
        return found.id


def amount_of(text: str) -> str:
    plain = text.replace("£", "").replace("€", "").replace("$", "").replace(" ", "")
    if "," in plain and "." not in plain:
        plain = plain.replace(",", ".")
    try:
        amount = Decimal(plain)
    except InvalidOperation:
        raise Fault(f"“{text}” is no price") from None
    if not amount.is_finite() or not 0 <= amount < 1_000_000:
        raise Fault(f"“{text}” is no price a number can have")
    return format(amount, "f")


def _whole(
    number: int,
    said: tuple[str, ...],
    label: str,
    extra: dict[str, str],
    ids: tuple[tuple[str, str], ...],
    shared: _Shared,
    context: RowContext,
) -> Incoming:
    ref = holder_of(extra, context.holders)
    known = context.holders
    rest = shared.of(
        said, number, is_held=ref is not None, holder_site=known.sites.get(ref, "") if ref else ""
    )
    state = rest[0]
    if state is State.ASSIGNED and ref is None:
        raise Fault("it is in use, but the row doesn't say by whom")
    if ref is not None and state not in {State.ASSIGNED, State.RESERVED}:
        raise Fault(f"it is {state.value}, and yet has the holder {known.names[ref]}")
    spot = extra.get("spot", "")
    if spot and spot.upper() not in context.spots:
        raise Fault(f"no emergency spot has the code “{spot}”")
    tags = tags_in(extra.get("tags", ""))
    if len(extra.get("note", "")) > 2000:
        raise Fault("the note has more than 2,000 characters")
    own_spot = known.spots.get(ref) if ref and state is State.ASSIGNED else None
    until = _until(extra.get("until", ""), state, number, context)
    small = extra.get("note", ""), extra.get("cost_centre", "")[:40], tags, ids
    code = context.spots[spot.upper()].id if spot else own_spot
    return Incoming._make((number, *rest, label, ref, code, until, *small))


def holder_of(extra: dict[str, str], holders: Directory) -> HolderRef | None:
    """The one holder a row names by mail address, name or extension; None where it names nobody.
    Raises Fault."""
    email, name, extension = (
        extra.get("email", ""),
        extra.get("holder", ""),
        extra.get("extension", ""),
    )
    if email:
        ref = holders.by_email.get(email.lower())
        if ref is None and not name:
            raise Fault(f"nobody here has the mail address “{email}”")
        if ref is not None:
            return ref
    if name:
        found = holders.by_name.get(plain_name(name), [])
        if len(found) > 1 and extension:
            found = [
                ref for ref in found if ref in holders.by_extension.get(extension, [])
            ] or found
        if len(found) > 1:
            raise Fault(f"{len(found)} holders are called “{name}”; add their mail addresses")
        if not found:
            raise Fault(f"nobody here is called “{name}”")
        return found[0]
    if extension:
        found = holders.by_extension.get(extension, [])
        if len(found) == 1:
            return found[0]
        raise Fault(f"{len(found) or 'no'} people have the extension “{extension}”")
    return None


def _until(text: str, state: State, number: int, context: RowContext) -> datetime | None:
    """Until when a reservation or a rest lasts: as the file says, else by the policy."""
    if state not in LASTING:
        return None
    if not text:
        facts = describe(f"+{number}")
        return lasts_until(state, facts.country, facts.kind, context.now, context.defaults)
    try:
        day = date.fromisoformat(text[:10])
    except ValueError:
        raise Fault(f"“{text}” is no day; write it as 2026-12-24") from None
    zone = ZoneInfo(COUNTRIES[context.home].timezone)
    return max(datetime.combine(day, time.max, zone), context.now)
