"""Choosing many numbers and doing one thing with all of them: a selection, what is in it, the work
order it becomes."""

import hashlib
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from sqlalchemy import insert, select

from sedge import services
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import Event, State, allows
from sedge.core.numbers.pasted import Pasted, numbers_in
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import HolderKind, HolderRef, Number, tags_in
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Task
from sedge.module_search import modules_of
from sedge.services import people_lookup
from sedge.services.context import Context
from sedge.services.numbers import features
from sedge.services.numbers.numbers import also_countries, holder_ref
from sedge.store.repositories import numbers as store
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

MOST_CHOSEN, MOST_CHANGED = 10_000, 2_000
SHORT = 1500  # characters of ranges that an address can carry; longer ones are kept under a name
EVENTS = {
    "assign": (Event.ASSIGN,),
    "reserve": (Event.RESERVE,),
    "unreserve": (Event.UNRESERVE,),
    "set-aside": (Event.SET_ASIDE,),
    "return": (Event.RETURN,),
    "end-rest": (Event.END_REST,),
    "unassign": (Event.UNASSIGN,),
    "release": (Event.RELEASE,),
    "retire": (Event.UNASSIGN, Event.RELEASE),
    "label": (),
    "feature": (),
}
TITLES = {
    "assign": "Give {} to {}",
    "reserve": "Reserve {}",
    "unreserve": "Cancel the reservation of {}",
    "set-aside": "Set {} aside",
    "return": "Return {} to the available ones",
    "end-rest": "End the rest of {}",
    "unassign": "Take back {}",
    "release": "Release {}",
    "retire": "Retire {}",
    "label": "Label {}",
    "feature": "Switch {1} for {0}",
}


Planner = Callable[[Context, Sequence[str], dict[str, str]], list[Task]]
PLANNERS: dict[str, Planner] = {}


def plans_many(act: str) -> Callable[[Planner], Planner]:
    """Register a function of another area as what finds the tasks of an act for many numbers, from
    what was typed in its form."""

    def register(function: Planner) -> Planner:
        PLANNERS[act] = function
        return function

    return register


@cache
def planners() -> dict[str, Planner]:
    """The acts that other areas plan."""
    for _ in modules_of(services, called="many_at_once"):
        pass
    return PLANNERS


@dataclass(frozen=True)
class Choice:
    """A selection: `name` stands for it in an address; `here` are those in the estate, `unknown`
    the others."""

    name: str
    numbers: NumberSet
    here: NumberSet
    by_state: Counter[State]
    by_site: Counter[str]

    @property
    def unknown(self) -> NumberSet:
        return self.numbers - self.here

    def how_many(self, act: str) -> int:
        """To how many of the numbers an act can be done in the state they are in."""
        if not EVENTS[act]:
            return len(self.here)
        return sum(
            n
            for state, n in self.by_state.items()
            if any(allows(state, event) for event in EVENTS[act])
        )


def keep_choice(context: Context, numbers: NumberSet) -> str:
    """The name under which an address can carry the selection: its ranges, or where they are long,
    a kept one."""
    written = numbers.written
    if len(written) <= SHORT:
        return written
    name = "kept-" + hashlib.sha256(written.encode()).hexdigest()[:16]
    kept = projected.kept_choice
    with context.writing() as writing:
        if writing.connection.execute(select(kept.c.id).where(kept.c.id == name)).first() is None:
            writing.connection.execute(
                insert(kept).values(id=name, numbers=written, at=writing.now)
            )
    return name


def named(context: Context, name: str) -> NumberSet:
    """Raises NotUnderstood, NotFound."""
    if not name.startswith("kept-"):
        return NumberSet.parse(name, most=MOST_CHOSEN)
    kept = projected.kept_choice
    with context.reading() as reading:
        written = reading.connection.execute(
            select(kept.c.numbers).where(kept.c.id == name)
        ).scalar()
    if written is None:
        raise NotFound(
            "This selection is not kept here. Choose the numbers again.",
            subject="selection",
            id=name,
        )
    return NumberSet.parse(written, most=MOST_CHOSEN)


def view_choice(context: Context, name: str) -> Choice:
    numbers = named(context, name)
    life = tables.life
    by_state: Counter[State] = Counter()
    by_site: Counter[str] = Counter()
    with context.reading() as reading:
        here = store.owned(reading.connection, numbers)
        values = list(here)
        for start in range(0, len(values), 900):
            part = life.c.number.in_(values[start : start + 900]), is_open()
            for state, site in reading.connection.execute(
                select(life.c.state, life.c.site).where(*part)
            ):
                by_state[State(state)] += 1
                by_site[site] += 1
    return Choice(name, numbers, here, by_state, by_site)


def features_of(context: Context, choice: Choice) -> list[str]:
    """The features that some of the chosen numbers could have or have."""
    with context.reading() as reading:
        records = reading.records.many(Number, [f"+{n}" for n in list(choice.here)[:MOST_CHANGED]])
    return features.offered_for(context, records)


def pasted(context: Context, text: str) -> Pasted:
    """The numbers in a pasted text. Raises NotUnderstood where there are none, or too many."""
    found = numbers_in(text, context.organisation.home_country, also_countries(context))
    if not found.numbers:
        raise NotUnderstood(
            "No number could be read in this. Paste numbers in any writing, one or several a line;"
            " words between are passed over.",
            field="text",
        )
    if len(found.numbers) > MOST_CHOSEN:
        raise NotUnderstood(
            f"At most {MOST_CHOSEN:,} numbers at a time; these are {len(found.numbers):,}.",
            field="text",
        )
    return found


def plan(context: Context, act: str, choice: Choice, form: dict[str, str]) -> tuple[list[Any], str]:
    """The tasks and the title of the work order that does `act` with the numbers chosen. Raises
    NotUnderstood naming the field."""
    if act not in EVENTS:
        raise NotFound("There is nothing like that to be done with numbers.", subject="act", id=act)
    if not choice.here:
        raise NotUnderstood(
            "None of these numbers is in the estate. Choose others.", field="numbers"
        )
    most = MOST_CHOSEN if act == "label" else MOST_CHANGED
    if len(choice.here) > most:
        raise NotUnderstood(
            f"At most {most:,} numbers can be changed in one work order; these are"
            f" {len(choice.here):,}.",
            field="numbers",
        )
    numbers = [f"+{n}" for n in choice.here]
    if act == "label":
        return [_label(numbers, form)], _title(act, numbers)
    with context.reading() as reading:
        records = sorted(reading.records.many(Number, numbers), key=lambda n: n.e164)
    fitting = [n for n in records if _fits(n, act)] if form.get("only_fitting") else records
    if not fitting:
        raise NotUnderstood(
            "None of these numbers is in a state that allows it. Choose others.", field="numbers"
        )
    if act == "assign":
        return _assign(context, fitting, form)
    if act == "feature":
        return _feature(fitting, form)
    chosen = [n.e164 for n in fitting]
    if planner := planners().get(act):
        return planner(context, chosen, form), _title(act, chosen)
    make = _makers(form)[act]
    return [make(number) for number in chosen], _title(act, chosen)


def _fits(number: Number, act: str) -> bool:
    """Whether the state it is in allows the act."""
    if act == "feature":
        return features.can_be_switched(number)
    return any(allows(number.state, event) for event in EVENTS[act])


def _feature(numbers: Sequence[Number], form: dict[str, str]) -> tuple[list[Any], str]:
    """A feature switched on or off for all that are not so already."""
    name, switch = form.get("feature", ""), form.get("switch", "on")
    if not name:
        raise NotUnderstood("Choose the feature to switch.", field="feature")
    found = features.tasks(numbers, name, on=switch == "on")
    if not found:
        raise NotUnderstood(
            f"{name.capitalize()} is {switch} for all of these already.", field="feature"
        )
    return found, _title("feature", [x.e164 for x in found if x.e164], f"{name} {switch}")


def _title(act: str, numbers: Sequence[str], to: str = "") -> str:
    first = describe(numbers[0]).shown
    return TITLES[act].format(
        first if len(numbers) == 1 else f"{len(numbers):,} numbers from {first}", to
    )[:200]


def _makers(form: dict[str, str]) -> dict[str, Callable[[str], Task]]:
    reason = form.get("for", "")[:200]
    if len(form.get("reason", "")) < 3 and "reason" in form.get("asks", ""):
        raise NotUnderstood(
            "Say why its rest ends early; callers of its last holder may ring.", field="reason"
        )
    until = day_of(form.get("until", ""))
    rest = form.get("rest", "")
    return {
        "reserve": lambda n: t.ReserveNumber(number=n, reason=reason, until=until),
        "unreserve": lambda n: t.UnreserveNumber(number=n),
        "set-aside": lambda n: t.SetAside(number=n, reason=reason),
        "return": lambda n: t.ReturnNumber(number=n),
        "end-rest": lambda n: t.EndRest(number=n, reason=form.get("reason", "")[:200]),
        "unassign": lambda n: t.UnassignNumber(
            number=n, rest=int(rest) if rest.isdigit() and int(rest) <= 3650 else None
        ),
        "release": lambda n: t.ReleaseNumber(number=n),
    }


def day_of(text: str) -> datetime | None:
    """The end of a day that was typed; None for ''. Raises NotUnderstood."""
    if not text:
        return None
    try:
        return datetime.fromisoformat(f"{text}T23:59:59+00:00")
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field="until") from error


def _label(numbers: Sequence[str], form: dict[str, str]) -> object:
    given = {
        name: form[name].strip() for name in ("label", "cost_centre") if form.get(name, "").strip()
    }
    add, drop = tags_in(form.get("add_tags", "")), tags_in(form.get("drop_tags", ""))
    if not given and not add and not drop:
        raise NotUnderstood(
            "Type a label, a cost centre, or tags to put on or take off.", field="label"
        )
    for name, most in (("label", 80), ("cost_centre", 40)):
        if len(given.get(name, "")) > most:
            raise NotUnderstood(
                f"At most {most} characters fit here; this has {len(given[name])}.", field=name
            )
    return t.LabelNumbers(
        numbers=tuple(numbers),
        add_tags=add,
        drop_tags=drop,
        **given,  # type: ignore[arg-type]
    )


def _assign(
    context: Context, numbers: Sequence[Number], form: dict[str, str]
) -> tuple[list[Any], str]:
    """All to one holder (the first as main number where they have none), or one each, in order, to
    the people named."""
    if names := form.get("people", "").strip():
        people = [
            people_lookup.one_person(context, line) for line in names.splitlines() if line.strip()
        ]
        if len(people) > len(numbers):
            raise NotUnderstood(
                f"{len(people)} people are named, and {len(numbers)} numbers are chosen. Choose"
                " more.",
                field="people",
            )
        pairs = list(zip(numbers, people, strict=False))
        tasks = [
            t.AssignNumber(number=n.e164, holder=HolderRef(kind=HolderKind.PERSON, id=p.id))
            for n, p in pairs
        ]
        return tasks, _title("assign", [n.e164 for n, _ in pairs], f"{len(people)} people")
    if not form.get("holder"):
        raise NotUnderstood(
            "Choose who gets them: type a name and pick one, or name people below.", field="who"
        )
    ref = holder_ref(form["holder"])
    with context.reading() as reading:
        has_main = any(
            n.assignment and n.assignment.role == "main"
            for n in reading.records.held_by(Number, [ref])
        )
    roles: list[Any] = ["extra" if has_main or i else "main" for i in range(len(numbers))]
    tasks = [
        t.AssignNumber(number=n.e164, holder=ref, role=role)
        for n, role in zip(numbers, roles, strict=True)
    ]
    return tasks, _title("assign", [n.e164 for n in numbers], people_lookup.name_of(context, ref))
