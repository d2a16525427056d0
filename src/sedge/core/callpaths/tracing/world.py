"""What a followed call is asked and answers: how the world behaves, each step of the story, and how
it ends."""

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from pydantic import Field

from sedge.core.callpaths.steps import Path
from sedge.core.facts import Fact, Money
from sedge.core.records import HolderRef, Number

ANSWERS_AFTER = 6


class EndingKind(StrEnum):
    ANSWERED = "answered"
    MAILBOX = "mailbox"
    FORWARDED = "forwarded"
    ANNOUNCED = "announced"
    ENDED = "ended"
    REJECTED = "rejected"
    # the caller, or whoever is rung, has a choice to make; only where choices are made one by one
    OPEN = "open"

    @property
    def is_talk(self) -> bool:
        """Somebody answered, here or outside."""
        return self in {EndingKind.ANSWERED, EndingKind.FORWARDED}


class World(Fact):
    """How the world behaves. `answers` maps a person (or a number, a SIP address) to seconds, or
    None: doesn't pick up; others pick up after 6 s. `choices` are made one by one instead, at each
    step where something can go several ways; the call stops at the first that is not made."""

    busy: tuple[str, ...] = ()
    answers: dict[str, int | None] = {}
    presses: tuple[str, ...] = ()
    says: tuple[str, ...] = ()
    queue: dict[str, int] = {}
    trunks_down: tuple[str, ...] = ()
    unreachable: tuple[str, ...] = Field(
        default=(), description="SIP addresses that don't answer at all"
    )
    turns: dict[str, int] = Field(
        default={}, description="for a step that rings in turn: how many calls it has had before"
    )
    asks_callback: bool = Field(
        default=False, description="a caller in a queue asks to be called back"
    )
    nobody_answers: bool = Field(default=False, description="nobody picks up")
    choices: tuple[str, ...] | None = None


@dataclass(frozen=True)
class Called:
    """What a call is followed for: a number, or a call path that any number may follow (then
    without `e164` and holder)."""

    name: str
    site: str
    holder: HolderRef | None = None
    e164: str = ""
    label: str = ""

    @classmethod
    def number(cls, number: Number) -> "Called":
        return cls(number.shown, number.site, number.holder, number.e164, number.label)


@dataclass(frozen=True)
class Happening:
    """One step of the story, `at` seconds after the call came in. `exit` is the way it was left by;
    `sees` what the callee reads; `plays` the sound that is heard; `rate` what a minute of the call
    costs from here on."""

    at: int
    step: str
    title: str
    text: str
    exit: str = ""
    wrong: bool = False
    sees: str = ""
    plays: str = ""
    rate: Money | None = None


@dataclass(frozen=True)
class Ending:
    kind: EndingKind
    reason: str
    who: str = ""
    step: str = ""


@dataclass(frozen=True)
class Option:
    """One way on at a step: `choice` as in `World.choices`, in words for a button."""

    choice: str
    words: str


@dataclass(frozen=True)
class Trace:
    """`way` lists the exits taken as (step, exit); `rang` the devices that rang; `asked_to_choose`:
    it came past a menu. `options` are the ways on where the next choice is not made yet; `made` all
    that could have been chosen, at each choice that was. `paths` are the other call paths it went
    through, by id."""

    happenings: list[Happening]
    ending: Ending
    rang: list[str]
    way: list[tuple[str, str]] = field(default_factory=list)
    asked_to_choose: bool = False
    options: list[Option] = field(default_factory=list)
    paths: dict[str, Path] = field(default_factory=dict)

    @property
    def seconds(self) -> int:
        return self.happenings[-1].at if self.happenings else 0


@dataclass(frozen=True)
class Asked:
    """A call that is asked about, with its moment."""

    called: Called
    at: datetime
    world: World
    caller: str = ""
