"""Which numbers and people a call path reaches, and what if one were gone."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select

from sedge.core.callpaths.answering import ringing_of
from sedge.core.callpaths.tracing import whatif
from sedge.core.callpaths.tracing.whatif import Affected
from sedge.core.errors import NotFound
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.records import (
    Group,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    ServiceLine,
    Site,
    Subject,
    Trunk,
)
from sedge.services.callpaths.path_analysis import MOST_NUMBERS
from sedge.services.context import Context, Reading
from sedge.store.repositories import callpaths as store
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables
from sedge.store.schema.holders import group_member


@dataclass(frozen=True)
class Reached:
    """A number that rings somebody, and through what."""

    number: Number
    through: str


def that_ring(context: Context, person: str) -> list[Reached]:
    """The numbers that ring a person: their own, by call paths, groups and service lines, and those
    of whom they answer for."""
    with context.reading() as reading:
        records, connection = reading.records, reading.connection
        estate = reading.look_at(Subject.PERSON, person)
        found = [
            Reached(n, "their own")
            for n in estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=person))
        ]
        groups = _groups_of(reading, person)
        paths = store.naming(connection, Subject.PERSON, person).union(
            *(store.naming(connection, Subject.GROUP, g) for g in groups)
        )
        names = {p.id: p.name for p in records.many(PathVersion, paths)}
        followers = (
            records.where(
                Number, tables.life.c.path.in_(sorted(paths)), is_open(), limit=MOST_NUMBERS
            )
            if paths
            else []
        )
        found += [Reached(n, f"call path {names[n.path or '']}") for n in followers]
        lines = [
            line
            for line in records.all(ServiceLine)
            if person in line.members or set(line.groups) & groups
        ]
        refs = [HolderRef(kind=HolderKind.SERVICE_LINE, id=line.id) for line in lines]
        of_line = {line.id: line.name for line in lines}
        found += [
            Reached(n, f"service line {of_line[n.holder.id]}")
            for n in records.held_by(Number, refs)
            if n.holder and not n.path
        ]
        for colleague in records.many(Person, store.asks_to_answer(connection, person)):
            asked = "answers for" if colleague.answering.cover == person else "may pick up for"
            held = records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=colleague.id)])
            found += [Reached(n, f"{asked} {colleague.name}") for n in held]
    seen: dict[str, Reached] = {}
    for reached in found:
        seen.setdefault(reached.number.e164, reached)
    return sorted(seen.values(), key=lambda r: r.number.e164)


def _groups_of(reading: Reading, person: str) -> set[str]:
    return set(
        reading.connection.execute(
            select(group_member.c.group).where(group_member.c.person == person)
        ).scalars()
    )


def that_name(context: Context, e164: str) -> list[PathVersion]:
    """Call paths that forward to a number, or ring it as a mobile, or go on in one that does."""
    with context.reading() as reading:
        return reading.records.many(
            PathVersion, store.naming(reading.connection, Subject.NUMBER, e164)
        )


@dataclass(frozen=True)
class WhatIf:
    """What would change: `numbers` looked at, `affected` with what their callers notice."""

    title: str
    numbers: int
    affected: list[Affected]
    cut_off: bool


def what_if(context: Context, what: str, key: str) -> WhatIf:
    """If a `trunk` is down, a `site` closed, a `person` gone. Raises NotFound."""
    with context.reading() as reading:
        numbers = _concerned(context, reading, what, key)
        shown = numbers[:MOST_NUMBERS]
        wanted = LoadSpec(numbers={n.e164 for n in shown})
        subject = {"trunk": Subject.TRUNK, "site": Subject.SITE, "person": Subject.PERSON}[what]
        wanted.records.add((subject, key))
        if what == "person":
            wanted.people.add(key)
        estate = reading.estate(wanted)
    match what:
        case "trunk":
            title, after = (
                f"Trunk {estate.the(Trunk, key).name} is down",
                whatif.without_trunk(estate, key),
            )
        case "site":
            title, after = (
                f"{estate.the(Site, key).name} is closed",
                whatif.with_site_closed(estate, key),
            )
        case _:
            title, after = (
                f"{estate.the(Person, key).name} leaves",
                whatif.without_person(estate, key),
            )
    return WhatIf(
        title, len(shown), whatif.compare(shown, estate, after), len(numbers) > len(shown)
    )


def _concerned(context: Context, reading: Reading, what: str, key: str) -> list[Number]:
    """The numbers in use whose calls may depend on it."""
    life = tables.life
    in_use = (is_open(), life.c.state == State.ASSIGNED.value)
    match what:
        case "trunk":
            reading.records.the(Trunk, key)
            return reading.records.where(
                Number, *in_use, life.c.trunk == key, order_by=life.c.number, limit=MOST_NUMBERS + 1
            )
        case "site":
            reading.records.the(Site, key)
            people = reading.records.where(
                Person,
                tables.person.c.site == key,
                tables.person.c.departed.is_(False),
                limit=MOST_NUMBERS,
            )
            paths = (
                set().union(
                    *(store.naming(reading.connection, Subject.PERSON, p.id) for p in people)
                )
                if people
                else set()
            )
            own = reading.records.where(
                Number, *in_use, life.c.site == key, order_by=life.c.number, limit=MOST_NUMBERS + 1
            )
            others = (
                reading.records.where(
                    Number, *in_use, life.c.path.in_(sorted(paths)), limit=MOST_NUMBERS
                )
                if paths
                else []
            )
            return _each_once((*own, *others))
        case "person":
            return [r.number for r in that_ring(context, key) if r.number.state is State.ASSIGNED]
    raise NotFound(
        "One can ask what happens if a trunk is down, a site is closed or a person leaves.",
        subject="question",
        id=what,
    )


def _each_once(numbers: Iterable[Number]) -> list[Number]:
    return list({n.e164: n for n in numbers}.values())


def people_by_id(context: Context, keys: Iterable[str]) -> dict[str, Person]:
    with context.reading() as reading:
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


def reachable(context: Context, person: str, at: datetime | None = None) -> Reachable:
    """Which devices and mobiles would ring for a person, and why the others not. Raises
    NotFound."""
    with context.reading() as reading:
        estate = reading.look_at(Subject.PERSON, person)
        who = estate.the(Person, person)
        groups = [
            g.name
            for g in reading.records.many(Group, _groups_of(reading, person))
            if not g.removed
        ]
    moment = at or estate.now
    ringing = ringing_of(who, moment, estate)
    chosen = who.answering.devices
    not_ringing = [d for d in estate.devices_of(person) if d.name not in ringing.phones]
    why_not = ringing.why_not or "is not registered"
    silent = [
        (
            d.name,
            why_not if not chosen or d.id in chosen else "is not among the devices they chose",
        )
        for d in not_ringing
    ]
    return Reachable(
        who,
        moment,
        ringing.phones,
        ringing.why_not,
        silent,
        tuple(name for _, name in ringing.pickup),
        groups,
    )
