"""A call path as data: a directed graph of steps with named exits.

`Path` is what is published, stored as JSON, drawn and traced. Steps refer to each other by key; an exit that leads
nowhere ends the call. Only the shape is judged here; what a call does in it is `trace`.
"""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from sedge.core.facts import Fact

RING_SECONDS = 25
Key = Annotated[str, Field(pattern=r"^[a-z0-9-]{1,40}$")]
Clock = Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$|^24:00$")]


class Opening(Fact):
    """Open from `start` to `end` on these weekdays (0 Monday), in the path's time zone."""

    weekdays: tuple[Annotated[int, Field(ge=0, le=6)], ...]
    start: Clock
    end: Clock


class Closure(Fact):
    first: date
    last: date
    name: str = "closed"


class Hours(Fact):
    """Exits: open, closed, holiday. Public holidays are those of `holidays_of` (ISO 3166, with subdivision after a dash)."""

    kind: Literal["hours"] = "hours"
    title: str = "Hours"
    timezone: str
    openings: tuple[Opening, ...]
    closures: tuple[Closure, ...] = ()
    holidays_of: str = ""
    exits: dict[str, Key] = {}


class Menu(Fact):
    """Exits: the keys, `no input`, `wrong input`."""

    kind: Literal["menu"] = "menu"
    title: str = "Menu"
    greeting: str
    keys: dict[Annotated[str, Field(pattern=r"^[0-9*#]$")], str]
    wait_seconds: int = Field(default=5, ge=1, le=60)
    repeats: int = Field(default=2, ge=1, le=5)
    exits: dict[str, Key] = {}


class Ring(Fact):
    """Rings the number's holder (`people` and `groups` empty) or these people and all members of these groups. Exits: no answer, busy, nobody reachable."""

    kind: Literal["ring"] = "ring"
    title: str = "Ring"
    people: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    order: Literal["all", "in order"] = "all"
    seconds: int = Field(default=RING_SECONDS, ge=5, le=300)
    exits: dict[str, Key] = {}


class Queue(Fact):
    """Agents are rung one after the other for `ring_seconds` each. Exits: full, waited too long, nobody signed in."""

    kind: Literal["queue"] = "queue"
    title: str = "Queue"
    people: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    ring_seconds: int = Field(default=20, ge=5, le=120)
    most_waiting: int = Field(default=8, ge=0, le=500)
    longest_wait: int = Field(default=240, ge=10, le=7200)
    exits: dict[str, Key] = {}


class Announce(Fact):
    """Speaks, then goes on at `done`, or ends the call as announced."""

    kind: Literal["announce"] = "announce"
    title: str = "Announce"
    text: str
    exits: dict[str, Key] = {}


class Mailbox(Fact):
    """Takes a message for `recipients`; empty: the number's holder."""

    kind: Literal["mailbox"] = "mailbox"
    title: str = "Mailbox"
    recipients: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    exits: dict[str, Key] = {}


class End(Fact):
    kind: Literal["end"] = "end"
    title: str = "End"
    exits: dict[str, Key] = {}


Step = Annotated[Hours | Menu | Ring | Queue | Announce | Mailbox | End, Field(discriminator="kind")]

EXITS: dict[str, tuple[str, ...]] = {
    "hours": ("open", "closed", "holiday"),
    "menu": ("no input", "wrong input"),
    "ring": ("no answer", "busy", "nobody reachable"),
    "queue": ("full", "waited too long", "nobody signed in"),
    "announce": ("done",),
    "mailbox": (),
    "end": (),
}


class Path(Fact):
    """`first` is where a call comes in."""

    first: Key
    steps: dict[Key, Step] = Field(min_length=1, max_length=500)

    @model_validator(mode="after")
    def _exits_lead_somewhere(self) -> "Path":
        if self.first not in self.steps:
            raise ValueError(f"the first step “{self.first}” is not among the steps")
        for key, step in self.steps.items():
            allowed = {*EXITS[step.kind], *(step.keys if isinstance(step, Menu) else ())}
            for exit_name, target in step.exits.items():
                if target not in self.steps:
                    raise ValueError(f"exit “{exit_name}” of “{key}” leads to “{target}”, which is not among the steps")
                if exit_name not in allowed:
                    raise ValueError(f"“{exit_name}” is no exit of a {step.kind} (it has: {', '.join(sorted(allowed)) or 'none'})")
        return self


@lru_cache(maxsize=64)
def holder_path(seconds: int = RING_SECONDS) -> Path:
    """What happens where a number has no path of its own: ring the holder, then their mailbox."""
    away = dict.fromkeys(EXITS["ring"], "mailbox")
    return Path(first="ring", steps={"ring": Ring(seconds=seconds, exits=away), "mailbox": Mailbox()})


def people_named(body: dict[str, Any]) -> Iterator[str]:
    """Ids of people that a stored path names."""
    for step in body.get("steps", {}).values():
        yield from step.get("people", ())
        yield from step.get("recipients", ())


def groups_named(body: dict[str, Any]) -> set[str]:
    """Ids of groups that a stored path names."""
    return {key for step in body.get("steps", {}).values() for key in step.get("groups", ())}


def answered_by(step: dict[str, Any]) -> tuple[str, ...]:
    """Ids of the people whom a stored step names itself, to ring or to read its mailbox."""
    return (*step.get("people", ()), *step.get("recipients", ()))


def with_people(body: dict[str, Any], members: Mapping[str, Iterable[str]]) -> dict[str, Any]:
    """A stored path with the members of its groups named among its people, each once, the groups left out."""
    return {**body, "steps": {key: _with_people(step, members) for key, step in body["steps"].items()}}


def _with_people(step: dict[str, Any], members: Mapping[str, Iterable[str]]) -> dict[str, Any]:
    if not step.get("groups"):
        return step
    field = "recipients" if step["kind"] == "mailbox" else "people"
    people = dict.fromkeys((*step.get(field, ()), *(m for group in step["groups"] for m in members.get(group, ()))))
    return {**step, field: list(people), "groups": []}
