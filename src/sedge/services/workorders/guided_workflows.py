"""The usual work as forms: somebody joins, moves or leaves, two people exchange numbers, a line is
opened for a season.

Each gives the tasks of a work order; what is missing is found by its checks and offered there, so
nothing is decided here twice.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, time
from typing import Any

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.holding import HolderRef
from sedge.core.records import Group, Number, Person, Product, Role, ServiceLine, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Reading
from sedge.services.numbers.numbers import free_numbers, the_number
from sedge.services.when import moment_of
from sedge.store.schema import holders as holder_tables

FIRST_FREE = "first free"
MORNING = time(6)  # of a first day, so that the phone rings when they come
EVENING = time(20)  # of a last day, so that it rings until they go


@dataclass(frozen=True)
class Kind:
    """One form: its name, what it is for, the fields it asks for, in order, and how it asks for the
    day it runs on, at which time of it."""

    key: str
    name: str
    what: str
    fields: tuple[str, ...]
    day: str = "On"
    at: time = MORNING


KINDS = {
    kind.key: kind
    for kind in (
        Kind(
            "joiner",
            "Somebody joins",
            "A person with phone, licences, number, spot and a test call.",
            ("name", "email", "site", "department", "extension", "spot", "number", "prove"),
            day="First day",
        ),
        Kind(
            "mover",
            "Somebody moves",
            "To another site, with the spot there; the number goes along, or another is given.",
            ("person", "site", "spot", "department", "extension", "number"),
            day="First day there",
        ),
        Kind(
            "leaver",
            "Somebody leaves",
            "Numbers, licences and groups are unassigned, then the person is marked as gone.",
            ("person", "rest"),
            day="Last day",
            at=EVENING,
        ),
        Kind(
            "exchange",
            "Two exchange numbers",
            "Each gets what the other had, without a rest between.",
            ("person", "other"),
        ),
        Kind(
            "season",
            "A line for a season",
            "A number with its call path for a service line, put back by itself when the season is"
            " over.",
            ("line", "number", "path", "until"),
            day="From",
        ),
    )
}


def begins(context: Context, key: str, form: Mapping[str, str]) -> datetime | None:
    """When the work order of a filled-in form runs; None for as soon as it is told to, also where
    it is today and the hour is over. Raises NotUnderstood naming the field, also for a day that is
    over."""
    at = moment_of(context, form.get("starts", ""), "starts", at=KINDS[key].at)
    if at and at < context.now():
        if at.date() == context.now().astimezone(at.tzinfo).date():
            return None
        raise NotUnderstood(
            f"{KINDS[key].day}: that is over. Leave it empty to run it now.", field="starts"
        )
    return at


def plan(context: Context, key: str, form: dict[str, str]) -> tuple[list[Task], str]:
    """The tasks a filled-in form means, and the work order's title. Raises NotUnderstood naming the
    field."""
    context.require(May.CHANGE_ESTATE)
    makers = {
        "joiner": joiner,
        "mover": mover,
        "leaver": leaver,
        "exchange": exchange,
        "season": season,
    }
    if key not in makers:
        raise NotUnderstood("There is no such template.", field="template")
    return makers[key](context, {name: value.strip() for name, value in form.items()})


def joiner(context: Context, form: dict[str, str]) -> tuple[list[Task], str]:
    name, email = form.get("name", ""), form.get("email", "")
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("Type the name of the new colleague.", field="name")
    if "@" not in email or " " in email or len(email) > 200:
        raise NotUnderstood(
            "Type the mail address, such as ifeoma.okafor@lanternfield.example.", field="email"
        )
    extension = form.get("extension", "")
    if extension and not (extension.isdigit() and len(extension) <= 7):
        raise NotUnderstood("An extension has digits only, seven at most.", field="extension")
    with context.reading() as reading:
        site = _site(reading, form.get("site", ""))
    key = context.new_id("person")
    tasks: list[Task] = [
        t.AddPerson(
            id=key,
            name=name,
            email=email,
            site=site.id,
            department=form.get("department", "")[:80],
            extension=extension,
            spot=form.get("spot") or None,
            job=form.get("job", "")[:80],
            known_elsewhere_as=form.get("known_elsewhere_as", ""),
        )
    ]
    if number := _number(context, form.get("number", ""), site.id):
        tasks.append(
            t.AssignNumber(
                number=number,
                holder=HolderRef(kind=HolderKind.PERSON, id=key),
                spot=form.get("spot") or None,
            )
        )
        if form.get("prove"):
            tasks.append(t.PlaceTestCall(number=number))
    return tasks, f"{name} joins"


def mover(context: Context, form: dict[str, str]) -> tuple[list[Any], str]:
    with context.reading() as reading:
        person = _person(reading, form.get("person", ""), "person")
        site = _site(reading, form.get("site", ""))
        held = reading.records.held_by(Number, [_ref(person)])
    values: dict[str, Any] = {
        name: form[name] for name in ("department", "extension") if form.get(name)
    }
    tasks: list[Any] = [
        t.ChangePerson(person=person.id, site=site.id if site.id != person.site else None, **values)
    ]
    if form.get("spot"):
        tasks.append(t.SetSpot(person=person.id, spot=form["spot"]))
    if number := _number(context, form.get("number", ""), site.id):
        main = [n for n in held if n.assignment and n.assignment.role is Role.MAIN]
        tasks += [t.UnassignNumber(number=n.e164, holder=_ref(person)) for n in main]
        tasks.append(
            t.AssignNumber(number=number, holder=_ref(person), spot=form.get("spot") or None)
        )
    return (
        tasks,
        (
            f"{person.name} moves to {site.name}"
            if site.id != person.site
            else f"{person.name} changes"
        ),
    )


def leaver(context: Context, form: dict[str, str]) -> tuple[list[Task], str]:
    rest = form.get("rest", "")
    if rest and not (rest.isdigit() and int(rest) <= 3650):
        raise NotUnderstood("Aging days are a number, 3,650 at most.", field="rest")
    with context.reading() as reading:
        person = _person(reading, form.get("person", ""), "person")
        tasks = leaving(reading, person, rest=int(rest) if rest else None)
    return tasks, f"{person.name} leaves"


def leaving(reading: Reading, person: Person, *, rest: int | None = None) -> list[Any]:
    """Everything somebody holds taken back, their memberships ended, and that they are gone."""
    ref = _ref(person)
    estate = reading.look_at(Subject.PERSON, person.id)
    products = {p.id: p for p in estate.all(Product)}
    tasks: list[Any] = [
        t.UnassignNumber(number=n.e164, holder=ref, rest=rest) for n in estate.numbers_of(ref)
    ]
    grants = sorted(
        estate.grants_of(ref), key=lambda g: (-len(products[g.product].prerequisites), g.product)
    )
    tasks += [t.RevokeLicence(holder=ref, product=g.product) for g in grants]
    for group in groups_of(reading, person.id):
        members = tuple(m for m in group.members if m != person.id)
        tasks.append(
            t.SetGroup(
                group=group.id,
                name=group.name,
                members=members,
                known_elsewhere_as=group.known_elsewhere_as,
            )
        )
    return [*tasks, t.ChangePerson(person=person.id, left=True)]


def groups_of(reading: Reading, person: str) -> list[Group]:
    member = holder_tables.group_member
    keys = [
        key
        for (key,) in reading.connection.execute(
            select(member.c.group).where(member.c.person == person)
        )
    ]
    return sorted(reading.records.many(Group, keys), key=lambda g: g.name)


def exchange(context: Context, form: dict[str, str]) -> tuple[list[Any], str]:
    with context.reading() as reading:
        one, other = (
            _person(reading, form.get("person", ""), "person"),
            _person(reading, form.get("other", ""), "other"),
        )
        if one.id == other.id:
            raise NotUnderstood("Choose two different people.", field="other")
        held = {
            p.id: [n for n in reading.records.held_by(Number, [_ref(p)]) if n.assignment]
            for p in (one, other)
        }
    if not held[one.id] and not held[other.id]:
        raise NotUnderstood("Neither of the two has a number to exchange.", field="other")
    back = [
        t.UnassignNumber(number=n.e164, holder=_ref(p), rest=0)
        for p in (one, other)
        for n in held[p.id]
    ]
    pairs = ((n, to) for p, to in ((one, other), (other, one)) for n in held[p.id])
    give = [
        t.AssignNumber(number=n.e164, holder=_ref(to), role=n.assignment.role, spot=to.spot)
        for n, to in pairs
        if n.assignment
    ]
    return [*back, *give], f"{one.name} and {other.name} exchange numbers"


def season(context: Context, form: dict[str, str]) -> tuple[list[Task], str]:
    until = moment_of(context, form.get("until", ""), "until")
    if until is None or until <= context.now():
        raise NotUnderstood("Say on which day the season is over.", field="until")
    with context.reading() as reading:
        line = reading.records.find(ServiceLine, form.get("line", ""))
    if line is None:
        raise NotUnderstood("Choose the service line.", field="line")
    number = _number(context, form.get("number", "") or FIRST_FREE, line.site)
    if number is None:
        raise NotUnderstood("Type the number.", field="number")
    ref = HolderRef(kind=HolderKind.SERVICE_LINE, id=line.id)
    with context.reading() as reading:
        has_main = any(
            n.assignment and n.assignment.role is Role.MAIN
            for n in reading.records.held_by(Number, [ref])
        )
    tasks: list[Task] = [
        t.AssignNumber(number=number, holder=ref, role=Role.EXTRA if has_main else Role.MAIN)
    ]
    if form.get("path"):
        tasks.append(t.SetPath(number=number, path=form["path"]))
        tasks.append(t.PutBackLater(task=1, at=until))
    return [*tasks, t.PutBackLater(task=0, at=until)], f"{line.name}, for a season"


def _ref(person: Person) -> HolderRef:
    return HolderRef(kind=HolderKind.PERSON, id=person.id)


def _person(reading: Reading, key: str, field: str) -> Person:
    key = key.removeprefix("person:")
    found = reading.records.find(Person, key)
    if found is None:
        raise NotUnderstood("Choose the person: type a part of the name and pick one.", field=field)
    if found.left:
        raise NotUnderstood(f"{found.name} has left already. Choose somebody else.", field=field)
    return found


def _site(reading: Reading, key: str) -> Site:
    found = reading.records.find(Site, key)
    if found is None:
        raise NotUnderstood("Choose the site.", field="site")
    return found


def _number(context: Context, typed: str, site: str) -> str | None:
    """None for nothing typed; the first free one of the site where that is asked for. Raises
    NotUnderstood where there is none."""
    if not typed:
        return None
    if typed != FIRST_FREE:
        return the_number(context, typed)
    free = free_numbers(context, site, limit=1)
    if not free:
        raise NotUnderstood(
            "No number is free at this site. Order some, or choose one of another site.",
            field="number",
        )
    return free[0].e164
