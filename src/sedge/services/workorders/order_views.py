"""How a work order is shown: its tasks in words, with prices, findings, progress."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sedge.core.errors import Forbidden
from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.records import RECORD_TYPES, Number, Order
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import Costs, Report, check, totals
from sedge.core.workorders.course import Stop, course_of
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.life import OrderState, TaskState
from sedge.core.workorders.task_base import Cost
from sedge.services.context import Context, Reading
from sedge.services.workorders.checking.outcome_preview import Aftermath, aftermath
from sedge.services.workorders.loading import load
from sedge.services.workorders.overlaps import overlaps
from sedge.services.workorders.workorders import require_access, stored_tasks
from sedge.store.repositories import ledger as ledger_store
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import StoredTask, WorkOrder


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
    """A work order with its checks and the estate as it will be; `seen` is the last ledger entry
    that the checks knew of, `refusal` why the member may only look at it, "" where they may do
    more; `monthly_now` what numbers and seats cost a month before it, by currency, where it changes
    that and has not begun; `course` from when its tasks work, where not all do at once."""

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
    monthly_now: Mapping[str, Money] = field(default_factory=dict)
    course: tuple[Stop, ...] = ()

    @property
    def monthly_before_and_after(self) -> list[tuple[Money, Money]]:
        return [(now, now + self.costs.monthly[key]) for key, now in self.monthly_now.items()]

    @property
    def runnable(self) -> bool:
        return (
            self.order.state is OrderState.DRAFT
            and self.report is not None
            and self.report.runnable
            and bool(self.tasks)
        )


def view_order(context: Context, key: str) -> OrderView:
    """A work order as it stands; drafts are checked anew each time they are looked at."""
    with context.reading() as reading:
        order = store.get(reading.connection, key)
        estate = load(reading, [x.body for x in order.tasks])
        overlapping = (
            tuple(overlaps(reading, order))
            if order.state in {OrderState.DRAFT, OrderState.SCHEDULED}
            else ()
        )
        awaited = reading.records.find(Order, order.awaits)
        undo, _ = store.undo_of(reading.connection, order.id)
        view = viewed(context, reading, order, estate)
    return replace(
        view,
        undone_by=undo.id if undo else "",
        overlaps=overlapping,
        awaited=awaited.reference if awaited else "",
    )


def viewed(context: Context, reading: Reading, order: WorkOrder, estate: Estate) -> OrderView:
    """A work order on an estate, kept or not, with its checks while it is a draft."""
    bodies = [x.body for x in order.tasks]
    refusal, seen = (
        _refusal(context, reading, order),
        ledger_store.last_sequence(reading.connection),
    )
    report = check(bodies, estate, awaits=order.awaits) if order.state is OrderState.DRAFT else None
    estate = _with_newcomers(bodies, estate)
    idle = {i for i, b in enumerate(bodies) if report and b.is_idle(bodies, estate)}
    views = [
        _task_view(stored, bodies, estate, report, costs=i not in idle)
        for i, stored in enumerate(order.tasks)
    ]
    after = tuple(aftermath(bodies, report)) if report and report.runnable else ()
    costs = totals([b for i, b in enumerate(bodies) if i not in idle], estate)
    return OrderView(
        order,
        views,
        report,
        costs,
        undo_words(order),
        after=after,
        seen=seen,
        refusal=refusal,
        course=_course(order, bodies, estate, report),
    )


def _course(
    order: WorkOrder, bodies: Sequence[t.Task], estate: Estate, report: Report | None
) -> tuple[Stop, ...]:
    """From when what works: of a draft that may be run as it would be, of one under way as it is
    now. Nothing where all of it works at one moment."""
    begins, ends = order.run_at or estate.now, estate
    if report is not None:
        if not report.runnable:
            return ()
        if begins > estate.now:
            report = check(bodies, estate.fork(begins), awaits=order.awaits)
        ends = report.after
    elif order.state is not OrderState.RUNNING:
        return ()
    done = {
        x.position: x.works_from or order.started_at or estate.now
        for x in order.tasks
        if x.state is TaskState.DONE
    }
    resolved = [body.resolved(bodies) for body in bodies]
    found = course_of(resolved, [x.after for x in order.tasks], ends, begins, done)
    return tuple(found) if len(found) > 1 else ()


def _with_newcomers(bodies: Sequence[t.Task], estate: Estate) -> Estate:
    """The estate with the people that the work order itself adds, so that its tasks can be told by
    their names."""
    newcomers = [b for b in bodies if isinstance(b, t.AddPerson)]
    if not newcomers:
        return estate
    known = estate.fork()
    for body in newcomers:
        known.absorb(body.apply(known))
    return known


def _task_view(
    stored: StoredTask,
    bodies: Sequence[t.Task],
    estate: Estate,
    report: Report | None,
    *,
    costs: bool = True,
) -> TaskView:
    body = stored.body.resolved(bodies)
    verb, rest = body.describe(estate)
    priced = costs and not _number_missing(body, estate)
    monthly, once, _ = body.costs(estate) if priced else Cost()
    findings = [f for f in report.findings if f.task == stored.position] if report else []
    stopped = stored.state is TaskState.PLANNED and any(f.level is Level.STOP for f in findings)
    when = "not yet" if stopped else _when(stored, body, estate)
    return TaskView(stored, verb, rest, when, monthly, once, findings, _whom(body, estate))


def _whom(body: t.Task, estate: Estate) -> str:
    """Whom a task concerns: the holder it names, else who has or gets its number; '' for nobody."""
    number = estate.get(Number, body.e164) if body.e164 else None
    ref = body.for_holder or (number.holder if number else None)
    found = estate.get(RECORD_TYPES[ref.subject], ref.id) if ref else None
    return getattr(found, "name", "")


def _number_missing(body: t.Task, estate: Estate) -> bool:
    return body.e164 is not None and estate.get(Number, body.e164) is None


def _when(stored: StoredTask, body: t.Task, estate: Estate) -> str:
    match stored.state:
        case TaskState.PLANNED:
            waits = (
                f"after task {', '.join(str(a + 1) for a in stored.after)}" if stored.after else ""
            )
            return waits or body.works(estate)
        case TaskState.WAITING:
            return f"waiting for {stored.waits_for}" if stored.waits_for else "next in line"
        case _:
            return stored.state.value


def undo_words(order: WorkOrder) -> str:
    """What can't be taken back, said before running."""
    bodies = [x.body for x in order.tasks]
    names = sorted({body.for_good for body in bodies if body.for_good})
    if not names:
        return "Everything here can be undone as long as nobody has changed it since."
    some = any(not body.for_good for body in bodies)
    rest = " The rest can, as long as nobody has changed it since." if some else ""
    return f"This can't be undone: {', '.join(names)}.{rest}"


def _refusal(context: Context, reading: Reading, order: WorkOrder) -> str:
    try:
        require_access(context, reading, order)
    except Forbidden as error:
        return error.message
    return ""


def look_ahead(
    context: Context, title: str, tasks: Sequence[Any], marks: Sequence[int | None]
) -> OrderView:
    """A work order as it would be, with its checks and prices; nothing is kept."""
    with context.reading() as reading:
        estate = load(reading, tasks)
        stored = stored_tasks("ahead", tasks, estate, list(marks))
        order = WorkOrder(
            id="ahead",
            no=0,
            title=title,
            state=OrderState.DRAFT,
            reason="",
            created_at=reading.now,
            created_by=context.actor,
            author=context.who.sign_in,
            tasks=stored,
        )
        return viewed(context, reading, order, estate)
