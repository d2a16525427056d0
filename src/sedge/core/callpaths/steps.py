"""A call path as data: a directed graph of steps with named exits.

`Path` is what is published, stored as JSON, drawn and traced. Steps refer to each other by key; an
exit that leads nowhere ends the call. Only the shape is judged here; what a call does in it is
`trace`.
"""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from enum import StrEnum
from functools import lru_cache
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, Field, model_validator

from sedge.core.enums import Subject
from sedge.core.facts import Fact

RING_SECONDS = 25


@lru_cache(maxsize=256)
def known_zone(name: str) -> str:
    """The name, where there is such a time zone (IANA); raises ValueError saying how they are
    called."""
    try:
        ZoneInfo(name)
    except (KeyError, ValueError, OSError) as error:
        raise ValueError(f"“{name}” is no time zone; they are called like Europe/London") from error
    return name


Key = Annotated[str, Field(pattern=r"^[a-z0-9-]{1,40}$")]
TimeZone = Annotated[str, AfterValidator(known_zone)]
MenuKey = Annotated[str, Field(pattern=r"^[0-9*#]$")]
Language = Annotated[str, Field(pattern=r"^([a-z]{2,3}(-[A-Z]{2})?)?$")]
Clock = Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$|^24:00$")]


class Opening(Fact):
    """Open from `start` to `end` on these weekdays (0 Monday), in the path's time zone. An end
    before the start is on the next day."""

    weekdays: tuple[Annotated[int, Field(ge=0, le=6)], ...]
    start: Clock
    end: Clock


class Closure(Fact):
    """Closed from `first` to `last`, both included; `yearly`: on these days of every year (29
    February only where there is one)."""

    first: date
    last: date
    name: str = "closed"
    yearly: bool = False


class Swap(Fact):
    """From `first` to `last`, both included, `person` is on duty instead of whoever would be."""

    first: date
    last: date
    person: Key

    @model_validator(mode="after")
    def _in_order(self) -> "Swap":
        if self.last < self.first:
            raise ValueError(f"the swap of {self.first} ends before it begins")
        return self


class Rota(Fact):
    """Who is on duty when: those whom a step rings, one after the other for `days` each, the first
    of them from `begins`, for ever round. Duty changes at `change` in `timezone`."""

    begins: date
    days: Annotated[int, Field(ge=1, le=92)] = 7
    change: Clock = "08:00"
    timezone: TimeZone
    swaps: tuple[Swap, ...] = ()


class Saying(Fact):
    """The same words in a further language; `sound` is the recording that says them, read aloud by
    the system where there is none."""

    language: Language
    text: str
    sound: str = ""


class Shown(StrEnum):
    """What the callee sees: who calls, the number that was called, the line's name with the caller,
    or nothing."""

    CALLER = "caller"
    CALLED = "number called"
    LINE = "line and caller"
    WITHHELD = "withheld"


class Recording(Fact):
    """The call is recorded from the answer on, once `announcement` has been heard; kept for so many
    days."""

    announcement: str
    keep_days: int = Field(default=30, ge=1, le=3650)


class Hours(Fact):
    """Exits: open, closed, holiday. Public holidays are those of `holidays_of` (ISO 3166, with
    subdivision after a dash)."""

    kind: Literal["hours"] = "hours"
    title: str = "Hours"
    timezone: TimeZone
    openings: tuple[Opening, ...]
    closures: tuple[Closure, ...] = ()
    holidays_of: str = ""
    exits: dict[str, Key] = {}


class Menu(Fact):
    """Exits: the keys, `no input`, `wrong input`; with `extensions` also `no answer`, of the person
    whose extension was dialled. With `spoken` the words of the keys may be said as well. It speaks
    `repeats` times and waits `wait_seconds` each time.
    """

    kind: Literal["menu"] = "menu"
    title: str = "Menu"
    greeting: str
    language: Language = ""
    sound: str = ""
    also: tuple[Saying, ...] = ()
    keys: dict[MenuKey, str]
    spoken: bool = True
    extensions: bool = False
    wait_seconds: int = Field(default=5, ge=1, le=60)
    repeats: int = Field(default=2, ge=1, le=5)
    exits: dict[str, Key] = {}


class Ring(Fact):
    """Rings these people by their own answering rules, all members of these groups, devices,
    mobiles (E.164) and other telephone systems; the number's holder where nobody is named. In turn:
    each call begins with the next of them; by rota: with whoever is on duty, then the next after
    them. Exits: no answer, busy, nobody reachable.
    """

    kind: Literal["ring"] = "ring"
    title: str = "Ring"
    people: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    devices: tuple[str, ...] = ()
    mobiles: tuple[str, ...] = ()
    systems: tuple[str, ...] = ()
    order: Literal["all", "in order", "in turn", "by rota"] = "all"
    rota: Rota | None = None
    seconds: int = Field(default=RING_SECONDS, ge=5, le=300)
    shown: Shown = Shown.CALLER
    music: bool = False
    to_callee: str = ""
    recording: Recording | None = None
    exits: dict[str, Key] = {}

    @model_validator(mode="after")
    def _has_its_rota(self) -> "Ring":
        if self.order == "by rota" and self.rota is None:
            raise ValueError("a step that rings by rota needs the day on which the rota begins")
        return self


class Queue(Fact):
    """Agents are rung for `ring_seconds` each: one after the other, beginning with the one longest
    idle, or all at once. With `callback` a caller may press 1 to be called back. Exits: full,
    waited too long, nobody signed in."""

    kind: Literal["queue"] = "queue"
    title: str = "Queue"
    people: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    order: Literal["in order", "longest idle", "all"] = "in order"
    ring_seconds: int = Field(default=20, ge=5, le=120)
    most_waiting: int = Field(default=8, ge=0, le=500)
    longest_wait: int = Field(default=240, ge=10, le=7200)
    callback: bool = False
    shown: Shown = Shown.CALLER
    music: bool = True
    to_callee: str = ""
    recording: Recording | None = None
    exits: dict[str, Key] = {}


class Announce(Fact):
    """Speaks, then goes on at `done`, or ends the call as announced."""

    kind: Literal["announce"] = "announce"
    title: str = "Announce"
    text: str
    language: Language = ""
    sound: str = ""
    also: tuple[Saying, ...] = ()
    exits: dict[str, Key] = {}


class Mailbox(Fact):
    """Takes a message for `recipients`; empty: the number's holder."""

    kind: Literal["mailbox"] = "mailbox"
    title: str = "Mailbox"
    recipients: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    greeting: str = ""
    language: Language = ""
    sound: str = ""
    also: tuple[Saying, ...] = ()
    exits: dict[str, Key] = {}


class Forward(Fact):
    """On to a number outside (E.164), as a call out of the number's holder. Exits: no answer, busy,
    not put through (no right, no trunk)."""

    kind: Literal["forward"] = "forward"
    title: str = "Forward"
    to: str = ""
    seconds: int = Field(default=RING_SECONDS, ge=5, le=300)
    shown: Shown = Shown.CALLED
    music: bool = False
    to_callee: str = ""
    recording: Recording | None = None
    exits: dict[str, Key] = {}


class SipAddress(Fact):
    """On to a SIP address (RFC 3261 §19.1). Exits: no answer, busy, not reached."""

    kind: Literal["sip"] = "sip"
    title: str = "SIP address"
    address: str = ""
    seconds: int = Field(default=RING_SECONDS, ge=5, le=300)
    shown: Shown = Shown.CALLER
    exits: dict[str, Key] = {}


class OtherPath(Fact):
    """Goes on in another published call path, and does not come back."""

    kind: Literal["path"] = "path"
    title: str = "Other path"
    path: str = ""
    exits: dict[str, Key] = {}


class End(Fact):
    kind: Literal["end"] = "end"
    title: str = "End"
    exits: dict[str, Key] = {}


Step = Annotated[
    Hours | Menu | Ring | Queue | Announce | Mailbox | Forward | SipAddress | OtherPath | End,
    Field(discriminator="kind"),
]
Speaking = Menu | Announce | Mailbox
Connecting = Ring | Queue | Forward


class Exit(StrEnum):
    """Ways out of a step, the keys of a menu aside. `GOES_ON` is told of a call that changes its
    path; nothing is drawn from it."""

    OPEN = "open"
    CLOSED = "closed"
    HOLIDAY = "holiday"
    NO_INPUT = "no input"
    WRONG_INPUT = "wrong input"
    NO_ANSWER = "no answer"
    BUSY = "busy"
    NOBODY_REACHABLE = "nobody reachable"
    FULL = "full"
    WAITED_TOO_LONG = "waited too long"
    NOBODY_SIGNED_IN = "nobody signed in"
    DONE = "done"
    NOT_PUT_THROUGH = "not put through"
    NOT_REACHED = "not reached"
    GOES_ON = "goes on"


EXITS: dict[str, tuple[str, ...]] = {
    "hours": (Exit.OPEN, Exit.CLOSED, Exit.HOLIDAY),
    "menu": (Exit.NO_INPUT, Exit.WRONG_INPUT),
    "ring": (Exit.NO_ANSWER, Exit.BUSY, Exit.NOBODY_REACHABLE),
    "queue": (Exit.FULL, Exit.WAITED_TOO_LONG, Exit.NOBODY_SIGNED_IN),
    "announce": (Exit.DONE,),
    "mailbox": (),
    "forward": (Exit.NO_ANSWER, Exit.BUSY, Exit.NOT_PUT_THROUGH),
    "sip": (Exit.NO_ANSWER, Exit.BUSY, Exit.NOT_REACHED),
    "path": (),
    "end": (),
}


def exits_of(step: "Step") -> tuple[str, ...]:
    """Every exit a step can be left by, in the order in which people think of them."""
    if isinstance(step, Menu):
        return (*step.keys, *EXITS["menu"], *((Exit.NO_ANSWER,) if step.extensions else ()))
    return EXITS[step.kind]


class TestCase(Fact):
    """A followed call that is kept: how it comes in, how the world behaves, and how it has to end.
    `at` is local time of the path, `world` as in `paths.world.World`; `who` is empty where it
    doesn't matter who."""

    __test__ = False  # pytest, this is no test class

    name: str = Field(min_length=1, max_length=120)
    at: str = Field(pattern=r"^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$")
    timezone: TimeZone
    world: dict[str, Any] = {}
    ends: str
    step: str = ""
    who: str = ""


class Path(Fact):
    """`first` is where a call comes in. The test cases of a path go with it: they are followed
    before it is published."""

    first: Key
    steps: dict[Key, Step] = Field(min_length=1, max_length=500)
    tests: tuple[TestCase, ...] = Field(default=(), max_length=100)

    @model_validator(mode="after")
    def _exits_lead_somewhere(self) -> "Path":
        if self.first not in self.steps:
            raise ValueError(f"the first step “{self.first}” is not among the steps")
        for key, step in self.steps.items():
            allowed = exits_of(step)
            for exit_name, target in step.exits.items():
                if target not in self.steps:
                    raise ValueError(
                        f"exit “{exit_name}” of “{key}” leads to “{target}”, which is not among the"
                        " steps"
                    )
                if exit_name not in allowed:
                    raise ValueError(
                        f"“{exit_name}” is no exit of a {step.kind} (it has:"
                        f" {', '.join(sorted(allowed)) or 'none'})"
                    )
        return self


@lru_cache(maxsize=64)
def resting_path(words: str) -> Path:
    """What a caller hears of a number that rests."""
    return Path(first="rests", steps={"rests": Announce(title="While it rests", text=words)})


def holder_path(
    seconds: int = RING_SECONDS, then: str = "mailbox", cover: str = "", mobile: str = ""
) -> Path:
    """What happens where a number has no path of its own: ring the holder, then what they want when
    they don't answer: their mailbox, a colleague (`cover`) and then the mailbox, or their
    mobile."""
    steps: dict[str, Step] = {"mailbox": Mailbox()}
    after = "mailbox"
    if then == "colleague" and cover:
        steps["cover"], after = (
            Ring(title="Colleague", people=(cover,), exits=dict.fromkeys(EXITS["ring"], "mailbox")),
            "cover",
        )
    elif then == "mobile" and mobile:
        steps["mobile"] = Forward(
            title="Mobile",
            to=mobile,
            shown=Shown.CALLER,
            exits=dict.fromkeys(EXITS["forward"], "mailbox"),
        )
        after = "mobile"
    elif then == "nothing":
        steps["end"], after = End(), "end"
        del steps["mailbox"]
    return Path(
        first="ring",
        steps={"ring": Ring(seconds=seconds, exits=dict.fromkeys(EXITS["ring"], after)), **steps},
    )


def people_named(body: dict[str, Any]) -> Iterator[str]:
    """Ids of people that a stored path names."""
    for step in body.get("steps", {}).values():
        yield from step.get("people", ())
        yield from step.get("recipients", ())


def groups_named(body: dict[str, Any]) -> set[str]:
    """Ids of groups that a stored path names."""
    return {key for step in body.get("steps", {}).values() for key in step.get("groups", ())}


def paths_named(body: dict[str, Any]) -> set[str]:
    """Ids of other call paths that a stored path goes on in."""
    return {key for step in body.get("steps", {}).values() if (key := step.get("path"))}


def named_by(step: dict[str, Any]) -> Iterator[tuple[Subject, str]]:
    """All that a stored step names, as subject and id: who has to stay for it to work."""
    for field, subject in NAMING.items():
        found = step.get(field) or ()
        for key in (found,) if isinstance(found, str) else found:
            yield subject, key


NAMING = {
    "people": Subject.PERSON,
    "recipients": Subject.PERSON,
    "groups": Subject.GROUP,
    "devices": Subject.DEVICE,
    "systems": Subject.DOWNSTREAM,
    "mobiles": Subject.NUMBER,
    "to": Subject.NUMBER,
    "path": Subject.PATH,
}


def answered_by(step: dict[str, Any]) -> tuple[str, ...]:
    """Ids of the people whom a stored step names itself, to ring or to read its mailbox."""
    return (*step.get("people", ()), *step.get("recipients", ()))


def with_people(body: dict[str, Any], members: Mapping[str, Iterable[str]]) -> dict[str, Any]:
    """A stored path with the members of its groups named among its people, each once, the groups
    left out."""
    return {
        **body,
        "steps": {key: _with_people(step, members) for key, step in body["steps"].items()},
    }


def _with_people(step: dict[str, Any], members: Mapping[str, Iterable[str]]) -> dict[str, Any]:
    if not step.get("groups"):
        return step
    field = "recipients" if step["kind"] == "mailbox" else "people"
    people = dict.fromkeys(
        (*step.get(field, ()), *(m for group in step["groups"] for m in members.get(group, ())))
    )
    return {**step, field: list(people), "groups": []}
