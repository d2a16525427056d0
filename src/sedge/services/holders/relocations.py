"""People who move: one, a team, a whole floor, as a work order in which help follows them and
carriers are told."""

from collections.abc import Sequence

from sqlalchemy import ColumnElement

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.records import Carrier, HolderKind, HolderRef, Number, Person, Spot
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.people_lookup import people_in
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

MOST = 500


def who(
    context: Context, *, site: str = "", spot: str = "", department: str = "", floor: str = ""
) -> list[Person]:
    """People of a site, narrowed by spot, floor or department; by name."""
    with context.reading() as reading:
        return _who(reading, site=site, spot=spot, department=department, floor=floor)


def _who(reading: Reading, *, site: str, spot: str, department: str, floor: str) -> list[Person]:
    person = tables.person
    where: list[ColumnElement[bool]] = [person.c.departed.is_(False)]
    if site:
        where.append(person.c.site == site)
    if spot:
        where.append(person.c.spot == spot)
    found = reading.records.where(Person, *where, order_by=person.c.name, limit=MOST + 1)
    if floor:
        there = {
            s.id
            for s in reading.records.where(Spot, tables.spot.c.site == site)
            if s.floor == floor
        }
        found = [p for p in found if p.spot in there]
    return [p for p in found if not department or p.department == department]


def departments(context: Context, site: str) -> list[str]:
    return sorted({p.department for p in who(context, site=site) if p.department})


def draft(
    context: Context, to: str, *, people: Sequence[str] = (), named: str = "", from_spot: str = ""
) -> WorkOrder:
    """The work order that moves people to a spot: by id, by name (one a line), or everybody at a
    spot. Their numbers follow, and where a carrier keeps addresses it is told. Raises NotUnderstood
    naming the field."""
    context.require(May.CHANGE_ESTATE)
    wanted = [p.id for p in people_in(context, named)] if named.strip() else list(people)
    with context.reading() as reading:
        spot = reading.records.the(Spot, to)
        if from_spot:
            wanted += [
                p.id for p in _who(reading, site="", spot=from_spot, department="", floor="")
            ]
        moving = [
            p for p in reading.records.many(Person, set(wanted)) if p.spot != spot.id and not p.left
        ]
        tasks = _tasks(reading, spot, moving)
    if not moving:
        nobody = "Everybody chosen is there already." if wanted else "Tick who moves, or everybody."
        raise NotUnderstood(nobody, field="people")
    if len(moving) > MOST:
        raise NotUnderstood(
            f"At most {MOST} people at a time; these are {len(moving)}.", field="people"
        )
    names = moving[0].name if len(moving) == 1 else f"{len(moving)} people"
    return workorders.draft(context, f"Move {names} to {spot.name}", tasks)


def _tasks(reading: Reading, spot: Spot, moving: Sequence[Person]) -> list[t.Task]:
    """Spots first; then every number that follows and whose carrier keeps addresses is registered
    anew."""
    refs = [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in moving]
    before = {p.id: p.spot for p in moving}
    keeping = {c.id for c in reading.records.all(Carrier) if c.registers_addresses}
    follow = [
        n
        for n in reading.records.held_by(Number, refs)
        if n.holder and n.spot == before[n.holder.id] and n.carrier in keeping
    ]
    ordered = sorted(moving, key=lambda p: p.name)
    return [
        *(t.SetSpot(person=p.id, spot=spot.id) for p in ordered),
        *(t.RegisterAddress(number=n.e164) for n in follow),
    ]
