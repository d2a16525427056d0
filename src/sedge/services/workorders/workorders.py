"""Work orders: write, check, mend, run, stop, try again, undo."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from pydantic import ValidationError

from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.records import Product, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Report, check
from sedge.core.workorders.life import (
    ORDER_LIFE,
    OrderEvent,
    OrderState,
    TaskState,
    allows,
    next_state,
)
from sedge.core.workorders.plan import arrange
from sedge.core.workorders.tasks import TASK
from sedge.services.context import Context, Reading
from sedge.services.numbers.numbers import the_number
from sedge.services.workorders import draft_expiry
from sedge.services.workorders.loading import load
from sedge.services.workorders.order_access import require_order, require_tasks
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import StoredTask, WorkOrder

MOST_TASKS = 5000
MOST_TITLE, MOST_REASON = 200, 400  # characters of a work order's; whoever drafts one need not cut
A_PAGE = 50


def read_tasks(context: Context, raw: object) -> list[t.AnyTask]:
    """Tasks from plain data, numbers in any unambiguous writing. Raises NotUnderstood naming the
    field."""
    if not isinstance(raw, list) or not raw:
        raise NotUnderstood("A work order needs at least one task.", field="tasks")
    if len(raw) > MOST_TASKS:
        raise NotUnderstood(
            f"At most {MOST_TASKS:,} tasks fit into one work order; this has {len(raw):,}."
            " Split it.",
            field="tasks",
        )
    return [_read_task(context, i, item) for i, item in enumerate(raw)]


def _read_task(context: Context, i: int, item: object) -> t.AnyTask:
    if isinstance(item, dict):
        item = dict(item)
        if isinstance(item.get("number"), str):
            item["number"] = the_number(context, item["number"], field=f"tasks.{i}.number")
        if isinstance(item.get("numbers"), list) and len(item["numbers"]) <= MOST_TASKS:
            item["numbers"] = [
                the_number(context, str(n), field=f"tasks.{i}.numbers.{k}")
                for k, n in enumerate(item["numbers"])
            ]
        if item.get("kind") == "put_back":
            raise NotUnderstood(
                "Undo is asked for at the work order, not as a task.", field=f"tasks.{i}.kind"
            )
    try:
        return TASK.validate_python(item)
    except ValidationError as error:
        first = error.errors()[0]
        where = (
            ".".join(str(p) for p in first["loc"] if p != item.get("kind"))
            if isinstance(item, dict)
            else ""
        )
        raise NotUnderstood(
            f"Task {i + 1}: {where or 'it'}: {first['msg']}.",
            field=f"tasks.{i}.{where}".rstrip("."),
        ) from error


def draft(
    context: Context,
    title: str,
    tasks: Sequence[t.Task],
    *,
    reason: str = "",
    run_at: datetime | None = None,
    undo_of: str | None = None,
    identity: str | None = None,
    marks: Sequence[int | None] = (),
    look: bool = False,
) -> WorkOrder:
    """Write a work order; nothing is changed yet. Asked again with the same `identity`, it is the
    one of the first time. `marks` say of each task for which other it is a remedy. A `look` goes by
    itself unless somebody keeps it (`draft_expiry`).

    Raises NotUnderstood where tasks wait for each other.
    """
    title = title.strip()[:MOST_TITLE] or "Work order"
    order_id = f"wo-{identity}" if identity else context.new_id("wo")
    with context.writing(reason=reason, work_order=order_id) as writing:
        if identity and (begun := store.find(writing.connection, order_id)):
            return begun
        estate = load(writing, tasks)
        require_tasks(context, writing, tasks, lambda: estate)
        order = WorkOrder(
            id=order_id,
            no=0,
            title=title,
            state=OrderState.DRAFT,
            reason=reason[:MOST_REASON],
            created_at=writing.now,
            created_by=context.actor,
            author=context.who.sign_in,
            run_at=run_at,
            undo_of=undo_of,
            tasks=stored_tasks(order_id, tasks, estate, marks or [None] * len(tasks)),
            is_look=look,
        )
        order = store.add(writing.connection, order)
        draft_expiry.supersede(writing, order)
        writing.record_event(
            "work-order.drafted", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )
    return order


def find(context: Context, identity: str) -> WorkOrder | None:
    """The work order that was written under this identity, if it was."""
    with context.reading() as reading:
        return store.find(reading.connection, f"wo-{identity}")


def preview(context: Context, tasks: Sequence[t.Task], *, awaits: str | None = None) -> Report:
    """Checks of tasks that are kept nowhere; `awaits` is the order whose numbers will have
    arrived."""
    with context.reading() as reading:
        return check(tasks, load(reading, tasks), awaits=awaits)


def stored_tasks(
    order_id: str, tasks: Sequence[t.Task], estate: Estate, marks: Sequence[int | None]
) -> tuple[StoredTask, ...]:
    """Tasks in running order, positions renumbered, `output_of` following."""
    order = arrange(tasks, {p.id: p.prerequisites for p in estate.all(Product)})
    place = {position: i for i, (position, _) in enumerate(order)}
    stored = []
    for position, before in order:
        body = tasks[position].moved(place.__getitem__)
        mark = marks[position]
        stored.append(
            StoredTask(
                id=f"{order_id}-{place[position]}",
                work_order=order_id,
                position=place[position],
                after=tuple(sorted(place[b] for b in before)),
                body=body,
                state=TaskState.PLANNED,
                added_as_remedy_for=place[mark] if mark is not None else None,
            )
        )
    return tuple(stored)


def discard(context: Context, key: str) -> None:
    """Discard a draft."""
    with context.writing() as writing:
        order = store.get(writing.connection, key)
        require_access(context, writing, order)
        must_allow(order, OrderEvent.DISCARD)
        order = store.save(
            writing.connection,
            replace(
                order, state=next_state(order.state, OrderEvent.DISCARD), finished_at=writing.now
            ),
        )
        writing.record_event(
            "work-order.discarded", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )


def require_access(context: Context, reading: Reading, order: WorkOrder) -> None:
    require_order(context, reading, order, lambda: load(reading, [x.body for x in order.tasks]))


def list_orders(
    context: Context,
    *,
    states: tuple[OrderState, ...] = (),
    after_no: int | None = None,
    limit: int = A_PAGE,
) -> list[WorkOrder]:
    with context.reading() as reading:
        return store.list_orders(reading.connection, states=states, after_no=after_no, limit=limit)


def progress_of(context: Context, orders: Sequence[WorkOrder]) -> dict[str, store.TaskProgress]:
    """How far the tasks of each work order are, by its id."""
    with context.reading() as reading:
        return store.progress_of(reading.connection, [order.id for order in orders])


def get(context: Context, key: str) -> WorkOrder:
    with context.reading() as reading:
        return store.get(reading.connection, key)


def must_allow(order: WorkOrder, event: OrderEvent) -> None:
    """Raises NotAllowedNow where the life of a work order has no such step from where this one
    stands."""
    if not allows(order.state, event):
        before = " or ".join(state for state in ORDER_LIFE if allows(state, event))
        raise NotAllowedNow(
            f"Work order {order.no} is {order.state}, no longer a {before}.",
            reason="state",
            id=order.id,
        )
