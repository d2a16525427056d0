"""What is computed of call paths: endings, findings, the week, the calls of a site, and
questions to the whole estate."""

from dataclasses import dataclass, field
from datetime import date, timedelta

from sedge.core.callpaths.rules import called_of
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing.endings import Endings, WayToEnd, endings_of
from sedge.core.callpaths.tracing.testcases import Verdict, run_cases
from sedge.core.callpaths.tracing.trace import path_of, trace_path
from sedge.core.callpaths.tracing.week import Grade, Grader, Week, monday_of, week_of
from sedge.core.callpaths.tracing.world import Called, Trace, World
from sedge.core.estate import Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import (
    HolderKind,
    Number,
    PathVersion,
    Person,
    Site,
    Subject,
)
from sedge.core.workorders import continuous_checks
from sedge.core.workorders.findings import Finding
from sedge.services.context import Context, Reading
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_NUMBERS = 2000  # numbers of one question that are each looked at
A_SLICE = 500


@dataclass(frozen=True)
class Ended:
    """A way to end with the call that shows it, in words."""

    way: WayToEnd
    trace: Trace

    @property
    def words(self) -> str:
        return self.trace.ending.reason


@dataclass(frozen=True)
class Analysis:
    """A path with all that is computed of it, as calls to `called` see it."""

    published: PathVersion | None
    path: Path
    called: Called
    site: Site
    endings: Endings
    ended: list[Ended]
    findings: list[Finding]
    week: Week
    verdicts: list[Verdict]
    estate: Estate


def analyse(context: Context, key: str, *, monday: date | None = None) -> Analysis:
    """The published version of a path. Raises NotFound."""
    with context.reading() as reading:
        estate = reading.estate(LoadSpec(paths={key}, path_users={key}))
        site = _site(reading, estate, key)
    published = estate.the(PathVersion, key)
    path = Path.model_validate(published.body)
    called = called_of(key, estate)[0]
    if not called.e164:
        called = Called(f"a number of {site.name}", site.id)
    return look_into(path, called, site, estate, published=published, monday=monday)


def look_into(
    path: Path,
    called: Called,
    site: Site,
    estate: Estate,
    *,
    published: PathVersion | None = None,
    monday: date | None = None,
    draft: dict[str, Path] | None = None,
) -> Analysis:
    found = endings_of(called, path, estate, draft=draft)
    ended = [
        Ended(
            way, trace_path(called, path, way.at, World(choices=way.choices), estate, draft=draft)
        )
        for way in found.ways
    ]
    week = week_of(
        Grader(called, path, estate, draft),
        monday or monday_of(estate.now, site.timezone),
        site.timezone,
    )
    findings = continuous_checks.of_path(published, estate) if published else []
    return Analysis(
        published,
        path,
        called,
        site,
        found,
        ended,
        findings,
        week,
        run_cases(called, path, estate, draft),
        estate,
    )


def _site(reading: Reading, estate: Estate, key: str) -> Site:
    number = next((n for n in estate.all(Number) if n.path == key), None)
    home = estate.get(Site, number.site) if number else None
    return home or reading.records.all(Site)[0]


# ── the week of numbers ──


@dataclass(frozen=True)
class Held:
    """An hour of the week over many numbers: how many have each grade."""

    hour: int
    counts: dict[Grade, int] = field(default_factory=dict)

    @property
    def unanswered(self) -> int:
        return sum(n for grade, n in self.counts.items() if is_unanswered(grade))


def is_unanswered(grade: Grade) -> bool:
    return not grade.answered and grade not in {Grade.SOME, Grade.UNKNOWN}


@dataclass(frozen=True)
class WeekOfMany:
    """`alike` are the weeks that differ, each with the numbers (E.164) that have it."""

    timezone: str
    days: list[tuple[date, list[Held]]]
    numbers: int
    left_out: int
    alike: list[tuple[Week, list[str]]]

    def unanswered_at(self, day: date, hour: int) -> list[tuple[str, Grade]]:
        """The numbers that nobody answers in an hour, and how their calls end, in the order of the
        numbers."""
        found: list[tuple[str, Grade]] = []
        for week, numbers in self.alike:
            grade = next(
                (c.grade for d in week.days if d.day == day for c in d.cells if c.hour == hour),
                Grade.UNKNOWN,
            )
            if is_unanswered(grade):
                found += [(e164, grade) for e164 in numbers]
        return sorted(found)


def week_of_number(context: Context, e164: str, *, monday: date | None = None) -> Week:
    """The week of one number, by its site's clock. Raises NotFound."""
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    number = estate.number(e164)
    timezone = estate.the(Site, number.site).timezone
    grader = Grader(Called.number(number), path_of(number, estate), estate)
    return week_of(grader, monday or monday_of(estate.now, timezone), timezone)


def week_of_many(
    context: Context, *, site: str = "", monday: date | None = None, most: int = 10_000
) -> WeekOfMany:
    """What is unanswered when, over the numbers in use of a site or of all sites; kept until
    something changes."""
    name = f"week {site} {monday} {most}"
    return context.installation.while_unchanged(
        context,
        name,
        lambda: _week_of_many(context, site=site, monday=monday, most=most),
        minutes=60,
    )


def _week_of_many(context: Context, *, site: str, monday: date | None, most: int) -> WeekOfMany:
    """Numbers that are alike are worked out once."""
    life = tables.life
    where = [
        is_open(),
        life.c.state == State.ASSIGNED.value,
        *([life.c.site == site] if site else []),
    ]
    with context.reading() as reading:
        home = context.installation.home_zone(context.who.organisation).key
        timezone = reading.records.the(Site, site).timezone if site else home
        begin = monday or monday_of(context.now(), timezone)
        known: dict[tuple[object, ...], Week] = {}
        many: dict[tuple[object, ...], list[str]] = {}
        seen, after = 0, 0
        while seen < most:
            numbers = reading.records.where(
                Number,
                *where,
                life.c.number > after,
                order_by=life.c.number,
                limit=min(A_SLICE, most - seen),
            )
            if not numbers:
                break
            after, seen = int(numbers[-1].e164), seen + len(numbers)
            estate = reading.estate(LoadSpec(numbers={n.e164 for n in numbers}))
            for number in numbers:
                alike = _alike(number, estate)
                many.setdefault(alike, []).append(number.e164)
                if alike not in known:
                    known[alike] = week_of(
                        Grader(Called.number(number), path_of(number, estate), estate),
                        begin,
                        timezone,
                    )
        later = (*where, life.c.number > after)
        rest = reading.records.where(Number, *later, limit=1) if seen >= most else []
        left_out = len(rest)
    counts = {alike: len(numbers) for alike, numbers in many.items()}
    return WeekOfMany(
        timezone,
        _summed(known, counts, begin),
        seen,
        left_out,
        [(week, many[alike]) for alike, week in known.items()],
    )


def _alike(number: Number, estate: Estate) -> tuple[object, ...]:
    """What the week of a number depends on: its path and who answers for its holder; for a person's
    own number their rules and phones."""
    ref = number.holder
    if ref and ref.kind is HolderKind.PERSON and not number.path:
        person = estate.the(Person, ref.id)
        phones = any(d.registered for d in estate.devices_of(person.id))
        rules = person.answering
        if not (rules.cover or rules.pickup):
            return (phones, person.left, rules.model_dump_json(), person.ring_seconds, number.site)
    return (number.path, ref.kind if ref else None, ref.id if ref else None, number.site)


def _summed(
    known: dict[tuple[object, ...], Week], many: dict[tuple[object, ...], int], monday: date
) -> list[tuple[date, list[Held]]]:
    days: list[tuple[date, list[Held]]] = []
    for ahead in range(7):
        hours = []
        for hour in range(24):
            counts: dict[Grade, int] = {}
            for alike, week in known.items():
                grade = week.days[ahead].cells[hour].grade
                counts[grade] = counts.get(grade, 0) + many[alike]
            hours.append(Held(hour, counts))
        days.append((monday + timedelta(days=ahead), hours))
    return days


# ── questions to the whole estate ──


# ── who would ring ──
