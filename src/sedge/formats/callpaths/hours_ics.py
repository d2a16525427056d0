"""Hours as a calendar (iCalendar, RFC 5545), out and in: openings as weekly events, closures and
holidays as days."""

from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

from sedge.core.callpaths.openings import DAY, clock_of, holidays_of, minute_of, zone
from sedge.core.callpaths.steps import Closure, Hours, Opening
from sedge.core.errors import NotUnderstood

BYDAY = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
OPEN, CLOSED, HOLIDAY = "OPEN", "CLOSED", "HOLIDAY"
FIRST_MONDAY = date(2026, 1, 5)
MOST_BYTES, MOST_EVENTS = 1_000_000, 2000


@dataclass(frozen=True)
class ReadHours:
    """`report` says what a calendar had that hours can't say."""

    openings: tuple[Opening, ...]
    closures: tuple[Closure, ...]
    timezone: str
    report: list[str] = field(default_factory=list)


def write(steps: dict[str, Hours], made: datetime, years: tuple[int, ...]) -> bytes:
    """All hours of a path as one calendar; public holidays are written out for `years`."""
    from icalendar import Calendar

    calendar = Calendar()
    calendar.add("prodid", "-//Sedge//Call path hours//EN")
    calendar.add("version", "2.0")
    for key, step in steps.items():
        for i, opening in enumerate(step.openings):
            calendar.add_component(_opening(key, i, step, opening, made))
        for i, closure in enumerate(step.closures):
            calendar.add_component(
                _days(
                    f"{key}-closed-{i}",
                    closure.first,
                    closure.last,
                    closure.name,
                    CLOSED,
                    made,
                    yearly=closure.yearly,
                )
            )
        for day, name in sorted(
            {d: n for year in years for d, n in holidays_of(step.holidays_of, year).items()}.items()
            if step.holidays_of
            else []
        ):
            calendar.add_component(
                _days(f"{key}-holiday-{day:%Y%m%d}", day, day, name, HOLIDAY, made)
            )
    calendar.add_missing_timezones()
    return calendar.to_ical()


def _event(uid: str, summary: str, category: str, made: datetime) -> Any:
    from icalendar import Event

    event = Event()
    event.add("uid", f"{uid}@sedge")
    event.add("dtstamp", made)
    event.add("summary", summary)
    event.add("categories", [category])
    return event


def _opening(key: str, i: int, step: Hours, opening: Opening, made: datetime) -> Any:
    start, end = minute_of(opening.start), minute_of(opening.end)
    first = min(opening.weekdays, default=0)
    begin = datetime.combine(
        FIRST_MONDAY + timedelta(days=first), datetime.min.time(), zone(step.timezone)
    ) + timedelta(minutes=start)
    length = end - start if end > start else DAY - start + end
    event = _event(f"{key}-open-{i}", f"{step.title}: open", OPEN, made)
    event.add("dtstart", begin)
    event.add("dtend", begin + timedelta(minutes=length))
    event.add("rrule", {"freq": "weekly", "byday": [BYDAY[d] for d in opening.weekdays]})
    return event


def _days(
    uid: str,
    first: date,
    last: date,
    name: str,
    category: str,
    made: datetime,
    *,
    yearly: bool = False,
) -> Any:
    event = _event(uid, name, category, made)
    event.add("dtstart", first)
    event.add("dtend", max(first, last) + timedelta(days=1))
    if yearly:
        event.add("rrule", {"freq": "yearly"})
    return event


def read(data: bytes) -> ReadHours:
    """Openings and closures of a calendar. Raises NotUnderstood for what is no calendar, or has
    neither."""
    from icalendar import Calendar

    if len(data) > MOST_BYTES:
        raise NotUnderstood(
            "The file has more than a million characters. Take the closures' calendar alone.",
            field="file",
            reason="too-big",
        )
    try:
        calendar = Calendar.from_ical(data)
    except (ValueError, KeyError, IndexError, AttributeError, TypeError) as error:
        raise NotUnderstood(
            f"This is no calendar that can be read: {error}.", field="file", reason="ics"
        ) from error
    found = _Found()
    for count, event in enumerate(calendar.walk("VEVENT")):
        if count >= MOST_EVENTS:
            found.report.append(f"Only the first {MOST_EVENTS:,} events were read.")
            break
        found.take(event)
    if not found.openings and not found.closures:
        raise NotUnderstood(
            "The calendar has no weekly hours and no days that are closed.",
            field="file",
            reason="nothing",
        )
    return ReadHours(tuple(found.openings), tuple(found.closures), found.timezone, found.report)


class _Found:
    def __init__(self) -> None:
        self.openings: list[Opening] = []
        self.closures: list[Closure] = []
        self.timezone = ""
        self.report: list[str] = []

    def take(self, event: Any) -> None:
        start = event.get("dtstart")
        name = str(event.get("summary", "closed"))[:80]
        categories = {str(c).upper() for c in getattr(event.get("categories"), "cats", [])}
        if start is None:
            self.report.append(f"“{name}” has no beginning and is left out.")
        elif not isinstance(start.dt, datetime):
            self._whole_days(event, name, start.dt, is_holiday=HOLIDAY in categories)
        elif str(next(iter(event.get("rrule", {}).get("freq", [])), "")).upper() == "WEEKLY":
            self._weekly(event, start.dt)
        else:
            self.report.append(
                f"“{name}” on {start.dt:%-d %B %Y} is for part of a day, once; hours can't say"
                " that, so it is left out."
            )

    def _whole_days(self, event: Any, name: str, first: date, *, is_holiday: bool) -> None:
        if is_holiday:
            return  # these come with the place whose holidays are kept
        end = event.get("dtend")
        last = (
            end.dt
            if end is not None and not isinstance(end.dt, datetime)
            else first + timedelta(days=1)
        ) - timedelta(days=1)
        yearly = str(next(iter(event.get("rrule", {}).get("freq", [])), "")).upper() == "YEARLY"
        self.closures.append(
            Closure(first=first, last=max(first, last), name=name or "closed", yearly=yearly)
        )

    def _weekly(self, event: Any, begin: datetime) -> None:
        days = [str(d).upper()[-2:] for d in event["rrule"].get("byday", [BYDAY[begin.weekday()]])]
        end = event.get("dtend")
        length = (
            (end.dt - begin)
            if end is not None
            else (event.get("duration").dt if event.get("duration") else timedelta(hours=1))
        )
        start = begin.hour * 60 + begin.minute
        until = start + int(length.total_seconds() // 60)
        self.timezone = self.timezone or str(getattr(begin.tzinfo, "key", "") or "")
        weekdays = tuple(sorted(BYDAY.index(d) for d in days if d in BYDAY))
        self.openings.append(
            Opening(
                weekdays=weekdays,
                start=clock_of(start),
                end=clock_of(until if until <= DAY else until % DAY),
            )
        )
