"""Call records and what is counted of them, in one transaction."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import islice
from typing import NamedTuple

from sqlalchemy import Connection, Table, bindparam, delete, func, select, update

from sedge.core.spend.call_legs import CallLeg, Direction, identity
from sedge.core.spend.months import Month
from sedge.core.spend.rates.rating import FREE_IN, Leg, Rated
from sedge.core.spend.step_use import read_way, way_as_text
from sedge.store.raw import raw_of
from sedge.store.schema import spend

AT_ONCE = 10_000
HOUR = 3600
EDGE = timedelta(days=1)  # a day of a site begins up to a day before or after that of UTC


class Held(NamedTuple):
    """Whose a number was for a while; moments in seconds since 1970."""

    since: float
    until: float
    site: str
    holder_kind: str
    holder_id: str
    cost_centre: str
    account: str
    carrier: str


NOBODY = Held(0, float("inf"), "", "", "", "", "", "")


class Kept(NamedTuple):
    """A record as its row holds it, in the order of the columns."""

    id: int
    day: str
    started: int
    ring: int
    talk: int
    answered: bool
    direction: str
    number: int
    other: str
    trunk: str
    way: str
    site: str
    holder_kind: str
    holder_id: str
    cost_centre: str
    account: str
    cause: int
    source: str
    included: int
    cost: int
    currency: str
    priced_by: str

    @property
    def begun(self) -> datetime:
        return datetime.fromtimestamp(self.started, UTC)

    @property
    def said(self) -> tuple[object, ...]:
        """What its source says of it; a record of the same that says something else is a
        correction."""
        return self[2:11]


COLUMNS = Kept._fields
_HOLES = ", ".join("?" * len(COLUMNS))
_INSERT = f"INSERT INTO call_record ({', '.join(COLUMNS)}) VALUES ({_HOLES})"  # noqa: S608


@dataclass
class Counts:
    """What was made of records: new ones, the same as known, corrected ones; `months` that were
    touched and whose."""

    fresh: int = 0
    same: int = 0
    corrected: int = 0
    months: set[str] = field(default_factory=set)
    numbers: set[int] = field(default_factory=set)

    def add(self, other: "Counts") -> None:
        self.fresh += other.fresh
        self.same += other.same
        self.corrected += other.corrected
        self.months |= other.months
        self.numbers |= other.numbers


def keep(
    connection: Connection,
    source: str,
    legs: Iterable[CallLeg],
    known: "Surroundings",
) -> Counts:
    """Keep records, each once: one that is known and says something else takes its place."""
    total, stream = Counts(), iter(legs)
    while batch := list(islice(stream, AT_ONCE)):
        total.add(_keep_some(connection, [_row(source, leg, known) for leg in batch]))
    return total


@dataclass(frozen=True)
class Surroundings:
    """What is known around a call: who had a number at a moment, the day of a moment at a site, the
    account that a call over a trunk is paid on, and its price before included minutes."""

    whose: Callable[[int, int], Held]
    day_at: Callable[[str, int], str]
    account_at: Callable[[str, Held], str]
    price: Callable[[Leg], Rated]


def _row(source: str, leg: CallLeg, known: Surroundings) -> Kept:
    number = int(leg.number)
    held = known.whose(number, leg.started)
    key, day = identity(source, leg.key), known.day_at(held.site, leg.started)
    cost, currency, by = 0, "", FREE_IN
    if leg.direction is not Direction.IN:
        asked = Leg(
            key,
            leg.started,
            leg.number,
            leg.other,
            leg.direction,
            leg.trunk,
            f"{held.holder_kind}:{held.holder_id}",
            leg.talk,
            day,
        )
        _, cost, currency, _, by = known.price(asked)
    return Kept(
        key,
        day,
        leg.started,
        leg.ring,
        leg.talk,
        leg.answered,
        leg.direction.value,
        number,
        leg.other,
        leg.trunk,
        way_as_text(leg.way) if leg.way else "",
        held.site,
        held.holder_kind,
        held.holder_id,
        held.cost_centre,
        known.account_at(leg.trunk, held),
        leg.cause,
        source,
        0,
        cost,
        currency,
        by,
    )


def _keep_some(connection: Connection, rows: Sequence[Kept]) -> Counts:
    latest = {row.id: row for row in rows}
    known = {row.id: row for row in _by_id(connection, latest)}
    fresh = [row for key, row in latest.items() if key not in known]
    changed = [row for key, row in latest.items() if key in known and known[key].said != row.said]
    if changed:
        gone = [known[row.id] for row in changed]
        connection.execute(
            delete(spend.call_record).where(spend.call_record.c.id == bindparam("of")),
            [{"of": row.id} for row in gone],
        )
        count(connection, ((row, -1) for row in gone))
    if new := [*fresh, *changed]:
        raw = raw_of(connection)
        raw.executemany(_INSERT, new)
        count(connection, ((row, 1) for row in new))
    return Counts(
        len(fresh),
        len(rows) - len(fresh) - len(changed),
        len(changed),
        {row.day[:7] for row in new},
        {row.number for row in new},
    )


def _by_id(connection: Connection, ids: Iterable[int]) -> Iterator[Kept]:
    listed = ",".join(str(int(key)) for key in ids)
    if not listed:
        return
    sql = f"SELECT {', '.join(COLUMNS)} FROM call_record WHERE id IN ({listed})"  # noqa: S608
    for row in connection.exec_driver_sql(sql):
        yield Kept._make(row)


Sums = dict[tuple[object, ...], list[int]]


def count(connection: Connection, sides: Iterable[tuple[Kept, int]]) -> None:
    """Add records to what is counted by day, month, hour and step, or take them off."""
    days: Sums = {}
    months: Sums = {}
    hours: Sums = {}
    steps: Sums = {}
    for row, by in sides:
        answered = by if row.answered else 0
        amounts = (by, answered, by * row.talk, by * row.ring, by * row.included, by * row.cost)
        whose = row.site, row.trunk, row.holder_kind
        day = row.number, row.day, *whose, row.holder_id, row.direction, row.currency
        _add(days, day, amounts)
        paid = row.cost_centre, row.account, row.direction, row.currency
        _add(months, (row.day[:7], *whose, *paid), amounts)
        _add_hours(hours, row, by, answered)
        if row.way:
            _add_steps(steps, row, by)
    for table, sums in (
        (spend.usage_day, days),
        (spend.usage_month, months),
        (spend.usage_hour, hours),
        (spend.step_use, steps),
    ):
        _add_sums(connection, table, sums)


def _add(sums: Sums, key: tuple[object, ...], amounts: Sequence[int]) -> None:
    known = sums.get(key)
    if known is None:
        sums[key] = list(amounts)
        return
    for i, amount in enumerate(amounts):
        known[i] += amount


def _add_hours(hours: Sums, row: Kept, by: int, answered: int) -> None:
    """A call takes a channel from its first ring on, in each hour that it touches."""
    begins, ends = row.started, row.started + row.ring + row.talk
    hour = begins // HOUR
    _add(hours, (hour, row.site, row.trunk, row.direction), (by, answered, 0))
    while begins < ends:
        until = min(ends, (hour + 1) * HOUR)
        key = hour, row.site, row.trunk, row.direction
        _add(hours, key, (0, 0, by * (until - begins)))
        begins, hour = until, hour + 1


def _add_steps(steps: Sums, row: Kept, by: int) -> None:
    """Each step once for a call that comes to it, those of paths that have a name."""
    for passed in read_way(row.way):
        if passed.path:
            key = passed.path, row.day, passed.step, passed.exit
            _add(steps, key, (by, by * passed.seconds))


def _add_sums(connection: Connection, table: Table, sums: Sums) -> None:
    """Rows whose calls come to nothing go."""
    keys = [column.name for column in table.primary_key.columns]
    values = [column.name for column in table.c if column.name not in keys]
    if not sums:
        return
    sets = ", ".join(f"{name} = {name} + excluded.{name}" for name in values)
    sql = (
        f"INSERT INTO {table.name} ({', '.join([*keys, *values])})"  # noqa: S608
        f" VALUES ({', '.join('?' * (len(keys) + len(values)))})"
        f" ON CONFLICT ({', '.join(keys)}) DO UPDATE SET {sets}"
    )
    raw = raw_of(connection)
    raw.executemany(sql, [(*key, *amounts) for key, amounts in sums.items()])
    if any(amounts[0] < 0 for amounts in sums.values()):
        spent = [table.c[name] == 0 for name in values]
        connection.execute(delete(table).where(*spent))


def steps_used(
    connection: Connection, path: str, since: str, until: str
) -> dict[tuple[str, str], tuple[int, int]]:
    """For each step and exit of a path how many calls, and how many seconds they were there, on
    days from `since` to `until` (ISO 8601)."""
    table = spend.step_use
    query = (
        select(table.c.step, table.c.exit, func.sum(table.c.calls), func.sum(table.c.seconds))
        .where(table.c.path == path, table.c.day.between(since, until))
        .group_by(table.c.step, table.c.exit)
    )
    return {(step, way): (n, seconds) for step, way, n, seconds in connection.execute(query)}


class HeldNumbers:
    """Who had which number when, read as it is asked for."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self.known: dict[int, list[Held]] = {}

    def __call__(self, number: int, at: int) -> Held:
        spans = self.known.get(number)
        if spans is None:
            spans = self.known[number] = self._read(number)
        for span in reversed(spans):
            if span.since <= at:
                return span if at < span.until else span._replace(holder_kind="", holder_id="")
        return spans[0]._replace(holder_kind="", holder_id="") if spans else NOBODY

    def _read(self, number: int) -> list[Held]:
        table = spend.fee_span
        query = (
            select(
                table.c.since,
                table.c.until,
                table.c.site,
                table.c.holder_kind,
                table.c.holder_id,
                table.c.cost_centre,
                table.c.account,
                table.c.carrier,
            )
            .where(table.c.number == number)
            .order_by(table.c.since, table.c.id)
        )
        return [
            Held(_seconds(since, 0), _seconds(until, float("inf")), *rest)
            for since, until, *rest in self.connection.execute(query)
        ]


def _seconds(moment: datetime | None, otherwise: float) -> float:
    return moment.timestamp() if moment else otherwise


def legs_to_rate(connection: Connection, month: Month) -> Iterator[tuple[Leg, Kept]]:
    """The calls out and forwards of a month, by the days of their sites, in the order of the calls,
    with what they were rated as before."""
    table = spend.call_record
    query = (
        select(table)
        .where(
            table.c.started >= int((month.starts - EDGE).timestamp()),
            table.c.started < int((month.ends + EDGE).timestamp()),
            table.c.direction != Direction.IN.value,
            table.c.day.between(month.first.isoformat(), month.last.isoformat()),
        )
        .order_by(table.c.started, table.c.id)
    )
    for found in connection.execute(query):
        row = Kept._make(found)
        holder = f"{row.holder_kind}:{row.holder_id}"
        leg = Leg(
            row.id,
            row.started,
            f"+{row.number}",
            row.other,
            row.direction,
            row.trunk,
            holder,
            row.talk,
            row.day,
        )
        yield leg, row


def keep_rated(connection: Connection, changed: Sequence[tuple[Kept, Rated]]) -> None:
    """Write what was rated anew; each must still be as it was read, else it is left for the next
    time."""
    if not changed:
        return
    table = spend.call_record
    now = {row.id: row for row in _by_id(connection, (row.id for row, _ in changed))}
    same = [(row, rated) for row, rated in changed if now.get(row.id) == row]
    if not same:
        return
    after = [
        row._replace(included=r.included, cost=r.cost, currency=r.currency, priced_by=r.by[:120])
        for row, r in same
    ]
    connection.execute(
        update(table)
        .where(table.c.id == bindparam("of"))
        .values(
            included=bindparam("i"),
            cost=bindparam("c"),
            currency=bindparam("m"),
            priced_by=bindparam("p"),
        ),
        [
            {"of": r.id, "i": r.included, "c": r.cost, "m": r.currency, "p": r.priced_by}
            for r in after
        ],
    )
    moved = [(row, -1) for row, _ in same] + [(row, 1) for row in after]
    count(connection, moved)


def forget_before(connection: Connection, moment: datetime) -> int:
    """Take away records that began before a moment; what is counted of them stays. How many."""
    table = spend.call_record
    done = connection.execute(delete(table).where(table.c.started < int(moment.timestamp())))
    return done.rowcount


def latest(connection: Connection) -> datetime | None:
    """When the last known call began."""
    table = spend.call_record
    found = connection.execute(
        select(table.c.started).order_by(table.c.started.desc()).limit(1)
    ).scalar()
    return datetime.fromtimestamp(found, UTC) if found is not None else None


def of_number(
    connection: Connection, number: int, *, since: int = 0, limit: int = 50
) -> list[Kept]:
    """The last records of a number, newest first."""
    table = spend.call_record
    query = (
        select(table)
        .where(table.c.number == number, table.c.started >= since)
        .order_by(table.c.started.desc())
        .limit(limit)
    )
    return [Kept._make(row) for row in connection.execute(query)]
