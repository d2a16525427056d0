"""Work that comes round by itself: each function registers where it stands, and the runner does it
at every tick, asks when it is due next, and begins with what a dead process left."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import TypeVar

from sedge import services
from sedge.module_search import modules_of
from sedge.services.context import Context, Reading

Work = Callable[[Context], int]
W = TypeVar("W", bound=Callable[..., int])
M = TypeVar("M", bound=Callable[[Reading], datetime | None])
B = TypeVar("B", bound=Callable[[Context], object])


@dataclass(frozen=True)
class Job:
    """`do` gives how much it did; with `after_changes` it is asked only when something of the
    organisation has changed.

    `last` ones follow all others, as what those have written is theirs to send.
    """

    name: str
    do: Work
    after_changes: bool
    last: bool


JOBS: dict[str, Job] = {}
MOMENTS: list[Callable[[Reading], datetime | None]] = []
AT_START: list[Callable[[Context], object]] = []


def periodic(name: str, *, after_changes: bool = False, last: bool = False) -> Callable[[W], W]:
    """Register a function as work of every tick; it knows itself when it has something to do."""

    def register(function: W) -> W:
        JOBS[name] = Job(name, function, after_changes, last)
        return function

    return register


def tells_when_due(function: M) -> M:
    """Register a function that says when something of its area is due next, None for never: until
    the first of these moments a quiet organisation is left alone."""
    MOMENTS.append(function)
    return function


def at_start(function: B) -> B:
    """Register a function that takes up what a process that died may have left half done."""
    AT_START.append(function)
    return function


def next_moments(reading: Reading) -> list[datetime | None]:
    """What everybody registered says, None among them for never."""
    all_jobs()
    return [tell(reading) for tell in MOMENTS]


def begin_again(context: Context) -> None:
    """Take up what the last process may have left half done, for one organisation."""
    all_jobs()
    for take_up in AT_START:
        take_up(context)


def do_all(context: Context) -> int:
    """One round for an organisation; how much was done."""
    return sum(_do(context, job) for job in all_jobs())


def _do(context: Context, job: Job) -> int:
    if job.after_changes:
        return context.installation.while_unchanged(context, job.name, lambda: job.do(context))
    return job.do(context)


@cache
def all_jobs() -> tuple[Job, ...]:
    """Every job there is, the last ones at the end."""
    for _ in modules_of(services):
        pass
    return tuple(sorted(JOBS.values(), key=lambda job: (job.last, job.name)))
