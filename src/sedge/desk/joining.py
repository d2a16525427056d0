"""From a need to an order: people who have no number, what a site has left for them, and what becomes of numbers once they arrive."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import exists, func, select

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import HolderKind, HolderRef, Number, Person, Role, Site
from sedge.core.words import Capacity
from sedge.core.workorders import tasks as t
from sedge.desk.desk import Desk, Reading
from sedge.store import tables
from sedge.store.records import is_open

MOST_PEOPLE = 60


@dataclass(frozen=True)
class Need:
    """People of a site without a number, how many numbers are free there for people, and the area new ones should be of."""

    site: Site
    people: list[Person]
    free: int
    area: str

    @property
    def short(self) -> int:
        return max(0, len(self.people) - self.free)


def needs(desk: Desk) -> list[Need]:
    """Sites where somebody has no number, the greatest need first."""
    with desk.reading() as reading:
        without = _without_number(reading)
        sites = {s.id: s for s in reading.records.many(Site, {p.site for p in without})}
        found = [Need(sites[key], [p for p in without if p.site == key], _free(reading, key), _area(reading, key)) for key in sites]
    return sorted(found, key=lambda n: (-len(n.people), n.site.name))


def need_of(desk: Desk, site: str) -> Need:
    """One site's, also where everybody has a number. Raises NotFound."""
    known = next((n for n in needs(desk) if n.site.id == site), None)
    if known:
        return known
    with desk.reading() as reading:
        return Need(reading.records.the(Site, site), [], _free(reading, site), _area(reading, site))


def _without_number(reading: Reading) -> list[Person]:
    person, life = tables.person, tables.life
    has = exists().where(life.c.holder_kind == HolderKind.PERSON.value, life.c.holder_id == person.c.id, is_open())
    return reading.records.where(Person, person.c.departed.is_(False), ~has, order_by=person.c.name, limit=500)


def _free(reading: Reading, site: str) -> int:
    life = tables.life
    fits = life.c.capacity.in_([Capacity.SINGLE.value, Capacity.ANY.value])
    query = select(func.count()).where(life.c.state == State.AVAILABLE.value, life.c.site == site, fits, life.c.leaving_on.is_(None))
    return int(reading.connection.execute(query).scalar() or 0)


def _area(reading: Reading, site: str) -> str:
    """The dialling area of most of the site's numbers, as people call it; '' where it has none yet."""
    tally = tables.tally
    query = (
        select(tally.c.hundred, func.sum(tally.c.count))
        .where(tally.c.site == site)
        .group_by(tally.c.hundred)
        .order_by(func.sum(tally.c.count).desc())
    )
    row = reading.connection.execute(query.limit(1)).first()
    return describe(f"+{row[0] * 100}").area if row else ""


def people_in(desk: Desk, text: str, *, most: int = MOST_PEOPLE, field: str = "people") -> list[Person]:
    """People named one a line: name, mail address or extension. Raises NotUnderstood naming who is meant by nobody."""
    from sedge.desk.choosing import one_person

    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) > most:
        raise NotUnderstood(f"At most {most} people at a time; these are {len(lines)}.", field=field)
    found = [one_person(desk, line, field=field) for line in lines]
    ids = [p.id for p in found]
    if twice := next((p.name for p in found if ids.count(p.id) > 1), None):
        raise NotUnderstood(f"{twice} is there twice.", field=field)
    return found


def plan(desk: Desk, count: int, *, people: str = "", reserve_for: str = "") -> list[Any]:
    """What becomes of `count` numbers that the first task of a work order brings: given to people in their order, the rest
    reserved where it is said for what. Raises NotUnderstood."""
    named = people_in(desk, people)
    if len(named) > count:
        raise NotUnderstood(f"{len(named)} people are named, and {count} numbers are ordered. Order more, or name fewer.", field="people")
    with desk.reading() as reading:
        taken = {
            n.holder.id for n in reading.records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in named]) if n.holder
        }
    tasks: list[Any] = []
    for i, person in enumerate(named):
        ref = HolderRef(kind=HolderKind.PERSON, id=person.id)
        tasks.append(
            t.AssignNumber(number=t.OutputOf(output_of=0, index=i), holder=ref, role=Role.EXTRA if person.id in taken else Role.MAIN)
        )
    if reserve_for.strip():
        rest: Sequence[int] = range(len(named), count)
        tasks += [t.ReserveNumber(number=t.OutputOf(output_of=0, index=i), reason=reserve_for.strip()[:200]) for i in rest]
    return tasks
