"""Which function does a kind of task: each registers itself beside what it asks of the outside.

An executor may run any number of times and has one effect. It makes its outside calls first,
outside any transaction, and hands back what to save; changes are worked out again on the estate as
it is inside the transaction. Kinds without one of their own are done by `execution.do_plainly`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeVar

from sedge import services
from sedge.core.estate import Change, Estate
from sedge.core.workorders.checks import judge
from sedge.core.workorders.findings import Level
from sedge.core.workorders.task_base import Task
from sedge.module_search import modules_of
from sedge.services.context import Context, Writing
from sedge.services.workorders.outcomes import Failed, Outcome, estate_for
from sedge.store.repositories.workorders import StoredTask, WorkOrder


@dataclass(frozen=True)
class Attempt:
    """One try at a task, as somebody and as it is stored, of the work order it belongs to."""

    context: Context
    stored: StoredTask
    order: WorkOrder

    @property
    def identity(self) -> str:
        """The task's own id: the key with which anything is asked for, however often."""
        return self.stored.id

    def estate(self, task: Task) -> Estate:
        """The part of the estate that the task is judged by, as it is now."""
        return estate_for(self.context, task)

    def changes(self, task: Task) -> Callable[[Writing], list[Change]]:
        """What the task changes, worked out on the estate as it is when it is saved."""
        return lambda writing: task.apply(writing.estate(task.needs()), self.identity)


Executor = Callable[[Attempt, Any], Outcome]
EXECUTORS: dict[type[Task], Executor] = {}
E = TypeVar("E", bound=Executor)


def executes(*kinds: type[Task]) -> Callable[[E], E]:
    """Register a function as what does tasks of these kinds."""

    def register(function: E) -> E:
        for kind in kinds:
            EXECUTORS[kind] = function
        return function

    return register


def executor_of(kind: type[Task]) -> Executor:
    """The function that does tasks of a kind."""
    _load()
    return EXECUTORS.get(kind, EXECUTORS[Task])


@cache
def _load() -> None:
    for _ in modules_of(services, called="execution"):
        pass


def stopped(task: Task, estate: Estate) -> Failed | None:
    """What a check says against the task by now; None where it can go on."""
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    return Failed(stops[0].message) if stops else None
