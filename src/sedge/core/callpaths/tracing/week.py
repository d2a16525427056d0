"""A week of calls: for every hour what a caller comes to when all is as usual, whatever they choose
in a menu.

Between two moments at which some hours open or close, every call ends alike; so a week is some
dozens of calls that are really followed.
"""

import heapq
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from functools import lru_cache
from itertools import pairwise

from sedge.core.callpaths.openings import Calendar, holidays_of, local_moments, zone
from sedge.core.callpaths.steps import Exit, Hours, Path
from sedge.core.callpaths.tracing.behaviours.behaviour import Outcome
from sedge.core.callpaths.tracing.behaviours.kinds import behaviour_of
from sedge.core.callpaths.tracing.behaviours.menu import keys_wanted
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.endings import Explorer
from sedge.core.callpaths.tracing.walk import follow_path
from sedge.core.callpaths.tracing.world import Asked, Called, EndingKind, Trace, World
from sedge.core.estate import Estate

LONG_WAIT, MOST_SECONDS = 120, 10**6
MOST_BRANCHES = 64


class Grade(StrEnum):
    """How a call ends, for the callers of an hour taken together."""

    SOMEBODY = "somebody answers"
    SLOWLY = "somebody answers after more than 2 minutes"
    SOME = "some choices are answered"
    OUTSIDE = "goes outside"
    MESSAGE = "mailbox"
    TOLD = "an announcement"
    NOBODY = "hung up"
    UNKNOWN = "no such hour"

    @property
    def answered(self) -> bool:
        return self in {Grade.SOMEBODY, Grade.SLOWLY, Grade.OUTSIDE}


@dataclass(frozen=True)
class Part:
    """From `start` up to `end` every call has this grade. Both are moments (UTC)."""

    start: datetime
    end: datetime
    grade: Grade


@dataclass(frozen=True)
class Cell:
    """One hour of the local clock. Where the clocks go forward it has no part, where they go back
    its parts last two hours."""

    hour: int
    parts: tuple[Part, ...]

    @property
    def grade(self) -> Grade:
        """What most of the hour is like."""
        lasting: dict[Grade, timedelta] = {}
        for part in self.parts:
            lasting[part.grade] = lasting.get(part.grade, timedelta()) + (part.end - part.start)
        return max(lasting, key=lambda g: lasting[g]) if lasting else Grade.UNKNOWN


@dataclass(frozen=True)
class Day:
    day: date
    cells: tuple[Cell, ...]
    holiday: str = ""


@dataclass(frozen=True)
class Week:
    timezone: str
    days: tuple[Day, ...]

    def grade_at(self, at: datetime) -> Grade:
        """What the picture says of a moment of its week."""
        local = at.astimezone(zone(self.timezone))
        day = next(d for d in self.days if d.day == local.date())
        return next(
            (p.grade for p in day.cells[local.hour].parts if p.start <= at < p.end), Grade.UNKNOWN
        )


def traces_at(
    called: Called, path: Path, at: datetime, estate: Estate, draft: dict[str, Path] | None = None
) -> list[Trace]:
    """The calls of all callers at a moment: one for each thing that can be chosen in the menus;
    everybody who can answer does, after 6 s. Who comes back to a menu has had every choice there;
    64 calls at most."""
    found: list[Trace] = []
    waiting: list[tuple[str, ...]] = [()]
    while waiting and len(found) < MOST_BRANCHES:
        choices = waiting.pop(0)
        trace = follow_path(Call(Asked(called, at, World(choices=choices)), estate, draft), path)
        if trace.ending.kind is not EndingKind.OPEN:
            found.append(trace)
            continue
        if not any(o.choice == Exit.NO_INPUT for o in trace.options):
            waiting.append((*choices, trace.options[0].choice))
        elif trace.ending.step not in {step for step, _ in trace.way}:
            waiting += [(*choices, key) for key in keys_wanted([o.choice for o in trace.options])]
    return found


def grade_of(kinds: Iterable[EndingKind], quickest: int) -> Grade:
    """The grade of calls that end in these ways; `quickest` is after how many seconds the first of
    them is answered."""
    ends = set(kinds)
    if ends == {EndingKind.ANSWERED}:
        return Grade.SLOWLY if quickest > LONG_WAIT else Grade.SOMEBODY
    if ends and ends <= {EndingKind.ANSWERED, EndingKind.FORWARDED}:
        return Grade.OUTSIDE
    if ends & {EndingKind.ANSWERED, EndingKind.FORWARDED}:
        return Grade.SOME
    for kind, grade in ((EndingKind.MAILBOX, Grade.MESSAGE), (EndingKind.ANNOUNCED, Grade.TOLD)):
        if kind in ends:
            return grade
    return Grade.NOBODY


def grade_of_traces(traces: Sequence[Trace]) -> Grade:
    quickest = min(
        (_answered_after(t) for t in traces if t.ending.kind is EndingKind.ANSWERED), default=0
    )
    return grade_of((t.ending.kind for t in traces), quickest)


def _answered_after(trace: Trace) -> int:
    """When the phone that was answered began to ring."""
    return next(h.at for h in reversed(trace.happenings) if h.exit == "answered")


class Grader:
    """Grades of one path, each combination of open and closed worked out once: all steps that
    callers come to, the nearest first."""

    def __init__(
        self, called: Called, path: Path, estate: Estate, draft: dict[str, Path] | None = None
    ) -> None:
        self.explorer = Explorer(called, path, estate, draft)
        self.calendars = self.explorer.calendars()
        self.hours = [
            node.step for node in self.explorer.nodes.values() if isinstance(node.step, Hours)
        ]
        self._known: dict[tuple[str, ...], Grade] = {}

    def __call__(self, at: datetime) -> Grade:
        state = {c: c.exit_at(at) for c in self.calendars}
        signature = tuple(state.values())
        if signature not in self._known:
            self._known[signature] = self._work_out(at, state)
        return self._known[signature]

    def _work_out(self, at: datetime, state: dict[Calendar, str]) -> Grade:
        nodes, first = self.explorer.nodes, self.explorer.first
        ends: list[EndingKind] = []
        quickest = MOST_SECONDS
        waiting, done = [(0, first)], set[str]()
        while waiting:
            seconds, key = heapq.heappop(waiting)
            if key in done:
                continue
            done.add(key)
            node = nodes[key]
            for outcome in self._usual(key, at, state):
                target = node.exits.get(outcome.exit) if outcome.exit and not outcome.ends else None
                if target is not None:
                    lasting = behaviour_of(node.step).lasting(node.step)
                    heapq.heappush(waiting, (seconds + lasting, target))
                    continue
                kind = outcome.ends or behaviour_of(node.step).over
                ends.append(kind)
                if kind is EndingKind.ANSWERED:
                    quickest = min(quickest, seconds)
        return grade_of(ends, quickest)

    def _usual(self, key: str, at: datetime, state: dict[Calendar, str]) -> list[Outcome]:
        """What happens at a step when all is as usual."""
        step = self.explorer.nodes[key].step
        return behaviour_of(step).usual(self.explorer.outcomes(key, at, state))


def week_of(grader: Grader, monday: date, timezone: str) -> Week:
    """Seven days from `monday` on, hour by hour of the local clock, cut where some hours open or
    close."""
    spans = _spans(grader.calendars, monday, timezone)
    graded = _joined([Part(start, end, grader(start)) for start, end in spans])
    days = []
    for ahead, hours in enumerate(_hours(monday, timezone)):
        day = monday + timedelta(days=ahead)
        days.append(
            Day(
                day,
                tuple(_cell(hour, spans, graded) for hour, spans in enumerate(hours)),
                _holiday(grader.hours, day),
            )
        )
    return Week(timezone, tuple(days))


def _holiday(hours: Iterable[Hours], day: date) -> str:
    return next(
        (
            name
            for h in hours
            if h.holidays_of and (name := holidays_of(h.holidays_of, day.year).get(day))
        ),
        "",
    )


def _spans(
    calendars: Iterable[Calendar], monday: date, timezone: str
) -> list[tuple[datetime, datetime]]:
    """The stretches of the week within which no calendar changes."""
    begin, end = midnight(monday, timezone), midnight(monday + timedelta(days=7), timezone)
    cuts = {begin, end}
    for c in calendars:
        for ahead in range(-1, 9):
            day = monday + timedelta(days=ahead)
            for minute in c.minutes():
                cuts.update(m for m in local_moments(day, minute, c.timezone) if begin < m < end)
        cuts.update(m for m in _clock_changes(c.timezone, begin, end) if begin < m < end)
    ordered = sorted(cuts)
    return list(pairwise(ordered))


@lru_cache(maxsize=64)
def _clock_changes(timezone: str, begin: datetime, end: datetime) -> list[datetime]:
    """When the clocks of a zone change, to the hour."""
    found: list[datetime] = []
    at = begin
    while at < end:
        if (at + timedelta(hours=1)).astimezone(zone(timezone)).utcoffset() != at.astimezone(
            zone(timezone)
        ).utcoffset():
            found.append(at + timedelta(hours=1))
        at += timedelta(hours=1)
    return found


def midnight(day: date, timezone: str) -> datetime:
    """When a day begins there; where midnight is left out, the first moment after it."""
    there = local_moments(day, 0, timezone)
    return (
        there[0]
        if there
        else datetime(day.year, day.month, day.day, tzinfo=zone(timezone)).astimezone(UTC)
    )


def _joined(parts: list[Part]) -> list[Part]:
    """Neighbours of one grade as one part."""
    out: list[Part] = []
    for part in parts:
        if out and out[-1].grade is part.grade and out[-1].end == part.start:
            out[-1] = Part(out[-1].start, part.end, part.grade)
        else:
            out.append(part)
    return out


@lru_cache(maxsize=64)
def _hours(
    monday: date, timezone: str
) -> tuple[tuple[tuple[tuple[datetime, datetime], ...], ...], ...]:
    """For each day of a week and each hour of its clock the stretches of time it is: none where it
    is left out, two hours where it comes twice."""
    days = []
    for ahead in range(7):
        day = monday + timedelta(days=ahead)
        days.append(tuple(_stretches(day, hour, timezone) for hour in range(24)))
    return tuple(days)


def _stretches(day: date, hour: int, timezone: str) -> tuple[tuple[datetime, datetime], ...]:
    merged: list[tuple[datetime, datetime]] = []
    quarters = (
        m for minute in range(0, 60, 15) for m in local_moments(day, hour * 60 + minute, timezone)
    )  # clocks can change at any quarter
    for start in sorted(quarters):
        if merged and merged[-1][1] == start:
            merged[-1] = (merged[-1][0], start + timedelta(minutes=15))
        else:
            merged.append((start, start + timedelta(minutes=15)))
    return tuple(merged)


def _cell(hour: int, spans: tuple[tuple[datetime, datetime], ...], graded: list[Part]) -> Cell:
    found: list[Part] = []
    for start, end in spans:
        first = max(0, bisect_right(graded, start, key=lambda p: p.start) - 1)
        for part in graded[first:]:
            if part.start >= end:
                break
            if part.end > start:
                found.append(Part(max(start, part.start), min(end, part.end), part.grade))
    return Cell(hour, tuple(found))


def monday_of(at: datetime, timezone: str) -> date:
    """The Monday of the week a moment falls in, by the local clock."""
    local = at.astimezone(zone(timezone)).date()
    return local - timedelta(days=local.weekday())
