"""The order in which tasks run: what each brings about, what each needs first.

Licence before number, spot before number, delivery before assignment, list before test call, path
published before a number points to it: each kind says so itself (`Task.provides`, `Task.requires`).
The typed order is kept wherever nothing forbids it.
"""

from collections.abc import Sequence
from graphlib import CycleError, TopologicalSorter

from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.workorders import tasks as t
from sedge.core.workorders.task_base import Prerequisites, Provision, Task


def arrange(
    tasks: Sequence[Task], prerequisites: Prerequisites
) -> list[tuple[int, tuple[int, ...]]]:
    """Positions in running order, each with the positions that must be done before it.

    Raises NotUnderstood on a cycle, naming its tasks.
    """
    resolved = [task.resolved(tasks) for task in tasks]
    providers: dict[Provision, list[int]] = {}
    for position, task in enumerate(resolved):
        for provision in task.provides():
            providers.setdefault(provision, []).append(position)
    before = {
        i: _before(i, tasks[i], task, providers, prerequisites) for i, task in enumerate(resolved)
    }
    before = _careful(resolved, before)
    sorter = TopologicalSorter(before)
    try:
        sorter.prepare()
    except CycleError as error:
        circle = ", ".join(str(i + 1) for i in error.args[1])
        message = f"Tasks {circle} wait for each other. Take one of them out."
        raise NotUnderstood(message, field="tasks", reason="cycle") from error
    order: list[int] = []
    ready: list[int] = list(sorter.get_ready())
    while ready:
        ready.sort()
        following = ready.pop(0)
        order.append(following)
        sorter.done(following)
        ready += sorter.get_ready()
    return [(i, tuple(sorted(before[i]))) for i in order]


def _before(
    i: int,
    typed: Task,
    task: Task,
    providers: dict[Provision, list[int]],
    prerequisites: Prerequisites,
) -> set[int]:
    required = task.requires(prerequisites)
    before = {position for thing in required for position in providers.get(thing, ())} - {i}
    return before if typed.leans_on is None else before | {typed.leans_on}


def _careful(resolved: Sequence[Task], before: dict[int, set[int]]) -> dict[int, set[int]]:
    """A site's number goes when all that its new one waits for is done, and those who leave are
    gone.

    So whoever calls for help meanwhile is rung back. Where that goes in a circle, as it was.
    """
    leaving = {
        i
        for i, task in enumerate(resolved)
        if isinstance(task, t.ChangePerson) and (task.left or task.site)
    }
    careful = dict(before)
    for i, task in enumerate(resolved):
        if not isinstance(task, t.UnassignNumber) or task.holder is None:
            continue
        if task.holder.kind is HolderKind.SITE:
            instead = [
                k
                for k, other in enumerate(resolved)
                if isinstance(other, t.AssignNumber) and other.holder == task.holder
            ]
            careful[i] = (before[i] | leaving).union(*(before[k] for k in instead)) - {i}
    try:
        TopologicalSorter(careful).prepare()
    except CycleError:
        return before
    return careful
