"""Use: calls and minutes by number, holder, site, trunk, day and hour."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, Table, func, select

from sedge.core.callpaths.steps import Path
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.records import PathVersion, Person, ServiceLine, Site, Trunk
from sedge.core.spend.call_legs import Direction
from sedge.core.spend.step_use import StepUse, use_of_steps
from sedge.core.spend.usage import Use, erlangs
from sedge.services.context import Context, Reading
from sedge.store.repositories.spend import calls, quiet_numbers
from sedge.store.repositories.spend.calls import Kept
from sedge.store.schema import spend

GROUPS = ("number", "holder", "site", "trunk", "hour", "day", "direction")
MOST_ROWS = 1000
MOST_DAYS = 800
WEEK = 7
SUMS = ("calls", "answered", "talk", "ring", "included", "cost")


@dataclass(frozen=True)
class UsedBy:
    """One row: `key` as the interface has it, `name` as people know it."""

    key: str
    name: str
    use: Use
    currencies: tuple[str, ...] = ()


def read_days(context: Context, since: str, until: str) -> tuple[date, date]:
    """Both days included; the last 30 where none is said. Raises NotUnderstood."""
    today = (
        context.now().astimezone(context.installation.home_zone(context.who.organisation)).date()
    )
    last = _day(until, "to") if until else today
    first = _day(since, "from") if since else last - timedelta(days=29)
    if first > last:
        raise NotUnderstood("The first day is after the last one.", field="from")
    if (last - first).days > MOST_DAYS:
        raise NotUnderstood(f"At most {MOST_DAYS} days can be asked for.", field="from")
    return first, last


def _day(text: str, field: str) -> date:
    try:
        return date.fromisoformat(text.strip()[:10])
    except ValueError:
        message = f"“{text[:20]}” is no day: type one such as 2026-11-01."
        raise NotUnderstood(message, field=field, reason="day") from None


def usage(context: Context, by: str, first: date, last: date, *, site: str = "") -> list[UsedBy]:
    """The most used first (hours and days in their order). Raises NotUnderstood."""
    if by not in GROUPS:
        message = f"“{by[:20]}” is no group: choose {', '.join(GROUPS)}."
        raise NotUnderstood(message, field="by", reason="group")
    with context.reading() as reading:
        if by == "hour":
            return _by_hour(context, reading, first, last, site)
        rows = _grouped(reading, by, first, last, site)
        names = _names(reading, by, [key for key, _ in rows])
    found = [UsedBy(key, names.get(key) or key or _nobody(by), use) for key, use in rows]
    return sorted(found, key=lambda r: r.key) if by == "day" else found


def _nobody(by: str) -> str:
    return {"holder": "nobody", "site": "no site", "trunk": "trunk not told"}.get(by, "")


def _sums(table: Table) -> list[ColumnElement[int]]:
    return [func.sum(table.c[name]) for name in SUMS]


def _grouped(
    reading: Reading, by: str, first: date, last: date, site: str
) -> list[tuple[str, Use]]:
    table = spend.usage_day
    columns: dict[str, list[Any]] = {
        "number": [table.c.number],
        "holder": [table.c.holder_kind, table.c.holder_id],
        "site": [table.c.site],
        "trunk": [table.c.trunk],
        "day": [table.c.day],
        "direction": [table.c.direction],
    }
    group = columns[by]
    query: Any = (
        select(*group, *_sums(table))
        .where(table.c.day.between(first.isoformat(), last.isoformat()))
        .group_by(*group)
        .order_by(func.sum(table.c.calls).desc(), *group)
        .limit(MOST_ROWS)
    )
    if site:
        query = query.where(table.c.site == site)
    found: list[tuple[str, Use]] = []
    for row in reading.connection.execute(query):
        key, sums = row[: len(group)], row[len(group) :]
        found.append((_key(by, key), Use(*sums)))
    return found


def _key(by: str, parts: Sequence[object]) -> str:
    if by == "number":
        return f"+{parts[0]}"
    if by == "holder":
        return f"{parts[0]}:{parts[1]}" if parts[1] else ""
    return str(parts[0])


def _names(reading: Reading, by: str, keys: Sequence[str]) -> dict[str, str]:
    records = reading.records
    match by:
        case "site":
            return {s.id: s.name for s in records.many(Site, keys)}
        case "trunk":
            return {x.id: x.name for x in records.many(Trunk, keys)}
        case "holder":
            return holder_names(reading, keys)
    return {}


def of_steps(context: Context, path: str, first: date, last: date) -> list[StepUse]:
    """How the steps of a call path were used, as the telephone system recorded it, in the order in
    which calls come to them. Raises NotFound."""
    with context.reading() as reading:
        published = reading.records.the(PathVersion, path)
        counted = calls.steps_used(reading.connection, path, first.isoformat(), last.isoformat())
    return use_of_steps(Path.model_validate(published.body), counted)


def holder_names(reading: Reading, keys: Sequence[str]) -> dict[str, str]:
    """Names of holders by `kind:id`."""
    found: dict[str, str] = {}
    kinds: tuple[tuple[HolderKind, type[Person | ServiceLine | Site]], ...] = (
        (HolderKind.PERSON, Person),
        (HolderKind.SERVICE_LINE, ServiceLine),
        (HolderKind.SITE, Site),
    )
    for kind, record_type in kinds:
        mine = [key.partition(":")[2] for key in keys if key.startswith(f"{kind.value}:")]
        found |= {f"{kind.value}:{r.id}": r.name for r in reading.records.many(record_type, mine)}
    return found


def _by_hour(
    context: Context, reading: Reading, first: date, last: date, site: str
) -> list[UsedBy]:
    """The 24 hours of the day, in the time of the site, or of the home country."""
    zone = _zone(context, reading, site)
    begins = datetime(first.year, first.month, first.day, tzinfo=zone)
    ends = datetime(last.year, last.month, last.day, tzinfo=zone) + timedelta(days=1)
    table = spend.usage_hour
    query = (
        select(table.c.hour, func.sum(table.c.calls), func.sum(table.c.answered))
        .where(
            table.c.hour >= int(begins.timestamp()) // 3600,
            table.c.hour < int(ends.timestamp()) // 3600,
        )
        .group_by(table.c.hour)
    )
    if site:
        query = query.where(table.c.site == site)
    hours = [Use() for _ in range(24)]
    for hour, count, answered in reading.connection.execute(query):
        local = datetime.fromtimestamp(hour * 3600, zone).hour
        hours[local] += Use(calls=count, answered=answered)
    return [UsedBy(f"{i:02d}", f"{i:02d}:00", use) for i, use in enumerate(hours)]


def _zone(context: Context, reading: Reading, site: str) -> ZoneInfo:
    if site:
        return ZoneInfo(reading.records.the(Site, site).timezone)
    return context.installation.home_zone(context.who.organisation)


@dataclass(frozen=True)
class NumberYear:
    """A year of a number's calls by day, its sums by direction, and its last calls; `known_from` is
    the first day of which any record is known."""

    number: str
    first: date
    last: date
    days: dict[date, Use]
    directions: dict[str, Use]
    latest: list[Kept]
    currency: str
    known_from: date | None

    @property
    def whole(self) -> Use:
        return sum(self.directions.values(), Use())


def year_of(context: Context, e164: str) -> NumberYear:
    """The year up to today."""
    last = context.now().astimezone(context.installation.home_zone(context.who.organisation)).date()
    first = last - timedelta(days=364)
    table = spend.usage_day
    columns = [table.c[name] for name in SUMS]
    query: Any = select(table.c.day, table.c.direction, table.c.currency, *columns).where(
        table.c.number == int(e164), table.c.day >= first.isoformat()
    )
    days: dict[date, Use] = {}
    directions = {direction.value: Use() for direction in Direction}
    currencies: set[str] = set()
    with context.reading() as reading:
        for row in reading.connection.execute(query):
            told: Sequence[Any] = tuple(row)
            (day, direction, currency), use = told[:3], Use(*told[3:])
            at = date.fromisoformat(day)
            days[at] = days.get(at, Use()) + use
            directions[direction] += use
            currencies |= {currency} if currency else set()
        latest = calls.of_number(reading.connection, int(e164))
        begins = reading.connection.execute(select(func.min(table.c.day))).scalar()
    known = date.fromisoformat(begins) if begins else None
    currency = next(iter(currencies), "")
    return NumberYear(e164, first, last, days, directions, latest, currency, known)


def not_called(context: Context, days: int, *, limit: int = MOST_ROWS) -> list[str]:
    """Numbers in use that nobody has called, and that called nobody, for so many days; none where
    the records do not reach back so far."""
    with context.reading() as reading:
        since = (reading.now - timedelta(days=days)).date()
        return quiet_numbers.not_called(reading.connection, since, limit=limit)


@dataclass(frozen=True)
class TrunkUse:
    """A trunk's last week of calls as evidence: when the last one came in and went out, how many
    were answered, and the erlangs of its busiest hour on each of the last days."""

    last_in: datetime | None
    last_out: datetime | None
    week: Use
    busy_hours: list[tuple[date, float]]

    @property
    def usual_peak(self) -> float:
        """The mean of the days' busy hours, in erlangs."""
        peaks = [load for _, load in self.busy_hours]
        return sum(peaks) / len(peaks) if peaks else 0.0


def of_trunk(context: Context, trunk: str, *, days: int = 28) -> TrunkUse:
    """What is known of a trunk's calls; working days alone count for its busy hours."""
    hour, record = spend.usage_hour, spend.call_record
    now = int(context.now().timestamp())
    with context.reading() as reading:
        read = reading.connection.execute
        loads = read(
            select(hour.c.hour, func.sum(hour.c.busy))
            .where(hour.c.trunk == trunk, hour.c.hour >= now // 3600 - days * 24)
            .group_by(hour.c.hour)
        ).all()
        week = read(
            select(func.sum(hour.c.calls), func.sum(hour.c.answered)).where(
                hour.c.trunk == trunk, hour.c.hour >= now // 3600 - WEEK * 24
            )
        ).one()
        last = {
            direction: read(
                select(func.max(record.c.started)).where(
                    record.c.trunk == trunk,
                    record.c.direction.in_(directions),
                    record.c.started >= now - days * 86400,
                )
            ).scalar()
            for direction, directions in (("in", ("in",)), ("out", ("out", "forward")))
        }
    busiest = _busiest((at, busy) for at, busy in loads)
    return TrunkUse(
        _moment(last["in"]),
        _moment(last["out"]),
        Use(calls=week[0] or 0, answered=week[1] or 0),
        sorted(busiest.items()),
    )


def peaks(context: Context, *, days: int = 28) -> dict[str, float]:
    """The mean busy hour of each trunk over the last working days, in erlangs."""
    hour = spend.usage_hour
    now = int(context.now().timestamp())
    query = (
        select(hour.c.trunk, hour.c.hour, func.sum(hour.c.busy))
        .where(hour.c.trunk != "", hour.c.hour >= now // 3600 - days * 24)
        .group_by(hour.c.trunk, hour.c.hour)
    )
    by_trunk: dict[str, list[tuple[int, int]]] = {}
    with context.reading() as reading:
        for trunk, at, busy in reading.connection.execute(query):
            by_trunk.setdefault(trunk, []).append((at, busy))
    found = {trunk: list(_busiest(loads).values()) for trunk, loads in by_trunk.items()}
    return {trunk: sum(loads) / len(loads) for trunk, loads in found.items() if loads}


def _busiest(loads: Iterable[tuple[int, int]]) -> dict[date, float]:
    """The busiest hour of each working day, in erlangs."""
    found: dict[date, float] = {}
    for at, busy in loads:
        day = datetime.fromtimestamp(at * 3600, UTC).date()
        if day.isoweekday() < 6:
            found[day] = max(found.get(day, 0.0), erlangs(busy))
    return found


def _moment(seconds: int | None) -> datetime | None:
    return datetime.fromtimestamp(seconds, UTC) if seconds is not None else None
