"""What a kind of step does with a call: one class for each kind, which says all of it."""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Generic, TypeVar

from sedge.core.callpaths.openings import Calendar, calendar_of
from sedge.core.callpaths.steps import Path, Step
from sedge.core.callpaths.tracing.call import Call
from sedge.core.callpaths.tracing.world import Called, Ending, EndingKind
from sedge.core.estate import Estate
from sedge.core.records import Person, Site

Kind = TypeVar("Kind", bound=Step)


@dataclass(frozen=True)
class Outcome:
    """One thing that may happen at a step. `choice` is what a world chooses for it, None where
    there is nothing to choose; `ends` is the kind of ending, None where the call goes on by
    `exit`."""

    exit: str
    choice: str | None = None
    ends: EndingKind | None = None
    who: str = ""


@dataclass(frozen=True)
class Situation:
    """A call that comes to a step at a moment; `states` are those of the calendars that the step
    depends on: open, closed or holiday."""

    called: Called
    estate: Estate
    at: datetime
    states: tuple[str, ...]


@dataclass(frozen=True)
class Detour:
    """The call goes on in another path."""

    key: str
    path: Path


class Behaviour(ABC, Generic[Kind]):
    """`over` is how a call ends that leaves by `done` with no way on drawn for it."""

    over: EndingKind = EndingKind.ENDED

    @abstractmethod
    def take(self, call: Call, key: str, step: Kind) -> str | Ending | Detour:
        """Let a call go through the step `key`; the exit it takes, or how it ends."""

    @abstractmethod
    def outcomes(self, situation: Situation, step: Kind) -> list[Outcome]:
        """All that may happen here, what happens when all is as usual first."""

    def depends_on(self, called: Called, estate: Estate, step: Kind) -> tuple[Calendar, ...]:
        """The calendars that what happens here depends on."""
        return ()

    def usual(self, outcomes: Sequence[Outcome]) -> list[Outcome]:
        """What happens when all is as usual: whoever can answer does."""
        return list(outcomes[:1])

    def lasting(self, step: Kind) -> int:
        """Seconds for which it keeps a caller who goes on from it, when all is as usual."""
        return 0


def hours_of(person: Person, estate: Estate) -> Calendar:
    """When somebody may be rung."""
    site = estate.get(Site, person.site)
    return calendar_of(site.timezone if site else "UTC", person.answering.openings)
