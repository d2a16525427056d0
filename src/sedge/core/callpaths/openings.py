"""When it is open: an hours step, or a person's own hours, at a moment. First match wins: holiday,
closure, opening.

Times are local to a time zone, so an hour can be missing or come twice where the clocks change; a
moment is always one of them.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from sedge.core.callpaths.steps import Closure, Hours, Opening
from sedge.core.numbers.plan import COUNTRIES

DAY = 24 * 60


@dataclass(frozen=True)
class Calendar:
    """`week` has for each weekday the minutes (from, to) in which it is open, those of a night
    before included."""

    timezone: str
    week: tuple[tuple[tuple[int, int], ...], ...]
    closures: tuple[Closure, ...] = ()
    holidays_of: str = ""

    def exit_on(self, day: date, minute: int) -> str:
        """open, closed or holiday at a local minute of a day."""
        whole_day = self.whole_day(day)
        if whole_day:
            return whole_day
        return (
            "open"
            if any(start <= minute < end for start, end in self.week[day.weekday()])
            else "closed"
        )

    def whole_day(self, day: date) -> str:
        """holiday or closed where that goes for the whole day, else ''."""
        if self.holidays_of and day in holidays_of(self.holidays_of, day.year):
            return "holiday"
        return "closed" if closure_on(self.closures, day) else ""

    def exit_at(self, at: datetime) -> str:
        local = at.astimezone(zone(self.timezone))
        return self.exit_on(local.date(), local.hour * 60 + local.minute)

    def minutes(self) -> set[int]:
        """The local minutes of a day at which something may change."""
        return {
            0,
            *(minute for day in self.week for span in day for minute in span if minute < DAY),
        }


@lru_cache(maxsize=64)
def zone(name: str) -> ZoneInfo:
    return ZoneInfo(name)


@lru_cache(maxsize=256)
def calendar_of(
    timezone: str,
    openings: tuple[Opening, ...],
    closures: tuple[Closure, ...] = (),
    holidays: str = "",
) -> Calendar:
    days: list[list[tuple[int, int]]] = [[] for _ in range(7)]
    for opening in openings:
        start, end = minute_of(opening.start), minute_of(opening.end)
        for weekday in opening.weekdays:
            if end > start:
                days[weekday].append((start, end))
            else:  # over midnight
                days[weekday].append((start, DAY))
                if end:
                    days[(weekday + 1) % 7].append((0, end))
    return Calendar(timezone, tuple(tuple(sorted(spans)) for spans in days), closures, holidays)


def calendar(step: Hours) -> Calendar:
    return calendar_of(step.timezone, step.openings, step.closures, step.holidays_of)


def minute_of(clock: str) -> int:
    hour, minute = clock.split(":")
    return int(hour) * 60 + int(minute)


def clock_of(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"


@lru_cache(maxsize=32)
def holiday_places(country: str) -> tuple[tuple[str, str], ...]:
    """Where public holidays can differ, with names: the country, or its subdivisions (ISO
    3166-2)."""
    import holidays

    of = holidays.country_holidays(country)
    names = {code: name for name, code in of.subdivisions_aliases.items()}
    places = [(f"{country}-{part}", names.get(part, part)) for part in of.subdivisions]
    return tuple(sorted(places, key=lambda place: place[1])) or (
        (country, COUNTRIES[country].name),
    )


@lru_cache(maxsize=256)
def holidays_of(place: str, year: int) -> dict[date, str]:
    """Public holidays of a country or subdivision (ISO 3166) in a year; none where the place is not
    known."""
    import holidays

    country, _, subdivision = place.partition("-")
    of = getattr(holidays, country, None) if country in COUNTRIES else None
    if of is None or (subdivision and subdivision not in of.subdivisions):
        return {}
    return dict(of(subdiv=subdivision or None, years=year))


def closure_on(closures: Iterable[Closure], day: date) -> Closure | None:
    return next((c for c in closures if _covers(c, day)), None)


def _covers(closure: Closure, day: date) -> bool:
    if not closure.yearly:
        return closure.first <= day <= closure.last
    first, last, this = ((d.month, d.day) for d in (closure.first, closure.last, day))
    return first <= this <= last if first <= last else this >= first or this <= last


def opening_at(step: Hours, at: datetime) -> tuple[str, str]:
    """The exit of an hours step at a moment and the reason in words."""
    local = at.astimezone(zone(step.timezone))
    day = f"{local:%A} {local:%H:%M}"
    if step.holidays_of and (name := holidays_of(step.holidays_of, local.year).get(local.date())):
        return "holiday", f"{day} is {name}."
    if closure := closure_on(step.closures, local.date()):
        return "closed", f"Closure: {closure.name}."
    minute = local.hour * 60 + local.minute
    for opening in step.openings:
        if weekday := _within(opening, local.weekday(), minute):
            return "open", f"{weekday} {opening.start} to {opening.end}, no closure today."
    today = [o for o in step.openings if local.weekday() in o.weekdays]
    if today:
        return (
            "closed",
            f"{day}; open {' and '.join(f'{o.start} to {o.end}' for o in today)} on this day.",
        )
    return "closed", f"{day}; closed all {local:%A}."


DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def _within(opening: Opening, weekday: int, minute: int) -> str:
    """The weekday on which an opening that covers this minute began, or ''."""
    start, end = minute_of(opening.start), minute_of(opening.end)
    if end > start:
        return DAYS[weekday] if weekday in opening.weekdays and start <= minute < end else ""
    if weekday in opening.weekdays and minute >= start:
        return DAYS[weekday]
    before = (weekday - 1) % 7
    return DAYS[before] if before in opening.weekdays and minute < end else ""


def overlapping(openings: tuple[Opening, ...]) -> tuple[Opening, Opening] | None:
    """Two openings that are open at the same minute of a week, if there are any."""
    for i, one in enumerate(openings):
        for other in openings[i + 1 :]:
            mine, theirs = calendar_of("UTC", (one,)).week, calendar_of("UTC", (other,)).week
            if any(
                a < d and c < b
                for day, others in zip(mine, theirs, strict=True)
                for a, b in day
                for c, d in others
            ):
                return one, other
    return None


def moments(calendars: Iterable[Calendar], since: datetime, days: int = 366) -> list[datetime]:
    """Moments that stand for all moments of the coming days: between two of them no calendar
    changes.

    One day of each kind is taken, so a year is some dozens of moments: days are alike where
    weekday, closures, holidays and the zones' offsets from UTC are.
    """
    known = sorted(set(calendars), key=repr)
    if not known:
        return [since]
    found: dict[datetime, None] = {since: None}
    kinds: set[tuple[object, ...]] = set()
    zones = sorted({c.timezone for c in known})
    minutes = {
        name: sorted(set().union(*(c.minutes() for c in known if c.timezone == name)))
        for name in zones
    }
    start = since.astimezone(zone(zones[0])).date()
    for ahead in range(days):
        day = start + timedelta(days=ahead)
        kind = (
            day.weekday(),
            tuple(c.whole_day(day) for c in known),
            tuple(_offsets(name, day) for name in zones),
        )
        if kind in kinds:
            continue
        kinds.add(kind)
        for name in zones:
            for minute in minutes[name]:
                for moment in local_moments(day, minute, name):
                    if moment >= since:
                        found[moment] = None
    return sorted(found)


def _offsets(name: str, day: date) -> tuple[timedelta | None, timedelta | None]:
    """A zone's offsets at both ends of a day; `local_moments` finds the same minutes on days where
    they agree."""
    noon = datetime(day.year, day.month, day.day, tzinfo=zone(name))
    return noon.utcoffset(), (noon + timedelta(days=1)).utcoffset()


@lru_cache(maxsize=20_000)
def local_moments(day: date, minute: int, timezone: str) -> tuple[datetime, ...]:
    """The moments (UTC) at which clocks of a zone show this minute of a day: one, none where the
    hour is left out, two where it comes twice."""
    local = datetime(day.year, day.month, day.day, minute // 60, minute % 60, tzinfo=zone(timezone))
    both = [local.replace(fold=fold).astimezone(UTC) for fold in (0, 1)]
    there = [
        m
        for m in dict.fromkeys(both)
        if m.astimezone(zone(timezone)).replace(tzinfo=None) == local.replace(tzinfo=None)
    ]
    return tuple(sorted(there))
