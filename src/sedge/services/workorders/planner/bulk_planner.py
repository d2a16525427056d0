"""The bulk planner: people and numbers gathered, solved, changed by hand and solved
again; one work order in the end."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from sedge.core.enums import Capacity
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import consecutive
from sedge.core.records import HolderKind, HolderRef, Number, Person, Role, Site, Spot
from sedge.core.supply.offers import memorability
from sedge.core.workorders import tasks as t
from sedge.core.workorders.planner.problem import MOST_WEIGHT, Free, Plan, Problem, Wants, Wish
from sedge.core.workorders.planner.solve import solve
from sedge.core.workorders.task_base import Task
from sedge.services import people_lookup
from sedge.services.context import Context, Reading
from sedge.services.numbers import bulk_actions
from sedge.services.numbers.numbers import the_number
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import projected, tables

MOST_PEOPLE, MOST_NUMBERS = 5000, 10_000


@dataclass(frozen=True)
class Planned:
    """A problem with its plan; `holds` are the main numbers that people of it have now, and would
    give back."""

    problem: Problem
    plan: Plan
    holds: dict[str, str]
    sites: dict[str, str]


@dataclass(frozen=True)
class Asked:
    """What somebody chose: people by sites and departments, named one a line or by ids, numbers by
    ranges or the sites' free ones, wishes' weights, pairs set by hand and taken apart."""

    sites: tuple[str, ...] = ()
    department: str = ""
    people: str = ""
    ids: tuple[str, ...] = ()
    also_with_number: bool = False
    numbers: str = ""
    weights: dict[Wish, int] | None = None
    pins: dict[str, str] | None = None
    barred: tuple[tuple[str, str], ...] = ()


def plan(context: Context, asked: Asked) -> Planned:
    """The best plan for what is asked. Raises NotUnderstood where nobody, or no number, is chosen,
    or a pin can't hold."""
    with context.reading() as reading:
        sites = {s.id: s for s in reading.records.all(Site)}
        people = _people(context, reading, asked, sites)
        theirs = [
            n for n in reading.records.held_by(Number, [_ref(p.id) for p in people]) if n.holder
        ]
        held = {
            n.holder.id: n
            for n in theirs
            if n.holder and n.assignment and n.assignment.role is Role.MAIN
        }
        if not asked.people.strip() and not asked.also_with_number:
            having = {n.holder.id for n in theirs if n.holder}
            people = [p for p in people if p.id not in having]
        if not people:
            raise NotUnderstood(
                "Nobody is chosen who wants a number. Choose a site, or name people.", field="sites"
            )
        if len(people) > MOST_PEOPLE:
            raise NotUnderstood(
                f"At most {MOST_PEOPLE:,} people at a time; these are {len(people):,}.",
                field="people",
            )
        free = _numbers(context, reading, asked, {p.site for p in people}, sites)
        before = last_numbers(reading, [p for p in people if p.id not in held])
    wants = [
        Wants(
            id=p.id,
            name=p.name,
            site=p.site,
            country=sites[p.site].country,
            extension=p.extension,
            team=p.department,
            before=held[p.id].e164 if p.id in held else before.get(p.id, ""),
        )
        for p in people
    ]
    known = {n.e164 for n in free}
    ids = {p.id for p in people}
    pins = {
        person: the_number(context, number, field=f"pin-{person}")
        for person, number in (asked.pins or {}).items()
        if person in ids
    }
    strange = next((n for n in pins.values() if n not in known), None)
    if strange:
        person = next(p for p, n in pins.items() if n == strange)
        raise NotUnderstood(
            f"{describe(strange).shown} is not among the numbers that may be given.",
            field=f"pin-{person}",
        )
    weights = {wish: max(0, min(MOST_WEIGHT, w)) for wish, w in (asked.weights or {}).items()}
    problem = Problem(
        people=tuple(wants),
        numbers=tuple(free),
        pins=pins,
        barred=asked.barred,
        **({"weights": weights} if weights else {}),
    )
    return Planned(
        problem,
        solve(problem),
        {key: n.e164 for key, n in held.items()},
        {s.id: s.name for s in sites.values()},
    )


def _ref(person: str) -> HolderRef:
    return HolderRef(kind=HolderKind.PERSON, id=person)


def _people(
    context: Context, reading: Reading, asked: Asked, sites: dict[str, Site]
) -> list[Person]:
    if asked.ids:
        return reading.records.many(Person, asked.ids)
    if asked.people.strip():
        return people_lookup.people_in(context, asked.people, most=MOST_PEOPLE)
    person = tables.person
    wanted = [s for s in asked.sites if s in sites]
    if not wanted:
        raise NotUnderstood("Choose a site, or name people one a line.", field="sites")
    found = reading.records.where(
        Person,
        person.c.departed.is_(False),
        person.c.site.in_(wanted),
        order_by=person.c.name,
        limit=MOST_PEOPLE * 4,
    )
    return [
        p for p in found if not asked.department or p.department.lower() == asked.department.lower()
    ]


def _numbers(
    context: Context, reading: Reading, asked: Asked, own: set[str], sites: dict[str, Site]
) -> list[Free]:
    """Available numbers that carry one call, or any: those in the ranges typed, else those of the
    people's sites."""
    life = tables.life
    fits = (
        life.c.state == State.AVAILABLE.value,
        life.c.capacity.in_([Capacity.SINGLE.value, Capacity.ANY.value]),
        life.c.leaving_on.is_(None),
    )
    if asked.numbers.strip():
        chosen = bulk_actions.pasted(context, asked.numbers).numbers
        rows = reading.records.many(Number, [f"+{n}" for n in list(chosen)[: MOST_NUMBERS * 2]])
        found = [
            n
            for n in rows
            if n.state is State.AVAILABLE
            and n.capacity in {Capacity.SINGLE, Capacity.ANY}
            and not n.leaving_on
        ]
        if not found:
            raise NotUnderstood(
                "None of these numbers is available for one person. Look at them under Numbers.",
                field="numbers",
            )
    else:
        found = reading.records.where(
            Number, *fits, life.c.site.in_(sorted(own)), order_by=life.c.number, limit=MOST_NUMBERS
        )
        if not found:
            raise NotUnderstood(
                "No number is available at these sites. Type ranges of others, or order what is"
                " missing.",
                field="numbers",
            )
    runs = {n: len(run) for run in consecutive(sorted(int(x.e164) for x in found)) for n in run}
    return [
        Free(
            e164=n.e164,
            site=n.site,
            country=sites[n.site].country,
            memorable=memorability(n.e164[-4:]),
            run=runs[int(n.e164)],
        )
        for n in found
        if n.site in sites
    ]


def last_numbers(reading: Reading, people: Iterable[Person]) -> dict[str, str]:
    """The number each had last, for those who have none now."""
    span = projected.span
    ids = [p.id for p in people]
    found: dict[str, str] = {}
    for start in range(0, len(ids), 500):
        part = ids[start : start + 500]
        query = (
            select(span.c.holder_id, span.c.number, func.max(span.c.until))
            .where(
                span.c.holder_kind == HolderKind.PERSON.value,
                span.c.holder_id.in_(part),
                span.c.until.is_not(None),
            )
            .group_by(span.c.holder_id)
        )
        found |= {key: f"+{number}" for key, number, _ in reading.connection.execute(query)}
    return found


def draft(
    context: Context, planned: Planned, *, prove: bool, spot: str = "", reason: str = ""
) -> WorkOrder:
    """The plan as one work order: numbers held till now are given back, new ones given, and proven
    where that is wanted. `spot` is for those of its site who have none."""
    pairs = [(g.person, g.number) for g in planned.plan.given if g.number]
    back = [
        t.UnassignNumber(number=planned.holds[person], holder=_ref(person))
        for person, _ in pairs
        if person in planned.holds
    ]
    give = [t.AssignNumber(number=number, holder=_ref(person)) for person, number in pairs]
    calls = [t.PlaceTestCall(number=number) for _, number in pairs] if prove else []
    tasks: list[Any] = [
        *_spots(context, [person for person, _ in pairs], spot),
        *back,
        *give,
        *calls,
    ]
    if not tasks:
        raise NotUnderstood(
            "The plan gives nobody a number. Choose other numbers.", field="numbers"
        )
    if len(tasks) > workorders.MOST_TASKS:
        raise NotUnderstood(
            f"These are {len(tasks):,} tasks, and {workorders.MOST_TASKS:,} fit into one work"
            " order. Leave the test calls out, or choose fewer people.",
            field="people",
        )
    return workorders.draft(context, f"Numbers for {len(pairs):,} people", tasks, reason=reason)


def _spots(context: Context, people: list[str], spot: str) -> list[Task]:
    if not spot:
        return []
    with context.reading() as reading:
        found = reading.records.find(Spot, spot)
        if found is None or found.removed:
            raise NotUnderstood("Choose one of the spots that are here.", field="spot")
        return [
            t.SetSpot(person=p.id, spot=spot)
            for p in reading.records.many(Person, people)
            if p.spot is None and p.site == found.site
        ]


def departments(context: Context) -> list[str]:
    """Departments of people who are here, for a form to choose from; looked through everybody every
    ten minutes at most."""

    def look() -> list[str]:
        with context.reading() as reading:
            column = func.json_extract(tables.person.c.body, "$.department")
            rows = reading.connection.execute(
                select(column).where(tables.person.c.departed.is_(False)).distinct().limit(400)
            ).scalars()
            return sorted(x for x in rows if x)

    return context.installation.for_a_while(context, "departments", look)
