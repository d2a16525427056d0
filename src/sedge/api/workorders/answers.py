"""What the JSON interface answers: work orders, checks, remedies."""

from typing import NotRequired, cast

from pydantic import ConfigDict
from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, TaskOut, moment, money
from sedge.core.enums import Subject
from sedge.core.workorders.findings import Finding, Level, Remedy
from sedge.core.workorders.life import OrderState, TaskState
from sedge.services.workorders.order_views import OrderView, TaskView


class LeadsToOut(TypedDict):
    """A page or resource where what is missing can be put right by hand."""

    what: str
    id: str


class RemedyOut(TypedDict):
    """Tasks that go before the one found wanting (`add_before`) or in its place (`replace`), or
    where to put it right by hand (`leads_to`)."""

    words: str
    automatic: bool
    add_before: NotRequired[list[TaskOut]]
    replace: NotRequired[list[TaskOut]]
    leads_to: NotRequired[LeadsToOut]


class WorkOrderTaskOut(TypedDict):
    """The task's own fields, as its kind has them, and how far it is."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]

    kind: str
    id: str
    position: int
    after: list[int]
    state: TaskState
    words: str
    waits_for: str
    next_try: str | None
    error: str
    works_from: str | None


class WorkOrderOverlapOut(TypedDict):
    no: int
    title: str
    by: str
    state: OrderState


class CheckOut(TypedDict):
    rule: str
    level: Level
    task: int
    message: str
    remedy: RemedyOut | None
    remedies: list[RemedyOut]


class LaterOut(TypedDict):
    """A monthly change that begins at a moment of its own."""

    begins: str
    amount: MoneyOut


class BeforeAndAfterOut(TypedDict):
    """What numbers and seats cost in a whole month without the work order, and with it."""

    before: MoneyOut
    after: MoneyOut


class WorkOrderOut(TypedDict):
    id: str
    no: int
    title: str
    state: OrderState
    reason: str
    created_at: str
    created_by: str
    run_at: str | None
    awaits: str | None
    overlaps: list[WorkOrderOverlapOut]
    finished_at: str | None
    undo_of: str | None
    tasks: list[WorkOrderTaskOut]
    checks: list[CheckOut]
    runnable: bool
    monthly: list[MoneyOut]
    once: list[MoneyOut]
    monthly_later: list[LaterOut]
    paid_already: list[MoneyOut]
    stays_paid: list[MoneyOut]
    fixed_monthly: list[BeforeAndAfterOut]
    cannot_be_undone: str
    seen: int


class RuleFoundOut(TypedDict):
    stops: int
    warnings: int


class RuleOut(TypedDict):
    rule: str
    task: str
    why: str
    example: str
    nightly: bool
    warnings_stop: bool
    found: RuleFoundOut


class RuleDetailItemOut(TypedDict):
    subject: Subject
    id: str
    level: str
    name: str
    message: str


class RuleDetailOut(RuleOut):
    items: list[RuleDetailItemOut]
    next: str | None


class CheckedOut(TypedDict):
    findings: int


class WorkOrderRowOut(TypedDict):
    id: str
    no: int
    title: str
    state: OrderState
    created_at: str
    created_by: str


class WhyNotOut(TypedDict):
    works_already: bool
    tasks: list[TaskOut] | None
    told: list[str]
    monthly: list[MoneyOut]
    checks: list[CheckOut]
    first: list[RemedyOut]


class CommentOut(TypedDict):
    at: str
    actor: str
    text: str


class WorkOrderTriedOut(TypedDict):
    """What a draft would be told; nothing is kept."""

    id: None
    tasks: list[TaskOut]
    checks: list[CheckOut]
    runnable: bool


def remedy_out(r: Remedy) -> RemedyOut:
    if r.leads_to:
        return {
            "leads_to": {"what": r.leads_to.what, "id": r.leads_to.id},
            "words": r.words,
            "automatic": False,
        }
    tasks = [task.model_dump(mode="json") for task in r.tasks]
    if r.replaces:
        return {"replace": tasks, "words": r.words, "automatic": r.automatic}
    return {"add_before": tasks, "words": r.words, "automatic": r.automatic}


def check_out(f: Finding) -> CheckOut:
    automatic = next((r for r in f.remedies if r.automatic), None)
    shown = automatic or (f.remedies[0] if f.remedies else None)
    return {
        "rule": f.rule,
        "level": f.level,
        "task": f.task,
        "message": f.message,
        "remedy": remedy_out(shown) if shown else None,
        "remedies": [remedy_out(r) for r in f.remedies],
    }


def work_order_task_out(x: TaskView) -> WorkOrderTaskOut:
    fields = {
        **x.stored.body.model_dump(mode="json"),
        "id": x.stored.id,
        "position": x.stored.position,
        "after": list(x.stored.after),
        "state": x.stored.state,
        "words": f"{x.verb} {x.rest}".strip(),
        "waits_for": x.stored.waits_for,
        "next_try": moment(x.stored.next_try),
        "error": x.stored.error,
        "works_from": moment(x.stored.works_from),
    }
    return cast(WorkOrderTaskOut, fields)


def work_order_out(view: OrderView) -> WorkOrderOut:
    o = view.order
    tasks = [work_order_task_out(x) for x in view.tasks]
    return {
        "id": o.id,
        "no": o.no,
        "title": o.title,
        "state": o.state,
        "reason": o.reason,
        "created_at": moment(o.created_at),
        "created_by": o.created_by,
        "run_at": moment(o.run_at),
        "awaits": o.awaits,
        "overlaps": [
            {"no": x.no, "title": x.title, "by": x.by, "state": x.state} for x in view.overlaps
        ],
        "finished_at": moment(o.finished_at),
        "undo_of": o.undo_of,
        "tasks": tasks,
        "checks": [check_out(f) for f in view.report.findings] if view.report else [],
        "runnable": view.runnable,
        "monthly": [money(m) for m in view.costs.monthly.values()],
        "once": [money(m) for m in view.costs.once.values()],
        "monthly_later": [
            {"begins": moment(begins), "amount": money(m)} for begins, m in view.costs.later
        ],
        "paid_already": [money(m) for m in view.costs.paid_already.values()],
        "stays_paid": [money(m) for m in view.costs.stays_paid.values()],
        "fixed_monthly": [
            {"before": money(now), "after": money(then)}
            for now, then in view.monthly_before_and_after
        ],
        "cannot_be_undone": view.undo,
        "seen": view.seen,
    }
