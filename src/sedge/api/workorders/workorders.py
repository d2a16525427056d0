"""Work orders: drafts with their checks, remedies, running, undo."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import Body, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page, moment
from sedge.api.moments import Moment
from sedge.api.routing import Cursor, RequestContext, Resource, once, page_limit
from sedge.api.workorders.answers import (
    CommentOut,
    WhyNotOut,
    WorkOrderOut,
    WorkOrderRowOut,
    WorkOrderTriedOut,
    check_out,
    remedy_out,
    work_order_out,
)
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.records import Role
from sedge.core.workorders.life import OrderState
from sedge.services.numbers import numbers
from sedge.services.spend import order_costs
from sedge.services.workorders import drafts, order_running, workorders
from sedge.services.workorders.checking import eligibility

resource = Resource(prefix="/work-orders", tags=["work orders"])


class Draft(BaseModel):
    """`tasks` are of the kinds of `Task`; a number in them may be typed in any unambiguous form."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "properties": {
                "tasks": {"type": "array", "items": {"$ref": "#/components/schemas/AnyTask"}}
            }
        },
    )
    title: str = Field(default="", max_length=200)
    reason: str = Field(default="", max_length=400)
    tasks: list[dict[str, Any]]
    run_at: Moment | None = None


TRIED: dict[int | str, dict[str, object]] = {200: {"model": WorkOrderTriedOut}}  # by a dry run


@resource.creates("", May.CHANGE_ESTATE, WorkOrderOut | WorkOrderTriedOut, responses=TRIED)
def draft(
    request: Request, context: RequestContext, asked: Draft, dry_run: bool = False
) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        if asked.run_at is not None and asked.run_at.tzinfo is None:
            raise NotUnderstood("run_at is a moment with its offset.", field="run_at")
        tasks = workorders.read_tasks(context, asked.tasks)
        if dry_run:
            report = workorders.preview(context, tasks)
            return 200, {
                "id": None,
                "tasks": [task.model_dump(mode="json") for task in tasks],
                "checks": [check_out(f) for f in report.findings],
                "runnable": report.runnable,
            }
        made = workorders.draft(
            context, asked.title, tasks, reason=asked.reason, run_at=asked.run_at, identity=identity
        )
        return 201, work_order_out(order_costs.view_order(context, made.id))

    return once(request, context, asked.model_dump(), make)


@resource.read("")
def listing(
    context: RequestContext, state: str = "", limit: int = 50, after: Cursor = 0
) -> Page[WorkOrderRowOut]:
    if state and state not in set(OrderState):
        raise NotUnderstood(f"state is one of: {', '.join(OrderState)}.", field="state")
    states = (OrderState(state),) if state else ()
    rows = workorders.list_orders(
        context, states=states, after_no=after or None, limit=page_limit(limit)
    )
    items: list[WorkOrderRowOut] = [
        {
            "id": w.id,
            "no": w.no,
            "title": w.title,
            "state": w.state,
            "created_at": moment(w.created_at),
            "created_by": w.created_by,
        }
        for w in rows
    ]
    return {"items": items, "next": str(rows[-1].no) if len(rows) == limit else None}


@resource.read("/why-not")
def ask_why_not(
    context: RequestContext, number: str, holder: str, role: Role = Role.MAIN
) -> WhyNotOut:
    """All verdicts on giving a number to a holder (`person:ID`, `service_line:ID`, `site:ID`), and
    the shortest set of tasks that would make it work; `tasks` is null where no tasks do, and
    `first` then says what must be made elsewhere.
    """
    answer = eligibility.ask(
        context, numbers.the_number(context, number), numbers.holder_ref(holder), role
    )
    found = answer.found
    return {
        "works_already": found.works_already,
        "tasks": [x.model_dump(mode="json") for x in found.tasks] if found.tasks else None,
        "told": answer.told,
        "monthly": [
            {"amount": str(amount), "currency": currency}
            for currency, amount in found.monthly.items()
        ],
        "checks": [check_out(f) for f in found.findings],
        "first": [remedy_out(r) for r in found.elsewhere],
    }


@resource.read("/{key}")
def look(context: RequestContext, key: str) -> WorkOrderOut:
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/remedies", May.CHANGE_ESTATE)
def add_remedies(context: RequestContext, key: str) -> WorkOrderOut:
    drafts.add_remedies(context, key)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/run", May.CHANGE_ESTATE)
def run(
    context: RequestContext, key: str, seen: int | None = Query(default=None, ge=0)
) -> WorkOrderOut:
    """`seen`, as the work order told it, refuses to run (409, changed-meanwhile) where what the
    checks rest on has changed since."""
    order_running.run(context, key, seen=seen)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/undo", May.CHANGE_ESTATE)
def undo(context: RequestContext, key: str) -> WorkOrderOut:
    return work_order_out(order_costs.view_order(context, order_running.undo(context, key).id))


@resource.write("/{key}/retry", May.CHANGE_ESTATE)
def retry(context: RequestContext, key: str) -> WorkOrderOut:
    order_running.try_again(context, key)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/stop", May.CHANGE_ESTATE)
def stop(context: RequestContext, key: str) -> WorkOrderOut:
    order_running.stop_order(context, key)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/tasks", May.CHANGE_ESTATE)
def add_task(
    context: RequestContext, key: str, task: Annotated[dict[str, object], Body()]
) -> WorkOrderOut:
    drafts.add_task(context, key, task)
    return work_order_out(order_costs.view_order(context, key))


class Moved(BaseModel):
    """`to`: the position it shall stand at, from 0."""

    model_config = ConfigDict(extra="forbid")
    to: int


class Until(BaseModel):
    """When what the task changes is put back; null: for good."""

    model_config = ConfigDict(extra="forbid")
    until: Moment | None


class When(BaseModel):
    """At a moment, or when an order (its id) has arrived; neither: when it is run."""

    model_config = ConfigDict(extra="forbid")
    run_at: Moment | None = None
    awaits: str | None = None


class Said(BaseModel):
    model_config = ConfigDict(extra="forbid")
    text: str


def _aware(moment: datetime | None, field: str) -> datetime | None:
    if moment is not None and moment.tzinfo is None:
        raise NotUnderstood(f"{field} is a moment with its offset.", field=field)
    return moment


@resource.write("/{key}/tasks/{position}/move", May.CHANGE_ESTATE)
def move(context: RequestContext, key: str, position: int, asked: Moved) -> WorkOrderOut:
    drafts.move_task(context, key, position, asked.to)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/tasks/{position}/until", May.CHANGE_ESTATE)
def until(context: RequestContext, key: str, position: int, asked: Until) -> WorkOrderOut:
    """A temporary change: its put-back is planned with it."""
    drafts.make_temporary(context, key, position, _aware(asked.until, "until"))
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/tasks/{position}/skip", May.CHANGE_ESTATE)
def skip(context: RequestContext, key: str, position: int) -> WorkOrderOut:
    """Go on without a task that failed or waits."""
    order_running.skip_task(context, key, position)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/tasks/{position}", May.CHANGE_ESTATE, method="DELETE")
def take_out(context: RequestContext, key: str, position: int) -> WorkOrderOut:
    drafts.remove_task(context, key, position)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/when", May.CHANGE_ESTATE)
def when(context: RequestContext, key: str, asked: When) -> WorkOrderOut:
    drafts.set_when(context, key, run_at=_aware(asked.run_at, "run_at"), awaits=asked.awaits)
    return work_order_out(order_costs.view_order(context, key))


@resource.write("/{key}/comments", May.NOTE)
def say(context: RequestContext, key: str, asked: Said) -> CommentOut:
    made = drafts.comment(context, key, asked.text)
    return {"at": moment(made.at), "actor": made.actor, "text": made.text}


@resource.write("/{key}/duplicate", May.CHANGE_ESTATE)
def duplicate(context: RequestContext, key: str) -> WorkOrderOut:
    return work_order_out(order_costs.view_order(context, drafts.duplicate(context, key).id))
