"""What becomes of a work order once it is written: run, stopped, tried again, undone."""

from collections.abc import Sequence
from dataclasses import replace

from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotRunnable
from sedge.core.estate import Change
from sedge.core.ledger.sentences import sentence
from sedge.core.records import Order, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Report, check
from sedge.core.workorders.life import (
    OrderEvent,
    OrderState,
    TaskEvent,
    TaskState,
    allows,
    next_state,
    next_task_state,
    task_allows,
)
from sedge.services import mail
from sedge.services.context import Context, Reading, Writing
from sedge.services.workorders.loading import load
from sedge.services.workorders.workorders import draft, get, must_allow, require_access
from sedge.store.repositories import callpaths as path_store
from sedge.store.repositories import ledger as ledger_store
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import WorkOrder


def asks_again(context: Context, key: str) -> bool:
    """Whether a work order does what somebody has to prove first who they are for: numbers go, and
    nobody brings them back. Raises NotFound."""
    with context.reading() as reading:
        order = store.get(reading.connection, key)
        require_access(context, reading, order)
    return any(task.body.asks_again for task in order.tasks)


def run(context: Context, key: str, *, seen: int | None = None) -> WorkOrder:
    """Check once more, then hand the tasks to the runner. Running twice is the same as running
    once.

    `seen` is the last ledger entry that whoever runs it knew of (`OrderView.seen`). Raises
    NotRunnable with the stopping sentences, ChangedMeanwhile with who changed what where something
    the checks rest on has moved since.
    """
    with context.reading() as reading:
        order = store.get(reading.connection, key)
        require_access(context, reading, order)
        checked = ledger_store.last_sequence(reading.connection)
        if order.state in {OrderState.RUNNING, OrderState.DONE, OrderState.SCHEDULED}:
            return order
        must_allow(order, OrderEvent.START)
        bodies = [x.body for x in order.tasks]
        report = check(bodies, load(reading, bodies), awaits=order.awaits)
    known = checked if seen is None else min(seen, checked)
    if report.stops:
        with context.reading() as reading:
            _refuse_if_moved(reading, report, known)
        sentences = [f"Task {f.task + 1}: {f.message}" for f in report.stops]
        raise NotRunnable(
            (
                sentences[0]
                if len(sentences) == 1
                else f"{len(sentences)} checks stop this. {sentences[0]}"
            ),
            stops=sentences,
            id=order.id,
        )
    with context.writing(reason=order.reason, work_order=order.id) as writing:
        current = store.get(writing.connection, order.id)
        if current.state is not OrderState.DRAFT:
            return current
        _refuse_if_moved(writing, report, known)
        _refuse_if_redrawn(writing, bodies)
        if (order.run_at and order.run_at > writing.now) or _still_awaited(writing, order):
            order = store.save(
                writing.connection,
                replace(order, state=next_state(order.state, OrderEvent.SCHEDULE)),
            )
            writing.record_event(
                "work-order.scheduled", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
            )
            return order
        return start(writing, order)


# what the checks rest on; balances, seats in use and what devices report move all the time
FOLLOWED = frozenset(
    {
        Subject.NUMBER,
        Subject.PERSON,
        Subject.SERVICE_LINE,
        Subject.SITE,
        Subject.SPOT,
        Subject.ADDRESS,
        Subject.PATH,
        Subject.GROUP,
        Subject.GRANT,
    }
)


def _refuse_if_moved(reading: Reading, report: Report, known: int) -> None:
    """Raises ChangedMeanwhile where a record that the tasks change, or that those lean on, has an
    entry after `known`."""
    rests_on = {
        pair
        for change in report.changes
        for side in (change.before, change.after)
        if side
        for pair in _rests_on(change, side)
    }
    moved = ledger_store.first_change(
        reading.connection, {p for p in rests_on if p[0] in FOLLOWED}, since=known
    )
    if moved:
        raise ChangedMeanwhile(
            f"{moved.actor} has changed {moved.title} since these checks"
            f" ({sentence(moved.action)}). Look at the checks again, then run it.",
            subject=moved.subject,
            id=moved.subject_id,
            actor=moved.actor,
            action=moved.action,
        )


def _refuse_if_redrawn(reading: Reading, tasks: Sequence[t.Task]) -> None:
    """What is published is what was seen: raises ChangedMeanwhile where a drawing has gone on
    since."""
    for task in tasks:
        if not isinstance(task, t.PublishPath):
            continue
        drawn = path_store.draft(reading.connection, task.path)
        if drawn and drawn.body != task.body and drawn.based_on == task.based_on:
            raise ChangedMeanwhile(
                f"The drawing of {task.name} has changed since it was checked, last by"
                f" {drawn.actor}. Check and publish it again from the drawing.",
                subject=Subject.PATH,
                id=task.path,
                actor=drawn.actor,
            )


def _rests_on(change: Change, side: object) -> list[tuple[Subject, str]]:
    found = [(change.subject, change.id)]
    for attribute, subject in (
        ("spot", Subject.SPOT),
        ("path", Subject.PATH),
        ("site", Subject.SITE),
    ):
        if key := getattr(side, attribute, None):
            found.append((subject, key))
    if holder := getattr(side, "holder", None):
        found.append((holder.subject, holder.id))
    return found


def _still_awaited(reading: Reading, order: WorkOrder) -> bool:
    awaited = reading.records.find(Order, order.awaits)
    return awaited is not None and awaited.is_open


def start(writing: Writing, order: WorkOrder) -> WorkOrder:
    """Tasks that wait for nothing become due."""
    for stored in order.tasks:
        if not stored.after:
            store.save_task(
                writing.connection,
                replace(
                    stored,
                    state=next_task_state(stored.state, TaskEvent.READY),
                    next_try=writing.now,
                ),
            )
    order = store.save(
        writing.connection,
        replace(order, state=next_state(order.state, OrderEvent.START), started_at=writing.now),
    )
    writing.record_event(
        "work-order.started", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
    )
    return store.get(writing.connection, order.id)


def run_now(
    context: Context,
    title: str,
    tasks: Sequence[t.Task],
    *,
    reason: str = "",
    identity: str | None = None,
) -> WorkOrder:
    """Write and run in one go. Raises NotRunnable; the draft is kept then, so that nothing typed is
    lost."""
    order = draft(context, title, tasks, reason=reason, identity=identity)
    return run(context, order.id)


def stop_order(context: Context, key: str) -> WorkOrder:
    """Stop what has not been done yet; what is done stays, and can be undone."""
    with context.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        require_access(context, writing, order)
        if not allows(order.state, OrderEvent.STOP):
            raise NotAllowedNow(
                f"Work order {order.no} is {order.state}; there is nothing to stop.", reason="state"
            )
        for stored in order.tasks:
            if task_allows(stored.state, TaskEvent.SKIP):
                skipped = next_task_state(stored.state, TaskEvent.SKIP)
                store.save_task(
                    writing.connection, replace(stored, state=skipped, waits_for="", next_try=None)
                )
        order = store.save(
            writing.connection,
            replace(order, state=next_state(order.state, OrderEvent.STOP), finished_at=writing.now),
        )
        writing.record_event(
            "work-order.stopped", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )
    return order


def try_again(context: Context, key: str) -> WorkOrder:
    """Failed tasks get another try; those that were skipped because of them wait again."""
    with context.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        require_access(context, writing, order)
        if not allows(order.state, OrderEvent.RETRY):
            raise NotAllowedNow(
                f"Work order {order.no} is {order.state}; nothing of it failed.", reason="state"
            )
        done = {x.position for x in order.tasks if x.state is TaskState.DONE}
        for stored in order.tasks:
            if task_allows(stored.state, TaskEvent.RETRY):
                ready = set(stored.after) <= done
                state = next_task_state(
                    stored.state, TaskEvent.RETRY if ready else TaskEvent.POSTPONE
                )
                again = replace(
                    stored,
                    state=state,
                    next_try=writing.now if ready else None,
                    error="",
                    attempts=0,
                    waits_for="",
                )
                store.save_task(writing.connection, again)
        order = store.save(
            writing.connection,
            replace(order, state=next_state(order.state, OrderEvent.RETRY), finished_at=None),
        )
        writing.record_event(
            "work-order.started", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )
    return order


def skip_task(context: Context, key: str, position: int) -> WorkOrder:
    """Go on without a task that failed or waits: what was to come after it no longer waits for it,
    and is checked by itself."""
    with context.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        require_access(context, writing, order)
        stored = next((x for x in order.tasks if x.position == position), None)
        may = (
            stored is not None
            and task_allows(stored.state, TaskEvent.LEAVE_OUT)
            and allows(order.state, OrderEvent.LEAVE_OUT)
        )
        if stored is None or not may:
            raise NotAllowedNow(
                "Only a task that has failed or still waits can be left out.", reason="state"
            )
        left_out = next_task_state(stored.state, TaskEvent.LEAVE_OUT)
        store.save_task(
            writing.connection, replace(stored, state=left_out, next_try=None, waits_for="")
        )
        done = {x.position for x in order.tasks if x.state is TaskState.DONE}
        for x in order.tasks:
            if x.position == position or x.state not in {TaskState.PLANNED, TaskState.SKIPPED}:
                continue
            after = tuple(p for p in x.after if p != position)
            ready = set(after) <= done
            state = next_task_state(x.state, TaskEvent.READY if ready else TaskEvent.POSTPONE)
            store.save_task(
                writing.connection,
                replace(x, after=after, state=state, next_try=writing.now if ready else None),
            )
        order = store.save(
            writing.connection,
            replace(order, state=next_state(order.state, OrderEvent.LEAVE_OUT), finished_at=None),
        )
        writing.record_event(
            "work-order.task-skipped", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}"
        )
        settle(writing, order.id)
    return get(context, key)


def look_now(context: Context, key: str, position: int) -> None:
    """A waiting task is tried at once."""
    with context.writing() as writing:
        order = store.get(writing.connection, key)
        require_access(context, writing, order)
        stored = next(
            (x for x in order.tasks if x.position == position and x.state is TaskState.WAITING),
            None,
        )
        if stored is None:
            raise NotAllowedNow("This task does not wait any more.", reason="state")
        store.hurry(writing.connection, stored.id, writing.now)
        writing.touch()


def settle(writing: Writing, key: str) -> None:
    """End a running work order of which nothing is left to do; what could not begin is skipped. The
    author and all concerned are told."""
    tasks = store.standings(writing.connection, key)
    if any(x.state in {TaskState.WAITING, TaskState.RUNNING} for x in tasks):
        return
    for x in tasks:
        if x.state is TaskState.PLANNED:
            store.set_state(writing.connection, x.id, next_task_state(x.state, TaskEvent.SKIP))
    failed = any(x.state is TaskState.FAILED for x in tasks)
    whole = store.get(writing.connection, key)
    state = next_state(whole.state, OrderEvent.FAIL if failed else OrderEvent.FINISH)
    ended = store.save(writing.connection, replace(whole, state=state, finished_at=writing.now))
    writing.record_event(
        "work-order.failed" if failed else "work-order.finished",
        Subject.WORK_ORDER,
        ended.id,
        f"{ended.no} {ended.title}",
    )
    if ended.undo_of and not failed:
        undone = store.get(writing.connection, ended.undo_of)
        if allows(undone.state, OrderEvent.UNDO):  # somebody may have tried it again meanwhile
            store.save(
                writing.connection, replace(undone, state=next_state(undone.state, OrderEvent.UNDO))
            )
    mail.write_for(writing, ended)


def undo(context: Context, key: str) -> WorkOrder:
    """Build and run the reverse work order; however often it is asked for, there is one. Raises
    NotAllowedNow where nothing can be reversed, NotRunnable where somebody has changed things since
    (the draft is kept)."""
    with context.reading() as reading:
        order = store.get(reading.connection, key)
        require_access(context, reading, order)
        begun, stopped = store.undo_of(reading.connection, order.id)
        estate = load(reading, [x.body for x in order.tasks])
    if begun:
        return begun
    if not allows(order.state, OrderEvent.UNDO):
        raise NotAllowedNow(
            f"Work order {order.no} is {order.state}; only one that has ended can be undone.",
            reason="state",
        )
    if order.undo_of:
        raise NotAllowedNow("This is an undo itself. Do the work again instead.", reason="undo")
    bodies = [x.body for x in order.tasks]
    done = [x for x in reversed(order.tasks) if x.state is TaskState.DONE and x.snapshots]
    resolved = [(x.body.resolved(bodies), x.snapshots) for x in done]
    reversals = [task.reversal(snapshots, task.in_words(estate)) for task, snapshots in resolved]
    back = [reversal for reversal in reversals if isinstance(reversal, t.Task)]
    if not back:
        raise NotAllowedNow(
            "Nothing of this work order can be undone: what it did is for good, or nothing was"
            " done.",
            reason="nothing",
        )
    title, reason = f"Undo of {order.no}: {order.title}", f"undo of work order {order.no}"
    reverse = draft(
        context,
        title,
        back,
        reason=reason,
        undo_of=order.id,
        identity=f"undo-{order.id}-{stopped}"[:70],
    )
    return run(context, reverse.id)
