"""The yearly tidy-up: numbers worth retiring, why each, and what that saves."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from sqlalchemy import exists, func, select, text

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood, OutsideTrouble
from sedge.core.facts import Money, counted
from sedge.core.numbers.life import State
from sedge.core.policy import POLICY
from sedge.core.records import HolderKind, Number, Role, ServiceLine, Site
from sedge.core.retiring.dependencies import FOR_HELP
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Reading
from sedge.services.retiring import retiring
from sedge.store.repositories.records import is_open
from sedge.store.repositories.spend import quiet_numbers
from sedge.store.schema import projected, tables

MOST_ROWS = 300  # of one kind; how many more there are is said
MOST_COUNTED = 1000
MOST_LOOKED = 20_000
MOST_ASKED = 2000  # of the telephone system, the quietest first
MOST_CHOSEN = 2000
FEWEST_DAYS, MOST_DAYS = 7, 730
NOT_CALLED = (
    "Neither in nor out, by the call records. Main numbers of sites, lift and alarm phones"
    " are for the one call, and left out."
)


@dataclass(frozen=True)
class Worth:
    """One number worth a look; `why` in a few words, `since` when that began, where it is known."""

    number: Number
    holder: str
    site: str
    why: str
    since: datetime | None


@dataclass(frozen=True)
class Heap:
    """Numbers of one kind; `total` of them there are, counted up to a thousand and one, `saves`
    what releasing those shown saves a year, by currency."""

    key: str
    name: str
    says: str
    rows: list[Worth]
    total: int
    saves: list[Money]

    @property
    def counted(self) -> str:
        """How many there are, in words."""
        return (
            f"over {MOST_COUNTED:,} numbers"
            if self.total > MOST_COUNTED
            else counted(self.total, "number")
        )


@dataclass(frozen=True)
class TidyUp:
    """`silent`: the telephone system did not say who was called when."""

    heaps: list[Heap]
    days: int
    silent: bool

    @property
    def saves(self) -> list[Money]:
        return _sum(row.number for heap in self.heaps for row in heap.rows)


def tidy_up(context: Context, days: str = "") -> TidyUp:
    """Each number in the first heap it belongs to. Raises NotUnderstood for days that are none."""
    span = _days(days)
    calls, silent = _silent_since(context, span)
    with context.reading() as reading:
        seen: set[str] = set()
        sites = {s.id: s for s in reading.records.all(Site)}
        found = [
            (
                "left",
                "Of people who have left",
                "Nobody answers these any more.",
                _of_leavers(reading),
            ),
            (
                "closed",
                "At sites without anybody",
                "Nobody works there, and no line answers there.",
                _at_empty_sites(reading),
            ),
            (
                "uncalled",
                f"Without a call for {span} days",
                NOT_CALLED,
                _uncalled(reading, calls),
            ),
            (
                "double",
                "Second and third numbers of one person",
                "An extra number beside a main one.",
                _doubles(reading),
            ),
            (
                "idle",
                f"Free for more than {span} days",
                "More than the reserve of a site, and nobody has asked for them.",
                _idle(reading, span),
            ),
        ]
        heaps = [
            _heap(reading, key, name, says, numbers, seen, sites)
            for key, name, says, numbers in found
        ]
    return TidyUp([h for h in heaps if h.total], span, silent)


def _days(typed: str) -> int:
    if not typed.strip():
        return 90
    if not typed.strip().isdigit() or not FEWEST_DAYS <= int(typed) <= MOST_DAYS:
        raise NotUnderstood(f"Days are a number from {FEWEST_DAYS} to {MOST_DAYS}.", field="days")
    return int(typed)


Found = tuple[list[tuple[Number, str, datetime | None]], int]


def _silent_since(context: Context, days: int) -> tuple[dict[str, datetime | None], bool]:
    """Numbers that nobody has called or called from since, with when somebody last did; and whether
    the telephone system was silent. Call records say so where they reach back, else the telephone
    system's counters."""
    with context.reading() as reading:
        since = (reading.now - timedelta(days=days)).date()
        known = quiet_numbers.quiet_since(reading.connection, since, limit=MOST_ASKED)
    if known is not None:
        return known, False
    try:
        return context.outside.telephony.uncalled(
            context.now() - timedelta(days=days), MOST_ASKED
        ), False
    except OutsideTrouble:
        return {}, True


def _heap(
    reading: Reading,
    key: str,
    name: str,
    says: str,
    found: Found,
    seen: set[str],
    sites: dict[str, Site],
) -> Heap:
    rows, total = found
    fresh = [row for row in rows if row[0].e164 not in seen]
    seen.update(row[0].e164 for row in fresh)
    names = reading.records.names((n.holder.subject, n.holder.id) for n, _, _ in fresh if n.holder)
    told = [
        Worth(
            n,
            names.get((n.holder.subject, n.holder.id), "") if n.holder else n.state.value,
            sites[n.site].name,
            why,
            since,
        )
        for n, why, since in fresh
    ]
    return Heap(
        key, name, says, told, total - (len(rows) - len(fresh)), _sum(row.number for row in told)
    )


def _sum(numbers: Iterable[Number]) -> list[Money]:
    by: dict[str, Decimal] = {}
    for n in numbers:
        by[n.monthly.currency] = by.get(n.monthly.currency, Decimal(0)) + n.monthly.amount * 12
    return [
        Money(amount=amount, currency=currency).rounded() for currency, amount in sorted(by.items())
    ]


def _counted(reading: Reading, *where: Any) -> int:
    """How many there are, one more than a thousand at most."""
    some = select(tables.life.c.id).where(*where).limit(MOST_COUNTED + 1).subquery()
    return reading.connection.execute(select(func.count()).select_from(some)).scalar() or 0


def _where(reading: Reading, why: str, *where: Any) -> Found:
    life = tables.life
    total = _counted(reading, *where, is_open())
    rows = reading.records.where(Number, *where, is_open(), order_by=life.c.number, limit=MOST_ROWS)
    return [(n, why, n.assignment.since if n.assignment else None) for n in rows], total


def _of_leavers(reading: Reading) -> Found:
    life, person = tables.life, tables.person
    gone = select(person.c.id).where(person.c.departed.is_(True))
    return _where(
        reading,
        "its holder has left",
        life.c.holder_kind == "person",
        life.c.holder_id.in_(gone),
        life.c.state == State.ASSIGNED.value,
    )


def _at_empty_sites(reading: Reading) -> Found:
    life, person, line, site = tables.life, tables.person, tables.service_line, tables.site
    people = exists().where(person.c.site == site.c.id, person.c.departed.is_(False))
    lines = exists().where(line.c.site == site.c.id)
    empty = [key for (key,) in reading.connection.execute(select(site.c.id).where(~people, ~lines))]
    if not empty:
        return [], 0
    return _where(
        reading, "nobody is at its site", life.c.site.in_(empty), life.c.leaving_on.is_(None)
    )


def _uncalled(reading: Reading, calls: dict[str, datetime | None]) -> Found:
    quiet = [
        n for n in reading.records.many(Number, calls) if n.state is State.ASSIGNED and n.holder
    ]
    lines = {
        line.id: line.kind
        for line in reading.records.many(ServiceLine, {n.holder.id for n in quiet if n.holder})
    }
    numbers = [
        n
        for n in quiet
        if n.holder
        and n.holder.kind is not HolderKind.SITE
        and lines.get(n.holder.id) not in FOR_HELP
    ]
    rows = sorted(
        numbers,
        key=lambda n: (
            (calls[n.e164] is not None, calls[n.e164], n.e164) if calls[n.e164] else (False, n.e164)
        ),
    )
    return [
        (n, "no call since" if calls[n.e164] else "never a call", calls[n.e164])
        for n in rows[:MOST_ROWS]
    ], len(rows)


def _doubles(reading: Reading) -> Found:
    """Extra numbers of people who have a main one, among the first `MOST_LOOKED` extra numbers
    there are."""
    life = tables.life
    columns = (life.c.number, life.c.holder_kind, life.c.holder_id)
    extra = (
        select(*columns)
        .where(text(tables.EXTRA))
        .order_by(life.c.number)
        .limit(MOST_LOOKED)
        .subquery()
    )
    mains = select(life.c.holder_id).where(
        text(tables.ONE_OF_EACH), life.c.holder_kind == "person", life.c.role == Role.MAIN.value
    )
    beside = (extra.c.holder_kind == "person", extra.c.holder_id.in_(mains))
    query = select(extra.c.number).where(*beside).order_by(extra.c.number).limit(MOST_COUNTED + 1)
    found = list(reading.connection.execute(query).scalars())
    rows = reading.records.where(
        Number, life.c.number.in_(found[:MOST_ROWS]), is_open(), order_by=life.c.number
    )
    return [
        (n, "an extra number", n.assignment.since if n.assignment else None) for n in rows
    ], len(found)


def _idle(reading: Reading, days: int) -> Found:
    """Free for longer, beyond what each site keeps in reserve."""
    life, span = tables.life, projected.span
    since = (
        select(span.c.since)
        .where(span.c.number == life.c.number, span.c.until.is_(None))
        .scalar_subquery()
    )
    idle = (
        life.c.state == State.AVAILABLE.value,
        life.c.leaving_on.is_(None),
        is_open(),
        since < reading.now - timedelta(days=days),
    )
    rows: list[tuple[Number, str, datetime | None]] = []
    total = 0
    for site, most in _beyond(reading):
        beyond = min(
            most,
            _counted(reading, *idle, life.c.site == site) - POLICY.reserve(_used(reading, site)),
        )
        if beyond <= 0:
            continue
        total += beyond
        if left := min(beyond, MOST_ROWS - len(rows)):
            last = reading.records.where(
                Number, *idle, life.c.site == site, order_by=life.c.number.desc(), limit=left
            )
            rows += [(n, "free, beyond the reserve", None) for n in last]
        if total > MOST_COUNTED:
            break
    return rows, total


def _beyond(reading: Reading) -> list[tuple[str, int]]:
    """Sites with more free numbers than their reserve, by the counts that are kept, those with most
    first."""
    facet = projected.facet
    counts: dict[str, dict[str, int]] = {}
    query = (
        select(facet.c.site, facet.c.state, func.sum(facet.c["count"]))
        .where(facet.c.site != "")
        .group_by(facet.c.site, facet.c.state)
    )
    for site, state, count in reading.connection.execute(query):
        counts.setdefault(site, {})[state] = count
    found = [
        (site, by.get(State.AVAILABLE.value, 0) - POLICY.reserve(by.get(State.ASSIGNED.value, 0)))
        for site, by in counts.items()
    ]
    return sorted((x for x in found if x[1] > 0), key=lambda x: (-x[1], x[0]))


def _used(reading: Reading, site: str) -> int:
    facet = projected.facet
    query = select(func.sum(facet.c["count"])).where(
        facet.c.site == site, facet.c.state == State.ASSIGNED.value
    )
    return reading.connection.execute(query).scalar() or 0


def plan(
    context: Context, numbers: Sequence[str], *, then: str, rest: str = ""
) -> tuple[list[Task], str]:
    """The tasks that retire what was chosen. Raises NotUnderstood naming the field."""
    context.require(May.RELEASE)
    if not numbers:
        raise NotUnderstood("Choose some numbers first.", field="numbers")
    if len(numbers) > MOST_CHOSEN:
        raise NotUnderstood(f"At most {MOST_CHOSEN:,} numbers at a time.", field="numbers")
    if then not in retiring.THENS:
        raise NotUnderstood("Choose what becomes of the numbers.", field="then")
    tasks = retiring.many(context, numbers, then=then, rest=retiring.days_of_rest(rest))
    if not tasks:
        raise NotUnderstood(
            "Nothing would change: these rest, or are free, already. Choose to release them.",
            field="then",
        )
    return tasks, f"Tidy up: {counted(len(numbers), 'number')}"
