"""How the runner does a task: most by keeping its changes, the rest by what registers for their
kind."""

from datetime import datetime

from sedge.core.estate import Change
from sedge.core.records import Grant, Number
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import AT_THE_END, judge, judge_amid
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.life import TASK_ENDED
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Writing
from sedge.services.workorders import order_running, workorders
from sedge.services.workorders.executors import Attempt, executes, executor_of
from sedge.services.workorders.outcomes import Done, Failed, Outcome, Wait, notify_of_outcomes
from sedge.store.repositories import callpaths as path_store
from sedge.store.repositories import workorders as workorder_store
from sedge.store.repositories.workorders import StoredTask, WorkOrder


def execute(context: Context, stored: StoredTask, order: WorkOrder) -> Outcome:
    """One try at a task. Raises what outside services and the task's changes raise."""
    task = stored.body.resolved([x.body for x in order.tasks])
    return executor_of(type(task))(Attempt(context, stored, order), task)


@executes(Task)
def do_plainly(attempt: Attempt, task: Task) -> Outcome:
    """Check once more, wait where something does not work yet, tell telephony, keep the changes."""
    estate = attempt.estate(task)
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if any(f.rule in AT_THE_END for f in stops):
        stops = _stops_amid(attempt, task)
    if stops:
        return Failed(stops[0].message)
    if waiting := task.waits(estate):
        return Wait(*waiting)
    foreseen = task.apply(estate, attempt.identity)
    notify_of_outcomes(attempt.context, foreseen, estate)
    return Done(attempt.changes(task), works_from(foreseen))


@executes(t.PublishPath)
def publish_path(attempt: Attempt, task: t.PublishPath) -> Outcome:
    """With the path in force, the drawing it came from is settled."""
    outcome = do_plainly(attempt, task)
    if not isinstance(outcome, Done):
        return outcome
    changes = attempt.changes(task)

    def published(writing: Writing) -> list[Change]:
        path_store.published(writing.connection, task.path, task.body)
        return changes(writing)

    return Done(published, outcome.works_from)


@executes(t.PutBackLater)
def put_back_later(attempt: Attempt, task: t.PutBackLater) -> Outcome:
    """A work order of its own, scheduled for the moment.

    Under this task's name, so that it is one whatever happens between.
    """
    context, order = attempt.context, attempt.order
    of = order.tasks[task.task]
    if not of.snapshots:
        return Done()
    body = of.body.resolved([x.body for x in order.tasks])
    words = body.in_words(attempt.estate(of.body))
    made = workorders.draft(
        context,
        f"Put back: {words}",
        [t.PutBack(of=words, snapshots=of.snapshots)],
        reason=f"temporary, by work order {order.no}",
        run_at=task.at,
        identity=f"{attempt.identity}-back",
    )
    order_running.run(context, made.id)
    return Done()


def works_from(changes: list[Change]) -> datetime | None:
    """The last moment from which something that is changed works; None where nothing waits."""
    moments = [c.after.works_from for c in changes if isinstance(c.after, Grant)]
    moments += [
        c.after.assignment.works_from
        for c in changes
        if isinstance(c.after, Number) and c.after.assignment
    ]
    return max(moments, default=None)


def _stops_amid(attempt: Attempt, task: Task) -> list[Finding]:
    """What stops the task still when the rest of its work order is seen as done."""
    context, stored = attempt.context, attempt.stored
    with context.reading() as reading:
        order = workorder_store.get(reading.connection, stored.work_order)
    bodies = [x.body for x in order.tasks]
    left = [
        x.body
        for x in order.tasks
        if x.id != stored.id
        and x.state not in TASK_ENDED
        and not isinstance(x.body, t.PutBackLater)
    ]
    rest = [body.resolved(bodies) for body in left]
    wanted = task.needs()
    for other in rest:
        wanted |= other.needs()
    with context.reading() as reading:
        found = judge_amid(task, rest, reading.estate(wanted))
    return [f for f in found if f.level is Level.STOP]
