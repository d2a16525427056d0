"""Which free numbers suit somebody who is to have one."""

from sqlalchemy import select

from sedge.core.enums import Capacity, HolderKind
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import consecutive
from sedge.core.records import HolderRef, Person, ServiceLine, Site
from sedge.core.supply.offers import memorability
from sedge.core.workorders.planner.problem import Free, Wants
from sedge.core.workorders.planner.suggest import (
    Suggestion,
    suggest_for_line,
    suggest_for_person,
)
from sedge.services.context import Context, Reading
from sedge.services.workorders.planner.bulk_planner import last_numbers
from sedge.store.schema import tables

MOST_LOOKED_AT = 2_000  # free numbers of a site; the next ones are much like them


def suggest_numbers(context: Context, holder: HolderRef) -> list[Suggestion]:
    """The free numbers that suit a holder best, of their own site, else of their country; none
    where nothing is free or nobody of that name is here."""
    with context.reading() as reading:
        if holder.kind is HolderKind.PERSON:
            return _for_person(reading, holder.id)
        line = reading.records.find(ServiceLine, holder.id)
        site = reading.records.find(Site, line.site if line else holder.id)
        carry = (Capacity.MANY, Capacity.ANY)
        return suggest_for_line(site.id, _free(reading, site, carry)) if site else []


def _for_person(reading: Reading, key: str) -> list[Suggestion]:
    person = reading.records.find(Person, key)
    site = reading.records.find(Site, person.site) if person else None
    if person is None or site is None:
        return []
    wants = Wants(
        id=person.id,
        name=person.name,
        site=site.id,
        country=site.country,
        extension=person.extension,
        team=person.department,
        before=last_numbers(reading, [person]).get(person.id, ""),
    )
    return suggest_for_person(wants, _free(reading, site, (Capacity.SINGLE, Capacity.ANY)))


def _free(reading: Reading, site: Site, carry: tuple[Capacity, ...]) -> list[Free]:
    """Available numbers that carry as many calls as are wanted: of the site, else of its
    country."""
    sites = [s.id for s in reading.records.all(Site) if s.country == site.country]
    life = tables.life
    for of in ([site.id], sites):
        query = (
            select(life.c.number, life.c.site)
            .where(
                life.c.site.in_(of),
                life.c.state == State.AVAILABLE.value,
                life.c.capacity.in_([c.value for c in carry]),
                life.c.leaving_on.is_(None),
            )
            .order_by(life.c.number)
            .limit(MOST_LOOKED_AT)
        )
        rows = [(int(number), where) for number, where in reading.connection.execute(query)]
        if rows:
            break
    runs = {n: len(run) for run in consecutive([number for number, _ in rows]) for n in run}
    return [
        Free(
            e164=f"+{number}",
            site=where,
            country=site.country,
            memorable=memorability(str(number)[-4:]),
            run=runs[number],
        )
        for number, where in rows
    ]
