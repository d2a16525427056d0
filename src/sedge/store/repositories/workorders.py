"""Work orders and their tasks: the stored tasks are the runner's queue."""

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, case, func, insert, select, update

from sedge.core.errors import ChangedMeanwhile, NotFound
from sedge.core.facts import to_canonical_json
from sedge.core.records import Subject
from sedge.core.workorders.life import (
    TASKS_OVER,
    OrderState,
    TaskEvent,
    TaskState,
    next_task_state,
)
from sedge.core.workorders.tasks import TASK, Snapshot, Task
from sedge.store.projections import order_subjects
from sedge.store.schema import tables, workorders
from sedge.store.schema.holders import order_touch


@dataclass(frozen=True)
class StoredTask:
    """`after` lists positions of tasks that must be done before. Times are simulated, the lease is
    real time."""

    id: str
    work_order: str
    position: int
    after: tuple[int, ...]
    body: Task
    state: TaskState
    waits_for: str = ""
    next_try: datetime | None = None
    attempts: int = 0
    leased_until: datetime | None = None
    works_from: datetime | None = None
    error: str = ""
    added_as_remedy_for: int | None = None
    snapshots: tuple[Snapshot, ...] = ()


@dataclass(frozen=True)
class WorkOrder:
    id: str
    no: int
    title: str
    state: OrderState
    reason: str
    created_at: datetime
    created_by: str
    author: str = ""  # the sign-in of who wrote it; created_by is their name then
    run_at: datetime | None = None
    awaits: str | None = None
    started_at: datetime | None = None
    finished_at: datetime | None = None
    undo_of: str | None = None
    version: int = 1
    is_look: bool = False
    superseded_by: int | None = None
    tasks: tuple[StoredTask, ...] = ()

    @property
    def active(self) -> bool:
        return self.state in {OrderState.RUNNING, OrderState.SCHEDULED}


def get(connection: Connection, key: str) -> WorkOrder:
    """By id or number. Raises NotFound."""
    found = find(connection, key)
    if found is None:
        raise NotFound(f"There is no work order “{key}”.", subject=Subject.WORK_ORDER, id=key)
    return found


def find(connection: Connection, key: str) -> WorkOrder | None:
    table = workorders.work_order
    condition = table.c.no == int(key) if key.isdigit() and len(key) < 10 else table.c.id == key
    row = connection.execute(select(table).where(condition)).first()
    return _order(row, _tasks(connection, row.id)) if row else None


def header(connection: Connection, key: str) -> WorkOrder:
    """By id, without its tasks, of which there may be thousands. Raises NotFound."""
    row = connection.execute(
        select(workorders.work_order).where(workorders.work_order.c.id == key)
    ).first()
    if row is None:
        raise NotFound(f"There is no work order “{key}”.", subject=Subject.WORK_ORDER, id=key)
    return _order(row, ())


def sharing_subjects(connection: Connection, order: str) -> list[tuple[WorkOrder, str, str]]:
    """Other work orders that are not done and share something with this one: (its row, subject,
    id), newest first."""
    mine, theirs = order_touch.alias(), order_touch.alias()
    query = (
        select(theirs.c.work_order, theirs.c.subject, theirs.c.ref)
        .join(mine, (mine.c.subject == theirs.c.subject) & (mine.c.ref == theirs.c.ref))
        .join(workorders.work_order, workorders.work_order.c.id == theirs.c.work_order)
        .where(
            mine.c.work_order == order,
            theirs.c.work_order != order,
            workorders.work_order.c.state.in_(order_subjects.OPEN),
        )
        .order_by(workorders.work_order.c.no.desc())
        .limit(order_subjects.MOST_TOLD)
    )
    rows = connection.execute(query).all()
    known = {key: header(connection, key) for key in {row.work_order for row in rows}}
    return [(known[row.work_order], row.subject, row.ref) for row in rows]


@dataclass(frozen=True)
class Standing:
    """Where one task stands: all that deciding on the next ones needs."""

    id: str
    position: int
    state: TaskState
    after: tuple[int, ...]


def standings(connection: Connection, order: str) -> list[Standing]:
    """Where each task of a work order stands, in order."""
    task = workorders.task
    query = (
        select(task.c.id, task.c.position, task.c.state, task.c.after)
        .where(task.c.work_order == order)
        .order_by(task.c.position)
    )
    return [
        Standing(key, position, TaskState(state), tuple(json.loads(after)))
        for key, position, state, after in connection.execute(query)
    ]


def set_state(
    connection: Connection, task: str, state: TaskState, next_try: datetime | None = None
) -> None:
    table = workorders.task
    connection.execute(
        update(table).where(table.c.id == task).values(state=state.value, next_try=next_try)
    )


def list_orders(
    connection: Connection,
    *,
    states: tuple[OrderState, ...] = (),
    after_no: int | None = None,
    limit: int = 50,
) -> list[WorkOrder]:
    """Newest first, without their tasks; discarded drafts only where they are asked for."""
    table = workorders.work_order
    query = select(table).order_by(table.c.no.desc()).limit(limit)
    wanted = states or tuple(s for s in OrderState if s is not OrderState.DISCARDED)
    query = query.where(table.c.state.in_([s.value for s in wanted]))
    if after_no is not None:
        query = query.where(table.c.no < after_no)
    return [_order(row, ()) for row in connection.execute(query)]


@dataclass(frozen=True)
class TaskProgress:
    """How many tasks of a work order are over, of how many; what the next one waits for, and when
    it is looked at again."""

    over: int
    total: int
    waits_for: str = ""
    next_try: datetime | None = None


def progress_of(connection: Connection, orders: Sequence[str]) -> dict[str, TaskProgress]:
    """By work order."""
    table = workorders.task
    over = case((table.c.state.in_([s.value for s in TASKS_OVER]), 1), else_=0)
    counted = (
        select(table.c.work_order, func.sum(over), func.count())
        .where(table.c.work_order.in_(orders))
        .group_by(table.c.work_order)
    )
    waiting = (
        select(table.c.work_order, table.c.waits_for, table.c.next_try)
        .where(table.c.work_order.in_(orders), table.c.state == TaskState.WAITING.value)
        .order_by(table.c.next_try.desc())
    )
    next_ones = {row.work_order: row for row in connection.execute(waiting)}
    return {
        key: TaskProgress(
            int(done),
            total,
            next_ones[key].waits_for if key in next_ones else "",
            next_ones[key].next_try if key in next_ones else None,
        )
        for key, done, total in connection.execute(counted)
    }


def looks(connection: Connection, *, author: str | None = None) -> list[WorkOrder]:
    """Drafts that were only a look, of one author or of all, without their tasks."""
    table = workorders.work_order
    query = select(table).where(table.c.state == OrderState.DRAFT.value, table.c.is_look.is_(True))
    query = query if author is None else query.where(table.c.author == author)
    return [_order(row, ()) for row in connection.execute(query.order_by(table.c.no.desc()))]


def undo_of(connection: Connection, key: str) -> tuple[WorkOrder | None, int]:
    """The undo of a work order that was not given up, if there is one; how many were. Without their
    tasks."""
    table = workorders.work_order
    rows = connection.execute(
        select(table).where(table.c.undo_of == key).order_by(table.c.no)
    ).all()
    found = [_order(row, ()) for row in rows]
    over = {OrderState.STOPPED, OrderState.DISCARDED}
    return next((o for o in found if o.state not in over), None), sum(
        o.state in over for o in found
    )


def running_count(connection: Connection) -> int:
    return (
        connection.execute(
            select(func.count()).where(workorders.work_order.c.state == OrderState.RUNNING.value)
        ).scalar()
        or 0
    )


def add(connection: Connection, order: WorkOrder) -> WorkOrder:
    """Store a new work order under the next number."""
    no = (connection.execute(select(func.max(workorders.work_order.c.no))).scalar() or 0) + 1
    order = replace(order, no=no)
    connection.execute(insert(workorders.work_order).values(**_row(order)))
    put_tasks(connection, order)
    return order


def save(connection: Connection, order: WorkOrder) -> WorkOrder:
    """Write the order's own row. Raises ChangedMeanwhile when somebody changed it since it was
    read."""
    table = workorders.work_order
    row = {**_row(order), "version": order.version + 1}
    done = connection.execute(
        update(table).where(table.c.id == order.id, table.c.version == order.version).values(**row)
    )
    if done.rowcount != 1:
        raise ChangedMeanwhile(
            f"Work order {order.no} has changed meanwhile. Open it again.",
            subject=Subject.WORK_ORDER,
            id=order.id,
        )
    return replace(order, version=order.version + 1)


def put_tasks(connection: Connection, order: WorkOrder) -> None:
    """Replace all of a draft's tasks."""
    connection.execute(workorders.task.delete().where(workorders.task.c.work_order == order.id))
    order_subjects.keep_subjects(connection, order.id, [x.body for x in order.tasks])
    if order.tasks:
        connection.execute(insert(workorders.task), [_task_row(t) for t in order.tasks])


def save_task(connection: Connection, task: StoredTask) -> None:
    connection.execute(
        update(workorders.task).where(workorders.task.c.id == task.id).values(**_task_row(task))
    )


def due_tasks(
    connection: Connection, now: datetime, real_now: datetime, limit: int, of: str = ""
) -> list[StoredTask]:
    """Waiting tasks whose next try has come, and running ones whose lease has run out (their
    process died); of all work orders, or `of` one. Of those that fell due at once the older work
    order's come first."""
    table, order = workorders.task, workorders.work_order
    due = (table.c.state == TaskState.WAITING.value) & (table.c.next_try <= now)
    orphaned = (table.c.state == TaskState.RUNNING.value) & (table.c.leased_until < real_now)
    query = (
        select(table)
        .join(order, order.c.id == table.c.work_order)
        .where(due | orphaned, *([table.c.work_order == of] if of else []))
        .order_by(table.c.next_try, order.c.no, table.c.position)
        .limit(limit)
    )
    return [_task(row) for row in connection.execute(query)]


def open_tasks(connection: Connection, now: datetime) -> tuple[int, timedelta]:
    """How many tasks are not done, and by how much the latest of those that are due is late."""
    table = workorders.task
    is_open = table.c.state.in_([TaskState.WAITING.value, TaskState.RUNNING.value])
    count, first = connection.execute(
        select(func.count(), func.min(table.c.next_try)).where(is_open)
    ).one()
    return int(count), max(now - first, timedelta(0)) if first else timedelta(0)


def lease(connection: Connection, task: StoredTask, until: datetime, real_now: datetime) -> bool:
    """Take a due task for execution; False when somebody else has it."""
    table = workorders.task
    free = (table.c.state == TaskState.WAITING.value) | (
        (table.c.state == TaskState.RUNNING.value) & (table.c.leased_until < real_now)
    )
    done = connection.execute(
        update(table)
        .where(table.c.id == task.id, free)
        .values(
            state=next_task_state(task.state, TaskEvent.BEGIN).value,
            leased_until=until,
            attempts=task.attempts + 1,
        )
    )
    return done.rowcount == 1


def release_leases(connection: Connection) -> None:
    """On start-up: a single process owns this file, so whatever was leased was left behind by one
    that died."""
    connection.execute(
        update(workorders.task)
        .where(workorders.task.c.state == TaskState.RUNNING.value)
        .values(state=next_task_state(TaskState.RUNNING, TaskEvent.WAIT).value, leased_until=None)
    )


def hurry(connection: Connection, task: str, now: datetime) -> None:
    """Let a waiting task be looked at now."""
    table = workorders.task
    condition = (
        (table.c.id == task) & (table.c.state == TaskState.WAITING.value) & (table.c.next_try > now)
    )
    connection.execute(update(table).where(condition).values(next_try=now))


def next_due(connection: Connection) -> datetime | None:
    table = workorders.task
    return connection.execute(
        select(func.min(table.c.next_try)).where(table.c.state == TaskState.WAITING.value)
    ).scalar()


def tasks_of(connection: Connection, order: str) -> tuple[StoredTask, ...]:
    return _tasks(connection, order)


def scheduled_due(connection: Connection, now: datetime) -> list[str]:
    """Those whose moment has come, or whose awaited order is open no more."""
    table, order = workorders.work_order, tables.order
    settled = select(order.c.id).where(order.c.open.is_(False))
    arrived = table.c.run_at.is_(None) & table.c.awaits.in_(settled)
    query = select(table.c.id).where(
        table.c.state == OrderState.SCHEDULED.value, (table.c.run_at <= now) | arrived
    )
    return [row.id for row in connection.execute(query)]


def next_scheduled(connection: Connection) -> datetime | None:
    table = workorders.work_order
    return connection.execute(
        select(func.min(table.c.run_at)).where(table.c.state == OrderState.SCHEDULED.value)
    ).scalar()


def _tasks(connection: Connection, order: str) -> tuple[StoredTask, ...]:
    rows = connection.execute(
        select(workorders.task)
        .where(workorders.task.c.work_order == order)
        .order_by(workorders.task.c.position)
    )
    return tuple(_task(row) for row in rows)


def _order(row: Any, tasks_: tuple[StoredTask, ...]) -> WorkOrder:
    values = dict(row._mapping)
    values["state"] = OrderState(values["state"])
    return WorkOrder(**values, tasks=tasks_)


def _row(order: WorkOrder) -> dict[str, Any]:
    columns = workorders.work_order.c.keys()
    return {name: getattr(order, name) for name in columns} | {"state": order.state.value}


def _task(row: Any) -> StoredTask:
    values = dict(row._mapping)
    snapshots = json.loads(values["snapshots"]) if values["snapshots"] else []
    return StoredTask(
        **{
            **values,
            "after": tuple(json.loads(values["after"])),
            "body": TASK.validate_json(values["body"]),
            "state": TaskState(values["state"]),
            "snapshots": tuple(Snapshot.model_validate(s) for s in snapshots),
        }
    )


def _task_row(task: StoredTask) -> dict[str, object]:
    return {
        **{name: getattr(task, name) for name in workorders.task.c.keys()},  # noqa: SIM118
        "after": json.dumps(task.after),
        "body": to_canonical_json(task.body),
        "state": task.state.value,
        "snapshots": to_canonical_json(task.snapshots) if task.snapshots else None,
    }


def open_of_kind(connection: Connection, kind: str) -> list[StoredTask]:
    """Tasks of a kind that are still to be done, of work orders that run or wait for their time."""
    task, order = workorders.task, workorders.work_order
    going = (OrderState.RUNNING.value, OrderState.SCHEDULED.value)
    left = (TaskState.PLANNED.value, TaskState.WAITING.value, TaskState.RUNNING.value)
    query = (
        select(task)
        .join(order, order.c.id == task.c.work_order)
        .where(
            order.c.state.in_(going),
            task.c.state.in_(left),
            task.c.body.contains(f'"kind":"{kind}"', autoescape=True),
        )
    )
    return [_task(row) for row in connection.execute(query)]


def titled(connection: Connection, text: str, *, limit: int) -> list[tuple[int, str]]:
    """Number and title of work orders that have the text in their title, newest first."""
    order = workorders.work_order
    query = (
        select(order.c.no, order.c.title)
        .where(order.c.title.icontains(text, autoescape=True))
        .order_by(order.c.no.desc())
        .limit(limit)
    )
    return [(no, title) for no, title in connection.execute(query)]
