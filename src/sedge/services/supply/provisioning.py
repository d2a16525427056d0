"""From a need to an order: people who have no number, what a site has left for them, and what
becomes of numbers once they arrive."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import exists, func, select

from sedge.core.enums import Capacity
from sedge.core.errors import NotUnderstood
from sedge.core.facts import counted
from sedge.core.holders.devices import DeviceKind
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import Address, HolderKind, HolderRef, Number, Person, Role, Site
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import OutputOf, Task
from sedge.services import people_lookup
from sedge.services.context import Context, Reading
from sedge.services.holders.devices.devices import phones_for
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

MOST_LOOKED_AT = 500  # people without a number on one page; that there are more is said


@dataclass(frozen=True)
class Need:
    """People of a site without a number, how many numbers are free there for people, and the area
    new ones should be of."""

    site: Site
    people: list[Person]
    free: int
    area: str

    @property
    def short(self) -> int:
        return max(0, len(self.people) - self.free)


def needs(context: Context) -> tuple[list[Need], bool]:
    """Sites where somebody has no number, the greatest need first; and whether there are more
    people than were looked at."""
    with context.reading() as reading:
        without = _without_number(reading)
        by_site: dict[str, list[Person]] = {}
        for person in without[:MOST_LOOKED_AT]:
            by_site.setdefault(person.site, []).append(person)
        free, areas = _free(reading, list(by_site)), _areas(reading, list(by_site))
        sites = reading.records.many(Site, by_site)
    found = [Need(s, by_site[s.id], free.get(s.id, 0), areas.get(s.id, "")) for s in sites]
    return sorted(found, key=lambda n: (-len(n.people), n.site.name)), len(without) > MOST_LOOKED_AT


def need_of(context: Context, site: str) -> Need:
    """One site's, also where everybody has a number; before its first number the area is that of
    its town. Raises NotFound."""
    with context.reading() as reading:
        here = reading.records.the(Site, site)
        address = reading.records.find(Address, here.address) if here.address else None
        town = address.elements.city if address else ""
        people = _without_number(reading, site)[:MOST_LOOKED_AT]
        return Need(
            here,
            people,
            _free(reading, [site]).get(site, 0),
            _areas(reading, [site]).get(site, town),
        )


def _without_number(reading: Reading, site: str | None = None) -> list[Person]:
    person, life = tables.person, tables.life
    has = exists().where(
        life.c.holder_kind == HolderKind.PERSON.value, life.c.holder_id == person.c.id, is_open()
    )
    at = [person.c.site == site] if site else []
    return reading.records.where(
        Person,
        person.c.departed.is_(False),
        ~has,
        *at,
        order_by=person.c.name,
        limit=MOST_LOOKED_AT + 1,
    )


def _free(reading: Reading, sites: list[str]) -> dict[str, int]:
    """How many numbers for people are free at each site: from the figures, less the few that are on
    their way back to a carrier."""
    facet, life = projected.facet, tables.life
    fits = [Capacity.SINGLE.value, Capacity.ANY.value]
    query = select(facet.c.site, func.sum(facet.c.count)).where(
        facet.c.site.in_(sites), facet.c.state == State.AVAILABLE.value, facet.c.capacity.in_(fits)
    )
    leaving = select(life.c.site, func.count()).where(
        life.c.leaving_on.is_not(None),
        life.c.state == State.AVAILABLE.value,
        life.c.capacity.in_(fits),
        life.c.site.in_(sites),
    )
    found = {
        site: int(count) for site, count in reading.connection.execute(query.group_by(facet.c.site))
    }
    for site, count in reading.connection.execute(leaving.group_by(life.c.site)):
        found[site] = found.get(site, 0) - count
    return found


def _areas(reading: Reading, sites: list[str]) -> dict[str, str]:
    """The dialling area of most of each site's numbers, as people call it; left out where there is
    none yet."""
    tally = projected.tally
    query = (
        select(tally.c.site, tally.c.hundred, func.sum(tally.c.count))
        .where(tally.c.site.in_(sites))
        .group_by(tally.c.site, tally.c.hundred)
    )
    most: dict[str, tuple[int, int]] = {}
    for site, hundred, count in reading.connection.execute(query):
        most[site] = max(most.get(site, (0, 0)), (int(count), -hundred))
    return {site: describe(f"+{-hundred * 100}").area for site, (_, hundred) in most.items()}


def plan(
    context: Context,
    count: int,
    *,
    people: str = "",
    reserve_for: str = "",
    phone: DeviceKind | None = None,
) -> list[Task]:
    """What becomes of `count` numbers that the first task of a work order brings: given to people
    in their order, the rest reserved where it is said for what. A `phone` is set up for each who
    has none of that kind. Raises NotUnderstood."""
    named = people_lookup.people_in(context, people)
    if len(named) > count:
        raise NotUnderstood(
            f"{len(named)} people are named, and {counted(count, 'number')} ordered. Order more, or"
            " name fewer.",
            field="people",
        )
    with context.reading() as reading:
        taken = {
            n.holder.id
            for n in reading.records.held_by(
                Number, [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in named]
            )
            if n.holder
        }
        phones = list(phones_for(reading, named, phone))
    tasks: list[Task] = []
    for i, person in enumerate(named):
        ref = HolderRef(kind=HolderKind.PERSON, id=person.id)
        tasks.append(
            t.AssignNumber(
                number=OutputOf(output_of=0, index=i),
                holder=ref,
                role=Role.EXTRA if person.id in taken else Role.MAIN,
            )
        )
    tasks += phones
    if reserve_for.strip():
        rest: Sequence[int] = range(len(named), count)
        tasks += [
            t.ReserveNumber(number=OutputOf(output_of=0, index=i), reason=reserve_for.strip()[:200])
            for i in rest
        ]
    return tasks
