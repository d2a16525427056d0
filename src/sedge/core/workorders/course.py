"""The course of a work order: from which moments its tasks work, the whole of it at a glance."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from graphlib import CycleError, TopologicalSorter

from sedge.core.errors import SedgeError
from sedge.core.estate import Estate
from sedge.core.workorders.task_base import Task


@dataclass(frozen=True)
class Stop:
    """A moment, and the positions of the tasks that work from then on. Without a moment somebody
    outside decides, and `waits` says what for."""

    at: datetime | None
    tasks: tuple[int, ...]
    waits: str = ""


def course_of(
    bodies: Sequence[Task],
    preceding: Sequence[Sequence[int]],
    after: Estate,
    begins: datetime,
    done: Mapping[int, datetime],
) -> list[Stop]:
    """The stops in their order, one for each minute, those that nobody here knows the moment of
    last.

    `after` is the estate as it is once all is done, `preceding` the positions of the tasks that
    each waits for; nothing works before `begins`, and what is `done` works from the moment given.
    """
    known: dict[int, datetime | None] = dict(done)
    with suppress(CycleError):  # whatever waits for itself is never settled
        for position in TopologicalSorter(dict(enumerate(preceding))).static_order():
            own = _own(bodies[position], after)
            before = [known.get(p) for p in preceding[position]]
            if position not in known and own is not None and None not in before:
                known[position] = max([own, begins, *(b for b in before if b is not None)])
    moments: dict[datetime, list[tuple[datetime, int]]] = {}
    open_ones: dict[str, list[int]] = {}
    for position, body in enumerate(bodies):
        moment = known.get(position)
        if moment is not None:
            minute = moment.replace(second=0, microsecond=0)
            moments.setdefault(minute, []).append((moment, position))
        elif _own(body, after) is None:
            open_ones.setdefault(_words(body, after), []).append(position)
        else:
            open_ones.setdefault("after that", []).append(position)
    told = [
        Stop(max(moment for moment, _ in found), tuple(position for _, position in found))
        for _, found in sorted(moments.items())
    ]
    return told + [Stop(None, tuple(tasks), waits) for waits, tasks in open_ones.items()]


def _own(body: Task, after: Estate) -> datetime | None:
    """Its own moment; None also where it is about what is not there yet."""
    try:
        return body.settles(after)
    except SedgeError:
        return None


def _words(body: Task, after: Estate) -> str:
    try:
        return body.works(after)
    except SedgeError:
        return "after that"
