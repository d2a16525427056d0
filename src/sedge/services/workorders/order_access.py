"""Who may touch a work order: the permissions its kinds of task take, and the sites of what it
changes.

Asked when a work order is drafted, changed, run, rescheduled, undone and discarded, always the same
way. The sites follow from the changes that the checks project, and of a work order that has run
from what it did change; what a task names without changing it counts too.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from sedge.core.access.roles import May
from sedge.core.estate import Change, Estate
from sedge.core.records import RECORD_TYPES, Subject
from sedge.core.workorders.checks import check
from sedge.core.workorders.tasks import Snapshot
from sedge.services.context import Context, Reading, refuse_outside
from sedge.store import reach
from sedge.store.projections.order_subjects import things_of
from sedge.store.repositories.workorders import WorkOrder


def permissions_of(tasks: Iterable[Any]) -> list[May]:
    """What tasks take together, planning and running included, in the order of `May`."""
    asked = {May.CHANGE_ESTATE, *(may for task in tasks for may in task.takes)}
    return [may for may in May if may in asked]


def require_tasks(
    context: Context,
    reading: Reading,
    tasks: Sequence[Any],
    load: Callable[[], Estate],
    *,
    done: Iterable[Snapshot] = (),
) -> None:
    """Raises Forbidden where the tasks take a permission the member lacks, or reach outside the
    member's sites.

    `load` gives the estate the tasks are judged on, `done` are the snapshots of tasks that have run
    already.
    """
    for may in permissions_of(tasks):
        context.require(may)
    scope = context.who.scope
    if scope.is_whole:
        return
    refuse_outside(reading, scope, [*_changed(done), *check(tasks, load()).changes])
    named = {
        (Subject(subject), key)
        for subject, key in things_of([task.resolved(tasks) for task in tasks])
    }
    for sites in reach.sites_of(reading.connection, named).values():
        for site in sorted(sites):
            scope.require(site)


def require_order(
    context: Context, reading: Reading, order: WorkOrder, load: Callable[[], Estate]
) -> None:
    """The same for a work order as it is kept."""
    done = [snapshot for task in order.tasks for snapshot in task.snapshots]
    require_tasks(context, reading, [task.body for task in order.tasks], load, done=done)


def _changed(snapshots: Iterable[Snapshot]) -> list[Change]:
    changes = []
    for snapshot in snapshots:
        record = RECORD_TYPES[snapshot.subject]
        before = record.model_validate(snapshot.before) if snapshot.before else None
        changes.append(
            Change(
                subject=snapshot.subject,
                id=snapshot.id,
                action="",
                before=before,
                after=record.model_validate(snapshot.after),
            )
        )
    return changes
