"""Drafts: their tasks changed, ordered, mended and made temporary; their time;
templates kept from them; what others plan."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.records import Order, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import replaced
from sedge.core.workorders.life import OrderEvent, next_state
from sedge.core.workorders.task_base import Task
from sedge.services.context import Context, Writing
from sedge.services.workorders import draft_expiry, workorders
from sedge.services.workorders.checking import remedies
from sedge.services.workorders.loading import load
from sedge.services.workorders.order_access import require_order, require_tasks
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import holders as holder_tables

MOST_COMMENT = 2000
MOST_COMMENTS = 500


def change_tasks(
    context: Context,
    was: WorkOrder,
    tasks: Sequence[Any],
    marks: Sequence[int | None] | None = None,
    *,
    look: bool = False,
) -> WorkOrder:
    """Replace a draft's tasks; a look becomes a draft that stays, unless it is still only a `look`.
    Raises ChangedMeanwhile where somebody else changed the draft since it was read as `was`."""
    if not tasks:
        raise NotAllowedNow(
            "A work order needs at least one task; throw the draft away instead.", reason="empty"
        )
    if len(tasks) > workorders.MOST_TASKS:
        raise NotAllowedNow(
            f"At most {workorders.MOST_TASKS:,} tasks fit into one work order. Split it.",
            reason="too-many",
        )
    with context.writing() as writing:
        order = store.get(writing.connection, was.id)
        workorders.must_allow(order, OrderEvent.CHANGE)
        if order.version != was.version:
            raise ChangedMeanwhile(
                "Somebody else has changed this draft meanwhile. Open it again, then do it.",
                subject=Subject.WORK_ORDER,
                id=order.id,
            )
        estate = load(writing, tasks)
        require_order(context, writing, order, lambda: load(writing, [x.body for x in order.tasks]))
        require_tasks(context, writing, tasks, lambda: estate)
        order = replace(
            order,
            is_look=order.is_look and look,
            title=_retitled(order.title, [x.body for x in was.tasks], tasks),
            tasks=workorders.stored_tasks(order.id, tasks, estate, marks or [None] * len(tasks)),
        )
        store.put_tasks(writing.connection, order)
        order = store.save(writing.connection, order)
        writing.touch()
    return order


def _retitled(title: str, before: Sequence[Any], after: Sequence[Any]) -> str:
    """The title of a draft in which one number has taken another's place: it names the one that is
    meant now."""
    old, new = ({task.e164 for task in tasks if task.e164} for tasks in (before, after))
    if len(old - new) != 1 or len(new - old) != 1:
        return title
    gone, come = describe((old - new).pop()), describe((new - old).pop())
    return title.replace(gone.international, come.shown).replace(gone.national, come.shown)[
        : workorders.MOST_TITLE
    ]


def add_remedies(context: Context, key: str) -> WorkOrder:
    """Add every automatic remedy and check again, until nothing more can be added by itself."""
    order = workorders.get(context, key)
    workorders.must_allow(order, OrderEvent.CHANGE)
    bodies = [x.body for x in order.tasks]
    mended, marks = remedies.add_all(
        context, bodies, [x.added_as_remedy_for for x in order.tasks], awaits=order.awaits
    )
    return order if mended == bodies else change_tasks(context, order, mended, marks, look=True)


def choose_remedy(
    context: Context,
    key: str,
    task: int,
    rule: str,
    remedy: int,
    reason: str = "",
    *,
    for_all: bool = False,
) -> WorkOrder:
    """Add one remedy that somebody chose: the `remedy`-th of the finding of `rule` on task `task`;
    `for_all`: the same one wherever the same rule offers it."""
    order = workorders.get(context, key)
    workorders.must_allow(order, OrderEvent.CHANGE)
    bodies = [x.body for x in order.tasks]
    of_rule = [
        f
        for f in workorders.preview(context, bodies, awaits=order.awaits).findings
        if f.rule == rule
    ]
    finding = next((f for f in of_rule if f.task == task), None)
    if finding is None or remedy >= len(finding.remedies):
        raise NotAllowedNow(
            "That remedy is no longer needed. Look at the checks again.", reason="gone"
        )
    chosen = finding.remedies[remedy]
    if chosen.leads_to:
        raise NotAllowedNow(
            "This is done on a page of its own; then check the draft again.", reason="elsewhere"
        )
    tasks = _with_reason(chosen.tasks, reason)
    if chosen.replaces:
        bodies = replaced(bodies, task, tasks[0])
        return change_tasks(
            context, order, bodies, [x.added_as_remedy_for for x in order.tasks], look=True
        )
    marks = [x.added_as_remedy_for for x in order.tasks]
    wanted: dict[int, Sequence[t.Task]] = {}
    if for_all:
        alike = ((f.task, r) for f in of_rule for r in f.remedies if r.words == chosen.words)
        wanted = {at: _with_reason(r.tasks, reason) for at, r in alike if r.for_all}
    wanted[task] = tasks
    for at in sorted(wanted, reverse=True):  # from the end, so that the positions before stay
        bodies, marks = _with_tasks(bodies, marks, at, wanted[at])
    return change_tasks(context, order, bodies, marks, look=True)


def _with_reason(tasks: Sequence[t.Task], reason: str) -> list[t.Task]:
    return [x.copy_with(reason=reason) if isinstance(x, t.EndRest) and reason else x for x in tasks]


def _with_tasks(
    bodies: Sequence[t.Task], marks: Sequence[int | None], at: int, tasks: Sequence[t.Task]
) -> tuple[list[t.Task], list[int | None]]:
    """Tasks put in before the one at a position, as its remedies; positions after it move."""
    shift = len(tasks)
    moved = [b.moved(lambda p: p + shift if p >= at else p) for b in bodies]
    old = [None if m is None else m + (shift if m >= at else 0) for m in marks]
    mine: list[int | None] = [at + shift] * shift
    return [*moved[:at], *tasks, *moved[at:]], [*old[:at], *mine, *old[at:]]


def remove_task(context: Context, key: str, position: int) -> WorkOrder:
    order = workorders.get(context, key)
    if not 0 <= position < len(order.tasks):
        raise NotUnderstood("There is no such task in this work order.", field="task")
    if any(
        x.body.leans_on == position for x in order.tasks if not isinstance(x.body, t.PutBackLater)
    ):
        raise NotAllowedNow(
            "Another task uses what this one brings. Take that one out first.", reason="needed"
        )
    gone = {position} | {x.position for x in order.tasks if x.body.leans_on == position}
    places = {p: i for i, p in enumerate(x.position for x in order.tasks if x.position not in gone)}
    bodies = [x.body.moved(places.__getitem__) for x in order.tasks if x.position not in gone]
    marks = [
        places.get(x.added_as_remedy_for or 0) if x.added_as_remedy_for is not None else None
        for x in order.tasks
        if x.position not in gone
    ]
    return change_tasks(context, order, bodies, marks)


def add_task(context: Context, key: str, raw: object) -> WorkOrder:
    return add_tasks(context, key, workorders.read_tasks(context, [raw]))


def add_tasks(context: Context, key: str, tasks: Sequence[Task]) -> WorkOrder:
    """More tasks at the end of a draft."""
    order = workorders.get(context, key)
    return change_tasks(
        context,
        order,
        [*(x.body for x in order.tasks), *tasks],
        [*(x.added_as_remedy_for for x in order.tasks), *([None] * len(tasks))],
    )


def move_task(context: Context, key: str, position: int, to: int) -> WorkOrder:
    """Put a task elsewhere in the draft; what must run before others still does."""
    order = workorders.get(context, key)
    n = len(order.tasks)
    if not (0 <= position < n and 0 <= to < n):
        raise NotUnderstood("There is no such place in this work order.", field="to")
    sequence = [x.position for x in order.tasks]
    sequence.insert(to, sequence.pop(position))
    places = {old: new for new, old in enumerate(sequence)}
    bodies = [order.tasks[old].body.moved(places.__getitem__) for old in sequence]
    marks = [
        None if (m := order.tasks[old].added_as_remedy_for) is None else places[m]
        for old in sequence
    ]
    after = change_tasks(context, order, bodies, marks)
    if [x.body for x in after.tasks] == [x.body for x in order.tasks]:
        raise NotAllowedNow(
            "It can't stand there: one of the two must be done before the other.", reason="order"
        )
    return after


def make_temporary(context: Context, key: str, position: int, until: datetime | None) -> WorkOrder:
    """What a task changes is put back at `until`; None: for good after all. Raises NotUnderstood
    naming the field."""
    order = workorders.get(context, key)
    if not 0 <= position < len(order.tasks):
        raise NotUnderstood("There is no such task in this work order.", field="task")
    if until is not None and until <= context.now():
        raise NotUnderstood("Put it back at a moment that is still to come.", field="until")
    kept = [
        x
        for x in order.tasks
        if not (isinstance(x.body, t.PutBackLater) and x.body.task == position)
    ]
    places = {x.position: i for i, x in enumerate(kept)}
    bodies = [x.body.moved(places.__getitem__) for x in kept]
    marks = [
        None if x.added_as_remedy_for is None else places.get(x.added_as_remedy_for) for x in kept
    ]
    if until is not None:
        bodies.append(t.PutBackLater(task=places[position], at=until))
        marks.append(None)
    return change_tasks(context, order, bodies, marks)


def _mine(context: Context, writing: Writing, key: str) -> WorkOrder:
    """A work order that the member may touch. Raises Forbidden."""
    order = store.get(writing.connection, key)
    require_order(context, writing, order, lambda: load(writing, [x.body for x in order.tasks]))
    return order


def set_when(
    context: Context, key: str, *, run_at: datetime | None = None, awaits: str | None = None
) -> WorkOrder:
    """When a draft shall begin once it is run: at once, at a moment, or when an order has
    arrived."""
    with context.writing() as writing:
        order = _mine(context, writing, key)
        workorders.must_allow(order, OrderEvent.CHANGE)
        if run_at is not None and run_at <= writing.now:
            raise NotUnderstood("Choose a moment that is still to come.", field="run_at")
        if awaits is not None and not writing.records.the(Order, awaits).is_open:
            raise NotUnderstood(
                "That order is waited for by nobody any more: it has arrived, or failed.",
                field="awaits",
            )
        order = store.save(
            writing.connection, replace(order, run_at=run_at, awaits=awaits, is_look=False)
        )
        writing.touch()
    return order


def back_to_draft(context: Context, key: str) -> WorkOrder:
    """A scheduled work order to be changed once more."""
    with context.writing() as writing:
        order = _mine(context, writing, key)
        workorders.must_allow(order, OrderEvent.UNSCHEDULE)
        order = store.save(
            writing.connection, replace(order, state=next_state(order.state, OrderEvent.UNSCHEDULE))
        )
        writing.record_event(
            "work-order.drafted", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )
    return order


def rename(context: Context, key: str, title: str, reason: str) -> WorkOrder:
    """Another title and reason. Raises NotUnderstood for an empty title."""
    if not title.strip():
        raise NotUnderstood("A work order needs a title.", field="title")
    with context.writing() as writing:
        order = _mine(context, writing, key)
        workorders.must_allow(order, OrderEvent.CHANGE)
        order = store.save(
            writing.connection,
            replace(
                order,
                title=title.strip()[: workorders.MOST_TITLE],
                reason=reason.strip()[: workorders.MOST_REASON],
                is_look=False,
            ),
        )
        writing.touch()
    return order


def duplicate(context: Context, key: str) -> WorkOrder:
    """The same tasks as a new draft. Raises NotAllowedNow for an undo, which belongs to one work
    order only."""
    order = workorders.get(context, key)
    if any(isinstance(x.body, t.PutBack) for x in order.tasks):
        raise NotAllowedNow(
            "An undo belongs to the one work order it undoes. Write a new one.", reason="undo"
        )
    return workorders.draft(
        context, f"{order.title} (again)", [x.body for x in order.tasks], reason=order.reason
    )


# ── comments ──


@dataclass(frozen=True)
class Comment:
    at: datetime
    actor: str
    text: str


def comments(context: Context, order: str) -> list[Comment]:
    """What people said of a work order, oldest first."""
    table = holder_tables.order_comment
    with context.reading() as reading:
        query = (
            select(table.c.at, table.c.actor, table.c.text)
            .where(table.c.work_order == order)
            .order_by(table.c.at)
            .limit(MOST_COMMENTS)
        )
        return [Comment(*row) for row in reading.connection.execute(query)]


def comment(context: Context, key: str, text: str) -> Comment:
    """Say something of a work order, whatever state it is in. Raises NotUnderstood for nothing, or
    too much."""
    context.require(May.NOTE)
    said = text.strip()
    if not 1 <= len(said) <= MOST_COMMENT:
        raise NotUnderstood(f"Write something, {MOST_COMMENT:,} characters at most.", field="text")
    table = holder_tables.order_comment
    with context.writing() as writing:
        order = store.get(writing.connection, key)
        row = {
            "id": context.new_id("comment"),
            "work_order": order.id,
            "at": writing.now,
            "actor": context.actor,
            "text": said,
        }
        writing.connection.execute(table.insert().values(**row))
        draft_expiry.kept(writing, order)
        writing.record_event(
            "work-order.commented",
            Subject.WORK_ORDER,
            order.id,
            f"{order.no} {order.title}",
            {"text": said},
        )
    return Comment(row["at"], row["actor"], said)


# ── what others plan ──


# ── templates kept from work orders ──
