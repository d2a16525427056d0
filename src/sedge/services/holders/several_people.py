"""The same for several people at once: a licence, calling rights, a spot, a phone, a number for
who has none; one work order, of which each line says what changes for whom."""

from collections.abc import Iterator
from dataclasses import dataclass

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.holders.devices import DeviceKind
from sedge.core.records import (
    Grant,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Product,
    Right,
    Spot,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Reading
from sedge.services.holders import holders
from sedge.services.holders.devices.devices import phones_for
from sedge.services.workorders import workorders
from sedge.services.workorders.planner import bulk_planner
from sedge.store.repositories.workorders import WorkOrder

MOST_PEOPLE = 300


@dataclass(frozen=True)
class Same:
    """What all of them are to have: '' and None leave it as it is."""

    product: str = ""
    rights: tuple[Right, ...] | None = None
    spot: str = ""
    number: bool = False
    phone: DeviceKind | None = None


def chosen(context: Context, keys: list[str], *, site: str = "", find: str = "") -> list[Person]:
    """People by their ids, or all that a list shows. Raises NotUnderstood where they are too
    many."""
    if keys:
        with context.reading() as reading:
            found = reading.records.many(Person, list(dict.fromkeys(keys))[: MOST_PEOPLE + 1])
        people = sorted((p for p in found if not p.left), key=lambda p: p.name)
    elif site or find.strip():
        find = holders.searched(find)
        rows, _ = holders.people(context, site=site, find=find, limit=MOST_PEOPLE + 1)
        people = [row.holder for row in rows if isinstance(row.holder, Person)]
    else:
        people = []
    if len(people) > MOST_PEOPLE:
        message = f"At most {MOST_PEOPLE} people at a time. Choose a site, or part of a name."
        raise NotUnderstood(message, field="people")
    return people


def draft(context: Context, keys: list[str], same: Same) -> WorkOrder:
    """One work order for what has to change; what somebody has already is left out. Raises
    NotUnderstood where nobody is chosen, or nothing would change."""
    context.require(May.CHANGE_ESTATE)
    people = chosen(context, keys)
    if not people:
        raise NotUnderstood("Choose the people it is for.", field="people")
    with context.reading() as reading:
        tasks = [
            *_spots(reading, people, same.spot),
            *_rights(people, same.rights),
            *_grants(reading, people, same.product),
            *phones_for(reading, people, same.phone),
        ]
        without = _without_number(reading, people) if same.number else []
    tasks += _numbers(context, without)
    if not tasks:
        message = (
            "Nothing would change: they have all of that already."
            if same != Same()
            else "Choose what they are to have."
        )
        raise NotUnderstood(message, field="product")
    title = f"Change {people[0].name if len(people) == 1 else f'{len(people)} people'}"
    return workorders.draft(context, title, tasks, look=True)


def _ref(person: Person) -> HolderRef:
    return HolderRef(kind=HolderKind.PERSON, id=person.id)


def _spots(reading: Reading, people: list[Person], spot: str) -> Iterator[Task]:
    """A spot is at one site: others keep theirs, and whoever has it has it."""
    if not spot:
        return
    found = reading.records.find(Spot, spot)
    if found is None or found.removed:
        raise NotUnderstood("Choose one of the spots that are here.", field="spot")
    elsewhere = [p for p in people if p.site != found.site]
    if elsewhere:
        message = (
            f"This spot is at another site than {elsewhere[0].name}. Choose people of its site"
            " only, or leave the spot as it is."
        )
        raise NotUnderstood(message, field="spot")
    for person in people:
        if person.spot != spot:
            yield t.SetSpot(person=person.id, spot=spot)


def _rights(people: list[Person], rights: tuple[Right, ...] | None) -> Iterator[Task]:
    for person in people:
        if rights is not None and set(person.rights) != set(rights):
            yield t.SetCallingRights(holder=_ref(person), rights=rights)


def _grants(reading: Reading, people: list[Person], product: str) -> Iterator[Task]:
    if not product:
        return
    if reading.records.find(Product, product) is None:
        raise NotUnderstood("Choose one of the licence products.", field="product")
    grants = reading.records.held_by(Grant, [_ref(p) for p in people])
    held = {g.holder.id for g in grants if g.product == product}
    for person in people:
        if person.id not in held:
            yield t.GrantLicence(holder=_ref(person), product=product)


def _without_number(reading: Reading, people: list[Person]) -> list[Person]:
    numbers = reading.records.held_by(Number, [_ref(p) for p in people])
    having = {n.holder.id for n in numbers if n.holder}
    return [p for p in people if p.id not in having]


def _numbers(context: Context, people: list[Person]) -> list[Task]:
    """The best free numbers of their sites. Raises NotUnderstood where there are too few."""
    if not people:
        return []
    planned = bulk_planner.plan(context, bulk_planner.Asked(ids=tuple(p.id for p in people)))
    left_out = [g.person for g in planned.plan.given if not g.number]
    if left_out:
        name = next(p.name for p in people if p.id == left_out[0])
        message = (
            f"For {len(left_out)} of them no number is free, {name} among them. Order numbers for"
            " their site first, or choose fewer people."
        )
        raise NotUnderstood(message, field="number", reason="none-free")
    return [
        t.AssignNumber(number=g.number, holder=HolderRef(kind=HolderKind.PERSON, id=g.person))
        for g in planned.plan.given
        if g.number
    ]
