"""Work orders at the desk: write, check, mend, run, stop, try again, undo."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from sedge.core.errors import ChangedMeanwhile, Forbidden, NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.estate import Change, Estate
from sedge.core.ledger.sentences import sentence
from sedge.core.records import RECORD_TYPES, HolderKind, HolderRef, Number, Order, Product, Subject
from sedge.core.reduce import apply
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Costs, Report, check, costs_of, is_idle, totals
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.life import (
    ORDER_LIFE,
    OrderEvent,
    OrderState,
    TaskEvent,
    TaskState,
    allows,
    next_state,
    next_task_state,
    task_allows,
)
from sedge.core.workorders.plan import arrange, moved, resolve
from sedge.core.workorders.reversing import FOR_GOOD
from sedge.core.workorders.tasks import TASK
from sedge.core.workorders.telling import tell, tell_whole
from sedge.core.workorders.waiting import estimated_delay
from sedge.services import mail
from sedge.services.context import Desk, Reading, Writing
from sedge.services.numbers.numbers import the_number
from sedge.services.workorders import draft_expiry
from sedge.services.workorders.checking.outcome_preview import Aftermath, aftermath
from sedge.services.workorders.loading import load
from sedge.services.workorders.order_access import require_order, require_tasks
from sedge.services.workorders.overlaps import overlaps
from sedge.store.repositories import callpaths as path_store
from sedge.store.repositories import ledger as ledger_store
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import StoredTask, WorkOrder

MOST_TASKS = 5000
A_PAGE = 50


@dataclass(frozen=True)
class TaskView:
    """One task with its words, price, findings and progress."""

    stored: StoredTask
    verb: str
    rest: str
    when: str
    monthly: Any
    once: Any
    findings: list[Finding]
    holder: str = ""


@dataclass(frozen=True)
class OrderView:
    """A work order with its checks and the estate as it will be; `seen` is the last ledger entry that the checks knew of,
    `refusal` why the member may only look at it, "" where they may do more."""

    order: WorkOrder
    tasks: list[TaskView]
    report: Report | None
    costs: Costs
    undo: str
    undone_by: str = ""
    overlaps: tuple[Any, ...] = ()
    awaited: str = ""
    after: tuple[Aftermath, ...] = ()
    seen: int = 0
    refusal: str = ""

    @property
    def runnable(self) -> bool:
        return self.order.state is OrderState.DRAFT and self.report is not None and self.report.runnable and bool(self.tasks)


def read_tasks(desk: Desk, raw: Any) -> list[Any]:
    """Tasks from plain data, numbers in any unambiguous writing. Raises NotUnderstood naming the field."""
    if not isinstance(raw, list) or not raw:
        raise NotUnderstood("A work order needs at least one task.", field="tasks")
    if len(raw) > MOST_TASKS:
        raise NotUnderstood(f"At most {MOST_TASKS:,} tasks fit into one work order; this has {len(raw):,}. Split it.", field="tasks")
    return [_read_task(desk, i, item) for i, item in enumerate(raw)]


def _read_task(desk: Desk, i: int, item: Any) -> Any:
    if isinstance(item, dict):
        item = dict(item)
        if isinstance(item.get("number"), str):
            item["number"] = the_number(desk, item["number"], field=f"tasks.{i}.number")
        if isinstance(item.get("numbers"), list) and len(item["numbers"]) <= MOST_TASKS:
            item["numbers"] = [the_number(desk, str(n), field=f"tasks.{i}.numbers.{k}") for k, n in enumerate(item["numbers"])]
        if item.get("kind") == "put_back":
            raise NotUnderstood("Undo is asked for at the work order, not as a task.", field=f"tasks.{i}.kind")
    try:
        return TASK.validate_python(item)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"] if p != item.get("kind")) if isinstance(item, dict) else ""
        raise NotUnderstood(f"Task {i + 1}: {where or 'it'}: {first['msg']}.", field=f"tasks.{i}.{where}".rstrip(".")) from error


def draft(
    desk: Desk, title: str, tasks: Sequence[Any], *, reason: str = "", run_at: datetime | None = None, undo_of: str | None = None,
    identity: str | None = None, marks: Sequence[int | None] = (), look: bool = False,
) -> WorkOrder:  # fmt: skip
    """Write a work order; nothing is changed yet. Asked again with the same `identity`, it is the one of the first time.
    `marks` say of each task for which other it is a remedy. A `look` goes by itself unless somebody keeps it (`desk.looks`).

    Raises NotUnderstood where tasks wait for each other.
    """
    title = title.strip()[:200] or "Work order"
    order_id = f"wo-{identity}" if identity else desk.new_id("wo")
    with desk.writing(reason=reason, work_order=order_id) as writing:
        if identity and (begun := store.find(writing.connection, order_id)):
            return begun
        estate = load(writing, tasks)
        require_tasks(desk, writing, tasks, lambda: estate)
        order = WorkOrder(
            id=order_id, no=0, title=title, state=OrderState.DRAFT, reason=reason[:400], created_at=writing.now, created_by=desk.actor,
            author=desk.who.sign_in, run_at=run_at, undo_of=undo_of, tasks=stored_tasks(order_id, tasks, estate, marks or [None] * len(tasks)),
            is_look=look,
        )  # fmt: skip
        order = store.add(writing.connection, order)
        draft_expiry.supersede(writing, order)
        writing.remark("work-order.drafted", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def find(desk: Desk, identity: str) -> WorkOrder | None:
    """The work order that was written under this identity, if it was."""
    with desk.reading() as reading:
        return store.find(reading.connection, f"wo-{identity}")


def preview(desk: Desk, tasks: Sequence[Any], *, awaits: str | None = None) -> Report:
    """Checks of tasks that are kept nowhere; `awaits` is the order whose numbers will have arrived."""
    with desk.reading() as reading:
        return check(tasks, load(reading, tasks), awaits=awaits)


def stored_tasks(order_id: str, tasks: Sequence[Any], estate: Estate, marks: Sequence[int | None]) -> tuple[StoredTask, ...]:
    """Tasks in running order, positions renumbered, `output_of` following."""
    order = arrange(tasks, {p.id: p.prerequisites for p in estate.all(Product)})
    place = {position: i for i, (position, _) in enumerate(order)}
    stored = []
    for position, before in order:
        body = moved(tasks[position], place.__getitem__)
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
            )  # fmt: skip
        )
    return tuple(stored)


def look(desk: Desk, key: str) -> OrderView:
    """A work order as it stands; drafts are checked anew each time they are looked at."""
    with desk.reading() as reading:
        order = store.get(reading.connection, key)
        estate = load(reading, [x.body for x in order.tasks])
        overlapping = tuple(overlaps(reading, order)) if order.state in {OrderState.DRAFT, OrderState.SCHEDULED} else ()
        awaited = reading.records.find(Order, order.awaits)
        undo, _ = store.undo_of(reading.connection, order.id)
        view = viewed(desk, reading, order, estate)
    return replace(view, undone_by=undo.id if undo else "", overlaps=overlapping, awaited=awaited.reference if awaited else "")


def viewed(desk: Desk, reading: Reading, order: WorkOrder, estate: Estate) -> OrderView:
    """A work order on an estate, kept or not, with its checks while it is a draft."""
    bodies = [x.body for x in order.tasks]
    refusal, seen = _refusal(desk, reading, order), ledger_store.last_sequence(reading.connection)
    report = check(bodies, estate, awaits=order.awaits) if order.state is OrderState.DRAFT else None
    estate = _with_newcomers(bodies, estate)
    idle = {i for i, b in enumerate(bodies) if report and is_idle(b, bodies, estate)}
    views = [_task_view(stored, bodies, estate, report, costs=i not in idle) for i, stored in enumerate(order.tasks)]
    after = tuple(aftermath(bodies, report)) if report and report.runnable else ()
    costs = totals([b for i, b in enumerate(bodies) if i not in idle], estate)
    return OrderView(order, views, report, costs, undo_words(order), after=after, seen=seen, refusal=refusal)


def _with_newcomers(bodies: list[Any], estate: Estate) -> Estate:
    """The estate with the people that the work order itself adds, so that its tasks can be told by their names."""
    newcomers = [b for b in bodies if isinstance(b, t.AddPerson)]
    if not newcomers:
        return estate
    known = estate.fork()
    for body in newcomers:
        known.absorb(apply(body, known))
    return known


def _task_view(stored: StoredTask, bodies: list[Any], estate: Estate, report: Report | None, *, costs: bool = True) -> TaskView:
    body = resolve(stored.body, bodies)
    verb, rest = tell(body, estate)
    monthly, once = costs_of(body, estate) if costs and not _number_missing(body, estate) else (None, None)
    findings = [f for f in report.findings if f.task == stored.position] if report else []
    stopped = stored.state is TaskState.PLANNED and any(f.level is Level.STOP for f in findings)
    when = "not yet" if stopped else _when(stored, body, estate)
    return TaskView(stored, verb, rest, when, monthly, once, findings, _whom(body, estate))


def _whom(body: Any, estate: Estate) -> str:
    """Whom a task concerns: the holder it names, else who has or gets its number; '' for nobody."""
    ref = getattr(body, "holder", None)
    person = getattr(body, "person", None) or (body.id if isinstance(body, t.AddPerson) else None)
    if ref is None and person:
        ref = HolderRef(kind=HolderKind.PERSON, id=person)
    number = estate.get(Number, body.e164) if body.e164 else None
    ref = ref or (number.holder if number else None)
    found = estate.get(RECORD_TYPES[ref.subject], ref.id) if ref else None
    return getattr(found, "name", "")


def _number_missing(body: Any, estate: Estate) -> bool:
    return body.e164 is not None and estate.get(Number, body.e164) is None


def _when(stored: StoredTask, body: Any, estate: Estate) -> str:
    match stored.state:
        case TaskState.PLANNED:
            waits = f"after task {', '.join(str(a + 1) for a in stored.after)}" if stored.after else ""
            return waits or estimated_delay(body, estate)
        case TaskState.WAITING:
            return f"waiting for {stored.waits_for}" if stored.waits_for else "next in line"
        case _:
            return stored.state.value


def undo_words(order: WorkOrder) -> str:
    """What can't be taken back, said before running."""
    names = sorted({FOR_GOOD[x.body.kind] for x in order.tasks if x.body.kind in FOR_GOOD})
    if not names:
        return "Everything here can be undone as long as nobody has changed it since."
    rest = " The rest can, as long as nobody has changed it since." if any(x.body.kind not in FOR_GOOD for x in order.tasks) else ""
    return f"This can't be undone: {', '.join(names)}.{rest}"


def discard(desk: Desk, key: str) -> None:
    """Discard a draft."""
    with desk.writing() as writing:
        order = store.get(writing.connection, key)
        _require(desk, writing, order)
        must_allow(order, OrderEvent.DISCARD)
        order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.DISCARD), finished_at=writing.now))
        writing.remark("work-order.discarded", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")


def _refusal(desk: Desk, reading: Reading, order: WorkOrder) -> str:
    try:
        _require(desk, reading, order)
    except Forbidden as error:
        return error.message
    return ""


def _require(desk: Desk, reading: Reading, order: WorkOrder) -> None:
    require_order(desk, reading, order, lambda: load(reading, [x.body for x in order.tasks]))


def run(desk: Desk, key: str, *, seen: int | None = None) -> WorkOrder:
    """Check once more, then hand the tasks to the runner. Running twice is the same as running once.

    `seen` is the last ledger entry that whoever runs it knew of (`OrderView.seen`). Raises NotRunnable with the stopping
    sentences, ChangedMeanwhile with who changed what where something the checks rest on has moved since.
    """
    with desk.reading() as reading:
        order = store.get(reading.connection, key)
        _require(desk, reading, order)
        checked = ledger_store.last_sequence(reading.connection)
        if order.state in {OrderState.RUNNING, OrderState.DONE, OrderState.SCHEDULED}:
            return order
        must_allow(order, OrderEvent.START)
        bodies = [x.body for x in order.tasks]
        report = check(bodies, load(reading, bodies), awaits=order.awaits)
    known = checked if seen is None else min(seen, checked)
    if report.stops:
        with desk.reading() as reading:
            _refuse_if_moved(reading, report, known)
        sentences = [f"Task {f.task + 1}: {f.message}" for f in report.stops]
        raise NotRunnable(
            sentences[0] if len(sentences) == 1 else f"{len(sentences)} checks stop this. {sentences[0]}", stops=sentences, id=order.id
        )
    with desk.writing(reason=order.reason, work_order=order.id) as writing:
        current = store.get(writing.connection, order.id)
        if current.state is not OrderState.DRAFT:
            return current
        _refuse_if_moved(writing, report, known)
        _refuse_if_redrawn(writing, bodies)
        if (order.run_at and order.run_at > writing.now) or _still_awaited(writing, order):
            order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.SCHEDULE)))
            writing.remark("work-order.scheduled", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
            return order
        return start(writing, order)


FOLLOWED = frozenset(  # what the checks rest on; balances, seats in use and what devices report move all the time
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
    """Raises ChangedMeanwhile where a record that the tasks change, or that those lean on, has an entry after `known`."""
    rests_on = {pair for change in report.changes for side in (change.before, change.after) if side for pair in _rests_on(change, side)}
    moved = ledger_store.first_change(reading.connection, {p for p in rests_on if p[0] in FOLLOWED}, since=known)
    if moved:
        raise ChangedMeanwhile(
            f"{moved.actor} has changed {moved.title} since these checks ({sentence(moved.action)}). Look at the checks again, then run it.",
            subject=moved.subject, id=moved.subject_id, actor=moved.actor, action=moved.action,
        )  # fmt: skip


def _refuse_if_redrawn(reading: Reading, tasks: Sequence[Any]) -> None:
    """What is published is what was seen: raises ChangedMeanwhile where a drawing has gone on since."""
    for task in tasks:
        drawn = path_store.draft(reading.connection, task.path) if isinstance(task, t.PublishPath) else None
        if drawn and drawn.body != task.body and drawn.based_on == task.based_on:
            raise ChangedMeanwhile(
                f"The drawing of {task.name} has changed since it was checked, last by {drawn.actor}. Check and publish it again from the drawing.",
                subject=Subject.PATH, id=task.path, actor=drawn.actor,
            )  # fmt: skip


def _rests_on(change: Change, side: Any) -> list[tuple[Subject, str]]:
    found = [(change.subject, change.id)]
    for attribute, subject in (("spot", Subject.SPOT), ("path", Subject.PATH), ("site", Subject.SITE)):
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
            store.save_task(writing.connection, replace(stored, state=next_task_state(stored.state, TaskEvent.READY), next_try=writing.now))
    order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.START), started_at=writing.now))
    writing.remark("work-order.started", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return store.get(writing.connection, order.id)


def run_now(desk: Desk, title: str, tasks: Sequence[Any], *, reason: str = "", identity: str | None = None) -> WorkOrder:
    """Write and run in one go. Raises NotRunnable; the draft is kept then, so that nothing typed is lost."""
    order = draft(desk, title, tasks, reason=reason, identity=identity)
    return run(desk, order.id)


def stop_order(desk: Desk, key: str) -> WorkOrder:
    """Stop what has not been done yet; what is done stays, and can be undone."""
    with desk.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        _require(desk, writing, order)
        if not allows(order.state, OrderEvent.STOP):
            raise NotAllowedNow(f"Work order {order.no} is {order.state}; there is nothing to stop.", reason="state")
        for stored in order.tasks:
            if task_allows(stored.state, TaskEvent.SKIP):
                skipped = next_task_state(stored.state, TaskEvent.SKIP)
                store.save_task(writing.connection, replace(stored, state=skipped, waits_for="", next_try=None))
        order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.STOP), finished_at=writing.now))
        writing.remark("work-order.stopped", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def try_again(desk: Desk, key: str) -> WorkOrder:
    """Failed tasks get another try; those that were skipped because of them wait again."""
    with desk.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        _require(desk, writing, order)
        if not allows(order.state, OrderEvent.RETRY):
            raise NotAllowedNow(f"Work order {order.no} is {order.state}; nothing of it failed.", reason="state")
        done = {x.position for x in order.tasks if x.state is TaskState.DONE}
        for stored in order.tasks:
            if task_allows(stored.state, TaskEvent.RETRY):
                ready = set(stored.after) <= done
                state = next_task_state(stored.state, TaskEvent.RETRY if ready else TaskEvent.POSTPONE)
                again = replace(stored, state=state, next_try=writing.now if ready else None, error="", attempts=0, waits_for="")
                store.save_task(writing.connection, again)
        order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.RETRY), finished_at=None))
        writing.remark("work-order.started", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def skip_task(desk: Desk, key: str, position: int) -> WorkOrder:
    """Go on without a task that failed or waits: what was to come after it no longer waits for it, and is checked by itself."""
    with desk.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        _require(desk, writing, order)
        stored = next((x for x in order.tasks if x.position == position), None)
        may = stored is not None and task_allows(stored.state, TaskEvent.LEAVE_OUT) and allows(order.state, OrderEvent.LEAVE_OUT)
        if stored is None or not may:
            raise NotAllowedNow("Only a task that has failed or still waits can be left out.", reason="state")
        left_out = next_task_state(stored.state, TaskEvent.LEAVE_OUT)
        store.save_task(writing.connection, replace(stored, state=left_out, next_try=None, waits_for=""))
        done = {x.position for x in order.tasks if x.state is TaskState.DONE}
        for x in order.tasks:
            if x.position == position or x.state not in {TaskState.PLANNED, TaskState.SKIPPED}:
                continue
            after = tuple(p for p in x.after if p != position)
            ready = set(after) <= done
            state = next_task_state(x.state, TaskEvent.READY if ready else TaskEvent.POSTPONE)
            store.save_task(writing.connection, replace(x, after=after, state=state, next_try=writing.now if ready else None))
        order = store.save(writing.connection, replace(order, state=next_state(order.state, OrderEvent.LEAVE_OUT), finished_at=None))
        writing.remark("work-order.task-skipped", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
        settle(writing, order.id)
    return get(desk, key)


def look_now(desk: Desk, key: str, position: int) -> None:
    """A waiting task is tried at once."""
    with desk.writing() as writing:
        order = store.get(writing.connection, key)
        _require(desk, writing, order)
        stored = next((x for x in order.tasks if x.position == position and x.state is TaskState.WAITING), None)
        if stored is None:
            raise NotAllowedNow("This task does not wait any more.", reason="state")
        store.hurry(writing.connection, stored.id, writing.now)
        writing.touch()


def settle(writing: Writing, key: str) -> None:
    """End a running work order of which nothing is left to do; what could not begin is skipped. The author and all concerned are told."""
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
    writing.remark("work-order.failed" if failed else "work-order.finished", Subject.WORK_ORDER, ended.id, f"{ended.no} {ended.title}")
    if ended.undo_of and not failed:
        undone = store.get(writing.connection, ended.undo_of)
        if allows(undone.state, OrderEvent.UNDO):  # somebody may have tried it again meanwhile
            store.save(writing.connection, replace(undone, state=next_state(undone.state, OrderEvent.UNDO)))
    mail.write_for(writing, ended)


def undo(desk: Desk, key: str) -> WorkOrder:
    """Build and run the reverse work order; however often it is asked for, there is one. Raises NotAllowedNow where nothing can
    be reversed, NotRunnable where somebody has changed things since (the draft is kept)."""
    with desk.reading() as reading:
        order = store.get(reading.connection, key)
        _require(desk, reading, order)
        begun, stopped = store.undo_of(reading.connection, order.id)
        estate = load(reading, [x.body for x in order.tasks])
    if begun:
        return begun
    if not allows(order.state, OrderEvent.UNDO):
        raise NotAllowedNow(f"Work order {order.no} is {order.state}; only one that has ended can be undone.", reason="state")
    if order.undo_of:
        raise NotAllowedNow("This is an undo itself. Do the work again instead.", reason="undo")
    bodies = [x.body for x in order.tasks]
    back = [
        _reverse(resolve(x.body, bodies), x, estate)
        for x in reversed(order.tasks)
        if x.state is TaskState.DONE and x.snapshots and not _for_good(x)
    ]
    if not back:
        raise NotAllowedNow("Nothing of this work order can be undone: what it did is for good, or nothing was done.", reason="nothing")
    title, reason = f"Undo of {order.no}: {order.title}"[:200], f"undo of work order {order.no}"
    reverse = draft(desk, title, back, reason=reason, undo_of=order.id, identity=f"undo-{order.id}-{stopped}"[:70])
    return run(desk, reverse.id)


def _reverse(task: Any, stored: StoredTask, estate: Estate) -> Any:
    """What undoes a done task: what the carrier has switched it must switch again, all else is put back as it was."""
    if isinstance(task, t.SetFeature):
        return task.but(on=not task.on)
    if isinstance(task, t.ActivatePort):
        return t.BackOutPort(port=task.port, reason="undone")
    return t.PutBack(of=tell_whole(task, estate), snapshots=stored.snapshots)


def _for_good(stored: StoredTask) -> bool:
    """What no undo takes back: purchases, releases, what the carrier was told, and that a call path has come to be."""
    is_new_path = isinstance(stored.body, t.PublishPath) and any(s.subject is Subject.PATH and s.before is None for s in stored.snapshots)
    return is_new_path or stored.body.kind in FOR_GOOD


def listing(desk: Desk, *, states: tuple[OrderState, ...] = (), after_no: int | None = None, limit: int = A_PAGE) -> list[WorkOrder]:
    with desk.reading() as reading:
        return store.listing(reading.connection, states=states, after_no=after_no, limit=limit)


def get(desk: Desk, key: str) -> WorkOrder:
    with desk.reading() as reading:
        return store.get(reading.connection, key)


def must_allow(order: WorkOrder, event: OrderEvent) -> None:
    """Raises NotAllowedNow where the life of a work order has no such step from where this one stands."""
    if not allows(order.state, event):
        before = " or ".join(state for state in ORDER_LIFE if allows(state, event))
        raise NotAllowedNow(f"Work order {order.no} is {order.state}, no longer a {before}.", reason="state", id=order.id)
