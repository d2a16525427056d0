"""Work orders at the desk: write, check, mend, run, stop, try again, undo."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from sedge.core.access.roles import May
from sedge.core.errors import Forbidden, NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.records import Site, Subject
from sedge.core.reduce import apply
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Costs, Report, check, costs_of, replaced, totals, with_remedies
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.plan import resolve
from sedge.core.workorders.tasks import TASK, Needs, needs
from sedge.core.workorders.telling import tell, tell_whole
from sedge.core.workorders.waiting import estimated_delay
from sedge.desk.aftermath import Aftermath, aftermath
from sedge.desk.desk import Desk, Reading, Writing
from sedge.desk.numbers import the_number
from sedge.store import workorders as store
from sedge.store.workorders import OrderState, StoredTask, TaskState, WorkOrder

MOST_TASKS = 5000
A_PAGE = 50
ROUNDS = 6


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


@dataclass(frozen=True)
class OrderView:
    """A work order with its checks and the estate as it will be."""

    order: WorkOrder
    tasks: list[TaskView]
    report: Report | None
    costs: Costs
    undo: str
    undone_by: str = ""
    after: tuple[Aftermath, ...] = ()

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
    identity: str | None = None,
) -> WorkOrder:  # fmt: skip
    """Write a work order; nothing is changed yet. Asked again with the same `identity`, it is the one of the first time.

    Raises NotUnderstood where tasks wait for each other.
    """
    desk.require(May.CHANGE_ESTATE)
    if identity and (begun := find(desk, identity)):
        return begun
    title = title.strip()[:200] or "Work order"
    order_id = f"wo-{identity}" if identity else desk.new_id("wo")
    with desk.writing(reason=reason, work_order=order_id) as writing:
        estate = load(writing, tasks)
        _own_sites_only(desk, tasks, estate)
        order = WorkOrder(
            id=order_id, no=0, title=title, state=OrderState.DRAFT, reason=reason[:400], created_at=writing.now, created_by=desk.actor, run_at=run_at,
            undo_of=undo_of, tasks=_stored(order_id, tasks, estate, [None] * len(tasks)),
        )  # fmt: skip
        order = store.add(writing.connection, order)
        writing.remark("work-order.drafted", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def find(desk: Desk, identity: str) -> WorkOrder | None:
    """The work order that was written under this identity, if it was."""
    with desk.reading() as reading:
        return store.find(reading.connection, f"wo-{identity}")


def preview(desk: Desk, tasks: Sequence[Any]) -> Report:
    """Checks of tasks that are kept nowhere."""
    with desk.reading() as reading:
        return check(tasks, load(reading, tasks))


def load(reading: Reading, tasks: Sequence[Any]) -> Estate:
    wanted = Needs(choices=True)
    for task in tasks:
        wanted = wanted | needs(resolve(task, tasks))
    return reading.estate(wanted)


def _stored(order_id: str, tasks: Sequence[Any], estate: Estate, marks: Sequence[int | None]) -> tuple[StoredTask, ...]:
    """Tasks in running order, positions renumbered, `output_of` following."""
    from sedge.core.records import Product
    from sedge.core.workorders.plan import arrange

    order = arrange(tasks, {p.id: p.needs_all for p in estate.all(Product)})
    place = {position: i for i, (position, _) in enumerate(order)}
    stored = []
    for position, before in order:
        body = tasks[position]
        number = getattr(body, "number", None)
        if isinstance(number, t.OutputOf):
            body = body.but(number=number.but(output_of=place[number.output_of]))
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


def _own_sites_only(desk: Desk, tasks: Sequence[Any], estate: Estate) -> None:
    """A site manager plans for their own sites only."""
    if not desk.who.sites:
        return
    for task in tasks:
        ref = getattr(task, "holder", None)
        named = getattr(task, "site", None)
        site = named or (estate.site_of(ref).id if ref else (estate.number(task.e164).site if task.e164 else None))
        if site and site not in desk.who.sites:
            name = estate.the(Site, site).name
            raise Forbidden(f"You plan for your own sites; {name} is not one of them. Ask an administrator.", site=site)


def look(desk: Desk, key: str) -> OrderView:
    """A work order as it stands; drafts are checked anew each time they are looked at."""
    with desk.reading() as reading:
        order = store.get(reading.connection, key)
        bodies = [x.body for x in order.tasks]
        estate = load(reading, bodies)
        undone_by = next((w.id for w in store.listing(reading.connection, limit=200) if w.undo_of == order.id), "")
    report = check(bodies, estate) if order.state is OrderState.DRAFT else None
    estate = _with_newcomers(bodies, estate)
    views = [_task_view(stored, bodies, estate, report) for stored in order.tasks]
    after = tuple(aftermath(bodies, report)) if report and report.runnable else ()
    return OrderView(order, views, report, totals(bodies, estate), undo_words(order), undone_by, after)


def _with_newcomers(bodies: list[Any], estate: Estate) -> Estate:
    """The estate with the people that the work order itself adds, so that its tasks can be told by their names."""
    newcomers = [b for b in bodies if isinstance(b, t.AddPerson)]
    if not newcomers:
        return estate
    known = estate.fork()
    for body in newcomers:
        known.absorb(apply(body, known))
    return known


def _task_view(stored: StoredTask, bodies: list[Any], estate: Estate, report: Report | None) -> TaskView:
    body = resolve(stored.body, bodies)
    verb, rest = tell(body, estate)
    monthly, once = costs_of(body, estate) if not _number_missing(body, estate) else (None, None)
    findings = [f for f in report.findings if f.task == stored.position] if report else []
    stopped = stored.state is TaskState.PLANNED and any(f.level is Level.STOP for f in findings)
    return TaskView(stored, verb, rest, "not yet" if stopped else _when(stored, body, estate), monthly, once, findings)


def _number_missing(body: Any, estate: Estate) -> bool:
    from sedge.core.records import Number

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
    for_good = [
        x
        for x in order.tasks
        if isinstance(
            x.body, t.OrderNumbers | t.ReleaseNumber | t.PlaceTestCall | t.RegisterAddress | t.TellPlace | t.ImportNumbers | t.SendPaper
        )
    ]
    if not for_good:
        return "Everything here can be undone as long as nobody has changed it since."
    kinds = {
        "order_numbers": "an order",
        "release_number": "a release",
        "send_paper": "a paper that was sent",
        "place_test_call": "a test call",
        "register_address": "a registration",
        "tell_place": "a place that was told",
        "import_numbers": "what a file brings in (release what should not be here)",
    }
    names = sorted({kinds[x.body.kind] for x in for_good})
    return f"This can't be undone: {', '.join(names)}. The rest can, as long as nobody has changed it since."


def change_tasks(desk: Desk, key: str, tasks: Sequence[Any], marks: Sequence[int | None] | None = None) -> WorkOrder:
    """Replace a draft's tasks."""
    with desk.writing() as writing:
        order = store.get(writing.connection, key)
        _must_be(order, OrderState.DRAFT)
        if not tasks:
            raise NotAllowedNow("A work order needs at least one task; discard it instead.", reason="empty")
        estate = load(writing, tasks)
        order = replace(order, tasks=_stored(order.id, tasks, estate, marks or [None] * len(tasks)))
        store.put_tasks(writing.connection, order)
        order = store.save(writing.connection, order)
        writing.touch()
    return order


def add_remedies(desk: Desk, key: str) -> WorkOrder:
    """Add every automatic remedy and check again, until nothing more can be added by itself."""
    order = _get(desk, key)
    _must_be(order, OrderState.DRAFT)
    for _ in range(ROUNDS):
        bodies = [x.body for x in order.tasks]
        report = preview(desk, bodies)
        mended, marks = with_remedies(bodies, report)
        if mended == bodies:
            break
        old = {id(x.body): x.added_as_remedy_for for x in order.tasks}
        kept = [m if m is not None else _kept_mark(old.get(id(task)), bodies, mended) for task, m in zip(mended, marks, strict=True)]
        order = change_tasks(desk, order.id, mended, kept)
    return order


def _kept_mark(mark: int | None, bodies: list[Any], mended: list[Any]) -> int | None:
    """An earlier round's mark, moved to where its task now stands."""
    if mark is None:
        return None
    return next((i for i, task in enumerate(mended) if task is bodies[mark]), None)


def choose_remedy(desk: Desk, key: str, task: int, rule: str, remedy: int, reason: str = "") -> WorkOrder:
    """Add one remedy that somebody chose: the `remedy`-th of the finding of `rule` on task `task`."""
    order = _get(desk, key)
    _must_be(order, OrderState.DRAFT)
    bodies = [x.body for x in order.tasks]
    finding = next((f for f in preview(desk, bodies).findings if f.task == task and f.rule == rule), None)
    if finding is None or remedy >= len(finding.remedies):
        raise NotAllowedNow("That remedy is no longer needed. Look at the checks again.", reason="gone")
    chosen = finding.remedies[remedy]
    if chosen.leads_to:
        raise NotAllowedNow("This is done on a page of its own; then check the draft again.", reason="elsewhere")
    tasks = [x.but(reason=reason) if isinstance(x, t.EndRest) and reason else x for x in chosen.tasks]
    if chosen.replaces:
        bodies = replaced(bodies, task, tasks[0])
        return change_tasks(desk, order.id, bodies, [x.added_as_remedy_for for x in order.tasks])
    shift = len(tasks)
    renumbered = [_shifted(b, task, shift) for b in bodies]
    mended = [*renumbered[:task], *tasks, *renumbered[task:]]
    old = [None if m is None else m + (shift if m >= task else 0) for m in (x.added_as_remedy_for for x in order.tasks)]
    return change_tasks(desk, order.id, mended, [*old[:task], *([task + shift] * shift), *old[task:]])


def _shifted(body: Any, at: int, by: int) -> Any:
    number = getattr(body, "number", None)
    if isinstance(number, t.OutputOf) and number.output_of >= at:
        return body.but(number=number.but(output_of=number.output_of + by))
    return body


def remove_task(desk: Desk, key: str, position: int) -> WorkOrder:
    order = _get(desk, key)
    if not 0 <= position < len(order.tasks):
        raise NotUnderstood("There is no such task in this work order.", field="task")
    if any(isinstance(n := getattr(x.body, "number", None), t.OutputOf) and n.output_of == position for x in order.tasks):
        raise NotAllowedNow("Another task uses what this one brings. Take that one out first.", reason="needed")
    bodies = [_shifted(x.body, position + 1, -1) for x in order.tasks if x.position != position]
    return change_tasks(desk, order.id, bodies)


def add_task(desk: Desk, key: str, raw: Any) -> WorkOrder:
    order = _get(desk, key)
    return change_tasks(desk, order.id, [*(x.body for x in order.tasks), *read_tasks(desk, [raw])])


def discard(desk: Desk, key: str) -> None:
    """Throw a draft away."""
    _settle(desk, key, OrderState.DRAFT, OrderState.STOPPED, "work-order.stopped")


def _settle(desk: Desk, key: str, was: OrderState, becomes: OrderState, action: str) -> WorkOrder:
    with desk.writing() as writing:
        order = store.get(writing.connection, key)
        _must_be(order, was)
        order = store.save(writing.connection, replace(order, state=becomes, finished_at=writing.now))
        writing.remark(action, Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def run(desk: Desk, key: str) -> WorkOrder:
    """Check once more, then hand the tasks to the runner. Running twice is the same as running once.

    Raises NotRunnable with the stopping sentences.
    """
    desk.require(May.CHANGE_ESTATE)
    order = _get(desk, key)
    if order.state in {OrderState.RUNNING, OrderState.DONE, OrderState.SCHEDULED}:
        return order
    _must_be(order, OrderState.DRAFT)
    report = preview(desk, [x.body for x in order.tasks])
    if report.stops:
        sentences = [f"Task {f.task + 1}: {f.message}" for f in report.stops]
        raise NotRunnable(
            sentences[0] if len(sentences) == 1 else f"{len(sentences)} checks stop this. {sentences[0]}", stops=sentences, id=order.id
        )
    with desk.writing(reason=order.reason, work_order=order.id) as writing:
        current = store.get(writing.connection, order.id)
        if current.state is not OrderState.DRAFT:
            return current
        if order.run_at and order.run_at > writing.now:
            order = store.save(writing.connection, replace(order, state=OrderState.SCHEDULED))
            writing.remark("work-order.scheduled", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
            return order
        return start(writing, order)


def start(writing: Writing, order: WorkOrder) -> WorkOrder:
    """Tasks that wait for nothing become due."""
    for stored in order.tasks:
        if not stored.after:
            store.save_task(writing.connection, replace(stored, state=TaskState.WAITING, next_try=writing.now))
    order = store.save(writing.connection, replace(order, state=OrderState.RUNNING, started_at=writing.now))
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
        if order.state not in {OrderState.RUNNING, OrderState.SCHEDULED}:
            raise NotAllowedNow(f"Work order {order.no} is {order.state}; there is nothing to stop.", reason="state")
        for stored in order.tasks:
            if stored.state in {TaskState.PLANNED, TaskState.WAITING}:
                store.save_task(writing.connection, replace(stored, state=TaskState.SKIPPED, waits_for="", next_try=None))
        order = store.save(writing.connection, replace(order, state=OrderState.STOPPED, finished_at=writing.now))
        writing.remark("work-order.stopped", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def try_again(desk: Desk, key: str) -> WorkOrder:
    """Failed tasks get another try; those that were skipped because of them wait again."""
    with desk.writing(work_order=key) as writing:
        order = store.get(writing.connection, key)
        if order.state is not OrderState.FAILED:
            raise NotAllowedNow(f"Work order {order.no} is {order.state}; nothing of it failed.", reason="state")
        done = {x.position for x in order.tasks if x.state is TaskState.DONE}
        for stored in order.tasks:
            if stored.state in {TaskState.FAILED, TaskState.SKIPPED}:
                ready = set(stored.after) <= done
                state = TaskState.WAITING if ready else TaskState.PLANNED
                again = replace(stored, state=state, next_try=writing.now if ready else None, error="", attempts=0, waits_for="")
                store.save_task(writing.connection, again)
        order = store.save(writing.connection, replace(order, state=OrderState.RUNNING, finished_at=None))
        writing.remark("work-order.started", Subject.WORK_ORDER, order.id, f"{order.no} {order.title}")
    return order


def undo(desk: Desk, key: str) -> WorkOrder:
    """Build and run the reverse work order. Raises NotAllowedNow where nothing can be reversed, NotRunnable where
    somebody has changed things since (the draft is kept)."""
    desk.require(May.CHANGE_ESTATE)
    order = _get(desk, key)
    if order.state not in {OrderState.DONE, OrderState.FAILED, OrderState.STOPPED}:
        raise NotAllowedNow(f"Work order {order.no} is {order.state}; only one that has ended can be undone.", reason="state")
    if order.undo_of:
        raise NotAllowedNow("This is an undo itself. Do the work again instead.", reason="undo")
    with desk.reading() as reading:
        estate = load(reading, [x.body for x in order.tasks])
        earlier = [w for w in store.listing(reading.connection, limit=200) if w.undo_of == order.id and w.state is not OrderState.STOPPED]
    if earlier:
        return earlier[0]
    bodies = [x.body for x in order.tasks]
    back = [
        _reverse(resolve(x.body, bodies), x, estate)
        for x in reversed(order.tasks)
        if x.state is TaskState.DONE and x.snapshots and not _for_good(x)
    ]
    if not back:
        raise NotAllowedNow("Nothing of this work order can be undone: what it did is for good, or nothing was done.", reason="nothing")
    reverse = draft(desk, f"Undo of {order.no}: {order.title}"[:200], back, reason=f"undo of work order {order.no}", undo_of=order.id)
    return run(desk, reverse.id)


def _reverse(task: Any, stored: StoredTask, estate: Estate) -> Any:
    """What undoes a done task: what the carrier has switched it must switch again, all else is put back as it was."""
    if isinstance(task, t.SetFeature):
        return task.but(on=not task.on)
    return t.PutBack(of=tell_whole(task, estate), snapshots=stored.snapshots)


def _for_good(stored: StoredTask) -> bool:
    """What no undo takes back: purchases, releases, what the carrier was told, and that a call path has come to be."""
    is_new_path = isinstance(stored.body, t.PublishPath) and any(s.subject is Subject.PATH and s.before is None for s in stored.snapshots)
    return is_new_path or isinstance(stored.body, t.OrderNumbers | t.ReleaseNumber | t.RegisterAddress | t.TellPlace | t.SendPaper)


def listing(desk: Desk, *, states: tuple[OrderState, ...] = (), after_no: int | None = None, limit: int = A_PAGE) -> list[WorkOrder]:
    with desk.reading() as reading:
        return store.listing(reading.connection, states=states, after_no=after_no, limit=limit)


def _get(desk: Desk, key: str) -> WorkOrder:
    with desk.reading() as reading:
        return store.get(reading.connection, key)


def _must_be(order: WorkOrder, state: OrderState) -> None:
    if order.state is not state:
        raise NotAllowedNow(f"Work order {order.no} is {order.state}, no longer a {state}.", reason="state", id=order.id)
