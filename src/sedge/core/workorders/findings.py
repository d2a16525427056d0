"""What a check says: pass, warn or stop, with its reason and its remedies."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from sedge.core.workorders.task_base import Task


class Level(StrEnum):
    PASS = "pass"  # noqa: S105  a verdict, not a secret
    WARN = "warn"
    STOP = "stop"

    @property
    def stops(self) -> bool:
        return self is Level.STOP

    @property
    def warns(self) -> bool:
        return self is Level.WARN


Leads = Literal[
    "spots",
    "deposit",
    "new path",
    "papers",
    "supply",
    "connection",
    "path",
    "drawing",
    "port",
    "port holders",
    "port out",
    "site",
    "supply many",
    "trunk",
    "trunk down",
]


@dataclass(frozen=True)
class Remedy:
    """Tasks to add before the stopped one (`replaces` False) or to put in its place.

    `words` stand on the button. `automatic` ones are added by *Add remedies*; the others need
    somebody's judgement (which spot, which reason) and are never chosen for them. One that
    `leads_to` a place is no task at all: there somebody makes what is missing, and then the draft
    is checked again.
    """

    words: str
    tasks: tuple[Task, ...]
    replaces: bool = False
    automatic: bool = True
    leads_to: "Place | None" = None

    @property
    def for_all(self) -> bool:
        """Whether one judgement may count for every task that is offered the same in the same
        words: tasks to add that nobody else adds."""
        return bool(self.tasks) and not (self.replaces or self.automatic or self.leads_to)


@dataclass(frozen=True)
class Place:
    """Where a remedy is found that is no task: the spots of a site, a deposit to an account, a new
    call path of a site."""

    what: Leads
    id: str


@dataclass(frozen=True)
class Finding:
    """`rule` and `task` (position in running order) are filled in by the checker; `steps` are those
    of a call path that are meant."""

    level: Level
    message: str
    remedies: tuple[Remedy, ...] = ()
    rule: str = ""
    task: int = 0
    steps: tuple[str, ...] = ()

    @property
    def is_pass(self) -> bool:
        return self.level is Level.PASS


def passed(message: str) -> Finding:
    return Finding(Level.PASS, message)


def warn(message: str, *remedies: Remedy) -> Finding:
    return Finding(Level.WARN, message, remedies)


def stop(message: str, *remedies: Remedy) -> Finding:
    return Finding(Level.STOP, message, remedies)


def add_before(words: str, *tasks: Task, automatic: bool = True) -> Remedy:
    return Remedy(words, tasks, automatic=automatic)


def instead(words: str, *tasks: Task, automatic: bool = True) -> Remedy:
    return Remedy(words, tasks, replaces=True, automatic=automatic)


def elsewhere(words: str, what: Leads, key: str) -> Remedy:
    return Remedy(words, (), automatic=False, leads_to=Place(what, key))
