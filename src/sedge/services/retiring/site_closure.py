"""Closing a site: everything that is there, what depends on it elsewhere, the money,
and one work order that lets it all go."""

from collections import Counter
from dataclasses import dataclass
from datetime import date

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.callpaths.steps import resting_path
from sedge.core.enums import HolderKind
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.records import (
    ORGANISATION,
    Carrier,
    Defaults,
    Grant,
    Number,
    PathVersion,
    Person,
    Product,
    ServiceLine,
    Site,
)
from sedge.core.retiring.dependencies import Dependence, dependences
from sedge.core.retiring.quarantine import days_for, rest_of
from sedge.core.retiring.terms import Sum, choices, sums
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Reading
from sedge.services.retiring import retiring
from sedge.services.retiring.usage_index import around
from sedge.services.workorders.guided_workflows import leaving
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_NUMBERS = 2000  # in one work order; a larger site is closed in parts, by choosing its numbers
MOST_PEOPLE = 2000
CAN_GO = (State.AVAILABLE, State.RESERVED, State.ASSIGNED, State.AGING, State.ADMINISTRATIVE)


@dataclass(frozen=True)
class Closing:
    """`grave` are dependences that would lose calls or help, each with its number; `idle` licence
    seats by product; `beyond` numbers that one work order doesn't take."""

    site: Site
    by_state: Counter[State]
    numbers: list[Number]
    people: list[Person]
    lines: list[ServiceLine]
    sums: list[Sum]
    grave: list[tuple[Number, Dependence]]
    idle: Counter[str]
    beyond: int
    rest_days: int
    last_term: date | None
    announcement: str


def view_closing(context: Context, key: str) -> Closing:
    """Raises NotFound."""
    with context.reading() as reading:
        site = reading.records.the(Site, key)
        numbers, total = _numbers(reading, key)
        people = reading.records.where(
            Person,
            tables.person.c.site == key,
            tables.person.c.departed.is_(False),
            limit=MOST_PEOPLE,
        )
        lines = reading.records.where(ServiceLine, tables.service_line.c.site == key)
        estate = reading.estate(LoadSpec(numbers={n.e164 for n in numbers}))
        carriers = {c.id: c for c in estate.all(Carrier)}
        used = [n for n in numbers if n.in_use]
        about = around(reading, used)
        grave = [
            (n, d)
            for n in used
            for d in dependences(n, estate, about[n.e164])
            if d.grave and d.href != _own_page(n)
        ]
        refs = {n.e164: n.holder for n in numbers if n.holder}
        grants = reading.records.held_by(Grant, refs.values())
        products = {p.id: p.name for p in reading.records.all(Product)}
    today = context.now().date()
    of_each = [choices(n, carriers[n.carrier], today, rest_of(n, estate)) for n in numbers]
    terms = [n.bound_until for n in numbers if n.bound_until]
    return Closing(
        site,
        Counter(n.state for n in numbers),
        numbers,
        people,
        lines,
        sums(of_each),
        grave,
        Counter(products[g.product] for g in grants if g.until is None),
        total - len(numbers),
        days_for(site.country, Kind.GEOGRAPHIC, estate.get(Defaults, ORGANISATION)),
        max(terms, default=None),
        f"{site.name} is closed. This number is no longer in use.",
    )


def _own_page(number: Number) -> str:
    kinds = {
        HolderKind.PERSON: "people",
        HolderKind.SITE: "sites",
        HolderKind.SERVICE_LINE: "lines",
    }
    return (
        f"/holders/{kinds[number.holder.kind]}/{number.holder.id}"
        if number.holder and number.holder.kind in kinds
        else ""
    )


def _numbers(reading: Reading, site: str) -> tuple[list[Number], int]:
    life = tables.life
    here = (
        life.c.site == site,
        life.c.state.in_([s.value for s in CAN_GO]),
        life.c.leaving_on.is_(None),
        is_open(),
    )
    total = (
        reading.connection.execute(select(func.count()).select_from(life).where(*here)).scalar()
        or 0
    )
    return reading.records.where(Number, *here, order_by=life.c.number, limit=MOST_NUMBERS), total


def plan(
    context: Context,
    key: str,
    *,
    then: str,
    rest: str = "",
    announcement: str = "",
    people: str = "stay",
) -> tuple[list[Task], str]:
    """One work order for all of a site's numbers: taken back, idle seats saved, then released, or
    rested and released, or kept. Its people `stay` as they are, `leave`, or move to the site of
    that id. Raises NotUnderstood naming the field, NotAllowedNow where nothing is left.
    """
    context.require(May.RELEASE)
    days = retiring.days_of_rest(rest)
    if then not in retiring.THENS:
        raise NotUnderstood("Choose what becomes of the numbers.", field="then")
    if len(announcement) > retiring.MOST_WORDS:
        raise NotUnderstood(f"At most {retiring.MOST_WORDS} characters.", field="announcement")
    view = view_closing(context, key)
    tasks = retiring.many(
        context,
        [n.e164 for n in view.numbers],
        then=then,
        rest=days,
        announcement=announcement.strip(),
    )
    tasks += [
        *_paths(context, view, announcement.strip() or view.announcement),
        *_people(context, view, people),
    ]
    if not tasks:
        raise NotAllowedNow(f"Nothing is left at {view.site.name} to release.", reason="nothing")
    return tasks, f"Close {view.site.name}: {counted(len(view.numbers), 'number')}"


def _paths(context: Context, view: Closing, words: str) -> list[Task]:
    """Call paths that only the site's numbers follow say that it is closed from then on, so that
    they need nobody any more."""
    life = tables.life
    here = Counter(n.path for n in view.numbers if n.path)
    with context.reading() as reading:
        query = (
            select(life.c.path, func.count())
            .where(life.c.path.in_(sorted(here)), is_open())
            .group_by(life.c.path)
        )
        alone = [
            key for key, followers in reading.connection.execute(query) if followers == here[key]
        ]
        paths = reading.records.many(PathVersion, alone)
    return [
        t.PublishPath(path=p.id, name=p.name, body=resting_path(words), based_on=p.number)
        for p in sorted(paths, key=lambda p: p.name)
    ]


def _people(context: Context, view: Closing, people: str) -> list[Task]:
    if people == "stay":
        return []
    going = {n.e164 for n in view.numbers}
    tasks: list[Task] = []
    with context.reading() as reading:
        if people == "leave":
            for person in view.people:
                found = leaving(reading, person)
                tasks += [
                    x for x in found if not (isinstance(x, t.UnassignNumber | t.RevokeLicence))
                ]
                ref = HolderRef(kind=HolderKind.PERSON, id=person.id)
                others = [n for n in reading.records.held_by(Number, [ref]) if n.e164 not in going]
                tasks += [t.UnassignNumber(number=n.e164, holder=ref) for n in others]
            return tasks
        target = reading.records.find(Site, people)
        if target is None or target.id == view.site.id:
            raise NotUnderstood(
                "Choose another site for its people, or that they leave, or stay as they are.",
                field="people",
            )
        if target.spot is None:
            raise NotUnderstood(
                f"{target.name} has no spot that people could be put at. Add one first.",
                field="people",
            )
    for person in view.people:
        tasks += [
            t.ChangePerson(person=person.id, site=target.id),
            t.SetSpot(person=person.id, spot=target.spot),
        ]
    return tasks
