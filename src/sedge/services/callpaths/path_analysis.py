"""What is computed of call paths at the desk: endings, findings, the week, the calls of a site, and questions to the whole estate."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from sqlalchemy import select

from sedge.core.callpaths.answering import ringing_of
from sedge.core.callpaths.rules import called_of
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tracing import whatif
from sedge.core.callpaths.tracing.endings import Endings, WayToEnd, endings_of
from sedge.core.callpaths.tracing.testcases import Verdict, run_cases
from sedge.core.callpaths.tracing.trace import path_of, trace_path
from sedge.core.callpaths.tracing.week import Grade, Grader, Week, monday_of, week_of
from sedge.core.callpaths.tracing.whatif import Affected
from sedge.core.callpaths.tracing.world import Called, Trace, World
from sedge.core.errors import NotFound
from sedge.core.estate import Estate
from sedge.core.numbers.life import State
from sedge.core.records import Group, HolderKind, HolderRef, Number, PathVersion, Person, ServiceLine, Site, Subject, Trunk
from sedge.core.workorders import continuous_checks
from sedge.core.workorders.findings import Finding
from sedge.core.workorders.needs import Needs
from sedge.services.context import Desk, Reading
from sedge.store.repositories import callpaths as store
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables
from sedge.store.schema.holders import group_member

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


def analyse(desk: Desk, key: str, *, monday: date | None = None) -> Analysis:
    """The published version of a path. Raises NotFound."""
    with desk.reading() as reading:
        estate = reading.estate(Needs(paths={key}, path_users={key}))
        site = _site(reading, estate, key)
    published = estate.the(PathVersion, key)
    path = Path.model_validate(published.body)
    called = called_of(key, estate)[0]
    if not called.e164:
        called = Called(f"a number of {site.name}", site.id)
    return look_into(path, called, site, estate, published=published, monday=monday)


def look_into(
    path: Path, called: Called, site: Site, estate: Estate, *, published: PathVersion | None = None, monday: date | None = None,
    draft: dict[str, Path] | None = None,
) -> Analysis:  # fmt: skip
    found = endings_of(called, path, estate, draft=draft)
    ended = [Ended(way, trace_path(called, path, way.at, World(choices=way.choices), estate, draft=draft)) for way in found.ways]
    week = week_of(Grader(called, path, estate, draft), monday or monday_of(estate.now, site.timezone), site.timezone)
    findings = continuous_checks.of_path(published, estate) if published else []
    return Analysis(published, path, called, site, found, ended, findings, week, run_cases(called, path, estate, draft), estate)


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
        """The numbers that nobody answers in an hour, and how their calls end, in the order of the numbers."""
        found: list[tuple[str, Grade]] = []
        for week, numbers in self.alike:
            grade = next((c.grade for d in week.days if d.day == day for c in d.cells if c.hour == hour), Grade.UNKNOWN)
            if is_unanswered(grade):
                found += [(e164, grade) for e164 in numbers]
        return sorted(found)


def week_of_number(desk: Desk, e164: str, *, monday: date | None = None) -> Week:
    """The week of one number, by its site's clock. Raises NotFound."""
    with desk.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    number = estate.number(e164)
    timezone = estate.the(Site, number.site).timezone
    grader = Grader(Called.number(number), path_of(number, estate), estate)
    return week_of(grader, monday or monday_of(estate.now, timezone), timezone)


def week_of_many(desk: Desk, *, site: str = "", monday: date | None = None, most: int = 10_000) -> WeekOfMany:
    """What is unanswered when, over the numbers in use of a site or of all sites; kept until something changes."""
    name = f"week {site} {monday} {most}"
    return desk.house.while_unchanged(desk, name, lambda: _week_of_many(desk, site=site, monday=monday, most=most), minutes=60)


def _week_of_many(desk: Desk, *, site: str, monday: date | None, most: int) -> WeekOfMany:
    """Numbers that are alike are worked out once."""
    life = tables.life
    where = [is_open(), life.c.state == State.ASSIGNED.value, *([life.c.site == site] if site else [])]
    with desk.reading() as reading:
        timezone = reading.records.the(Site, site).timezone if site else desk.house.home_zone(desk.who.organisation).key
        begin = monday or monday_of(desk.now(), timezone)
        known: dict[tuple[object, ...], Week] = {}
        many: dict[tuple[object, ...], list[str]] = {}
        seen, after = 0, 0
        while seen < most:
            numbers = reading.records.where(Number, *where, life.c.number > after, order_by=life.c.number, limit=min(A_SLICE, most - seen))
            if not numbers:
                break
            after, seen = int(numbers[-1].e164), seen + len(numbers)
            estate = reading.estate(Needs(numbers={n.e164 for n in numbers}))
            for number in numbers:
                alike = _alike(number, estate)
                many.setdefault(alike, []).append(number.e164)
                if alike not in known:
                    known[alike] = week_of(Grader(Called.number(number), path_of(number, estate), estate), begin, timezone)
        left_out = len(reading.records.where(Number, *where, life.c.number > after, order_by=life.c.number, limit=1)) if seen >= most else 0
    counts = {alike: len(numbers) for alike, numbers in many.items()}
    return WeekOfMany(timezone, _summed(known, counts, begin), seen, left_out, [(week, many[alike]) for alike, week in known.items()])


def _alike(number: Number, estate: Estate) -> tuple[object, ...]:
    """What the week of a number depends on: its path and who answers for its holder; for a person's own number their rules and phones."""
    ref = number.holder
    if ref and ref.kind is HolderKind.PERSON and not number.path:
        person = estate.the(Person, ref.id)
        phones = any(d.registered for d in estate.devices_of(person.id))
        rules = person.answering
        if not (rules.cover or rules.pickup):
            return (phones, person.left, rules.model_dump_json(), person.ring_seconds, number.site)
    return (number.path, ref.kind if ref else None, ref.id if ref else None, number.site)


def _summed(known: dict[tuple[object, ...], Week], many: dict[tuple[object, ...], int], monday: date) -> list[tuple[date, list[Held]]]:
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


@dataclass(frozen=True)
class Reached:
    """A number that rings somebody, and through what."""

    number: Number
    through: str


def that_ring(desk: Desk, person: str) -> list[Reached]:
    """The numbers that ring a person: their own, by call paths, groups and service lines, and those of whom they answer for."""
    with desk.reading() as reading:
        records, connection = reading.records, reading.connection
        estate = reading.look_at(Subject.PERSON, person)
        found = [Reached(n, "their own") for n in estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=person))]
        groups = _groups_of(reading, person)
        paths = store.naming(connection, Subject.PERSON, person).union(*(store.naming(connection, Subject.GROUP, g) for g in groups))
        names = {p.id: p.name for p in records.many(PathVersion, paths)}
        followers = records.where(Number, tables.life.c.path.in_(sorted(paths)), is_open(), limit=MOST_NUMBERS) if paths else []
        found += [Reached(n, f"call path {names[n.path or '']}") for n in followers]
        lines = [line for line in records.all(ServiceLine) if person in line.members or set(line.groups) & groups]
        refs = [HolderRef(kind=HolderKind.SERVICE_LINE, id=line.id) for line in lines]
        of_line = {line.id: line.name for line in lines}
        found += [Reached(n, f"service line {of_line[n.holder.id]}") for n in records.held_by(Number, refs) if n.holder and not n.path]
        for colleague in records.many(Person, store.asks_to_answer(connection, person)):
            asked = "answers for" if colleague.answering.cover == person else "may pick up for"
            held = records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=colleague.id)])
            found += [Reached(n, f"{asked} {colleague.name}") for n in held]
    seen: dict[str, Reached] = {}
    for reached in found:
        seen.setdefault(reached.number.e164, reached)
    return sorted(seen.values(), key=lambda r: r.number.e164)


def _groups_of(reading: Reading, person: str) -> set[str]:
    return set(reading.connection.execute(select(group_member.c.group).where(group_member.c.person == person)).scalars())


def that_name(desk: Desk, e164: str) -> list[PathVersion]:
    """Call paths that forward to a number, or ring it as a mobile, or go on in one that does."""
    with desk.reading() as reading:
        return reading.records.many(PathVersion, store.naming(reading.connection, Subject.NUMBER, e164))


@dataclass(frozen=True)
class WhatIf:
    """What would change: `numbers` looked at, `affected` with what their callers notice."""

    title: str
    numbers: int
    affected: list[Affected]
    cut_off: bool


def what_if(desk: Desk, what: str, key: str) -> WhatIf:
    """If a `trunk` is down, a `site` closed, a `person` gone. Raises NotFound."""
    with desk.reading() as reading:
        numbers = _concerned(desk, reading, what, key)
        shown = numbers[:MOST_NUMBERS]
        wanted = Needs(numbers={n.e164 for n in shown})
        subject = {"trunk": Subject.TRUNK, "site": Subject.SITE, "person": Subject.PERSON}[what]
        wanted.records.add((subject, key))
        if what == "person":
            wanted.people.add(key)
        estate = reading.estate(wanted)
    match what:
        case "trunk":
            title, after = f"Trunk {estate.the(Trunk, key).name} is down", whatif.without_trunk(estate, key)
        case "site":
            title, after = f"{estate.the(Site, key).name} is closed", whatif.with_site_closed(estate, key)
        case _:
            title, after = f"{estate.the(Person, key).name} leaves", whatif.without_person(estate, key)
    return WhatIf(title, len(shown), whatif.compare(shown, estate, after), len(numbers) > len(shown))


def _concerned(desk: Desk, reading: Reading, what: str, key: str) -> list[Number]:
    """The numbers in use whose calls may depend on it."""
    life = tables.life
    in_use = (is_open(), life.c.state == State.ASSIGNED.value)
    match what:
        case "trunk":
            reading.records.the(Trunk, key)
            return reading.records.where(Number, *in_use, life.c.trunk == key, order_by=life.c.number, limit=MOST_NUMBERS + 1)
        case "site":
            reading.records.the(Site, key)
            people = reading.records.where(Person, tables.person.c.site == key, tables.person.c.departed.is_(False), limit=MOST_NUMBERS)
            paths = set().union(*(store.naming(reading.connection, Subject.PERSON, p.id) for p in people)) if people else set()
            own = reading.records.where(Number, *in_use, life.c.site == key, order_by=life.c.number, limit=MOST_NUMBERS + 1)
            others = reading.records.where(Number, *in_use, life.c.path.in_(sorted(paths)), limit=MOST_NUMBERS) if paths else []
            return _each_once((*own, *others))
        case "person":
            return [r.number for r in that_ring(desk, key) if r.number.state is State.ASSIGNED]
    raise NotFound("One can ask what happens if a trunk is down, a site is closed or a person leaves.", subject="question", id=what)


def _each_once(numbers: Iterable[Number]) -> list[Number]:
    return list({n.e164: n for n in numbers}.values())


# ── who would ring ──


def people_by_id(desk: Desk, keys: Iterable[str]) -> dict[str, Person]:
    with desk.reading() as reading:
        return {p.id: p for p in reading.records.many(Person, {k for k in keys if k})}


@dataclass(frozen=True)
class Reachable:
    """A person at a moment: what of theirs would ring, and why the rest would not."""

    person: Person
    at: datetime
    rings: tuple[str, ...]
    why_not: str
    silent: list[tuple[str, str]]
    pickup: tuple[str, ...]
    groups: list[str]


def reachable(desk: Desk, person: str, at: datetime | None = None) -> Reachable:
    """Which devices and mobiles would ring for a person, and why the others not. Raises NotFound."""
    with desk.reading() as reading:
        estate = reading.look_at(Subject.PERSON, person)
        who = estate.the(Person, person)
        groups = [g.name for g in reading.records.many(Group, _groups_of(reading, person)) if not g.removed]
    moment = at or estate.now
    ringing = ringing_of(who, moment, estate)
    chosen = who.answering.devices
    silent = [
        (d.name, "is not among the devices they chose" if chosen and d.id not in chosen else "is not registered")
        for d in estate.devices_of(person)
        if d.name not in ringing.phones
    ]
    if ringing.why_not:
        silent = [(name, ringing.why_not if why != "is not registered" else why) for name, why in silent]
    return Reachable(who, moment, ringing.phones, ringing.why_not, silent, tuple(name for _, name in ringing.pickup), groups)
