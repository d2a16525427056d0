"""Editing a draft: its tasks, its time, what is said of it; templates and the usual work as
forms."""

from datetime import time
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotUnderstood
from sedge.services.callpaths import paths, proof_calls
from sedge.services.context import Context
from sedge.services.holders import holders, site_management
from sedge.services.spend import order_costs
from sedge.services.supply import supply
from sedge.services.when import moment_of
from sedge.services.workorders import (
    draft_expiry,
    drafts,
    guided_workflows,
    order_running,
    order_templates,
    workorders,
)
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, render
from sedge.web.workorders import views

place = Place()
KINDS = {
    "assign": "Give a number",
    "reserve": "Reserve a number",
    "set-aside": "Set a number aside",
    "unreserve": "Take a reservation back",
    "set-spot": "Set an emergency spot",
    "register-address": "Register an emergency address",
    "list-on-trunk": "Put a number on a trunk's list",
    "set-path": "Set a call path",
    "route-calls": "Route calls",
    "set-fallback": "Set a fallback",
    "end-rest": "End a number's rest",
    "return": "Return a number",
    "unassign": "Take a number back",
    "release": "Release a number",
    "grant": "Grant a licence",
}


def shown(context: Context, key: str, by: str = "") -> dict[str, Any]:
    """What the page of a work order shows."""
    view = order_costs.view_order(context, key)
    page = views.order_page(view, context.now(), by_holder=by == "holder")
    awaited = (
        [(o.id, f"{o.reference} ({len(o.lines)})") for o in supply.open_orders(context)]
        if page.is_draft
        else []
    )
    proofs = proof_calls.proofs_by(context, view.order)
    return {
        "page": page,
        "by": by,
        "proofs": proofs,
        "comments": drafts.comments(context, view.order.id),
        "awaited": awaited,
        "kinds": list(KINDS.items()),
    }


def redraw_order(request: Request, context: RequestContext, key: str) -> Response:
    """After an action: the order anew, as a part for htmx, as a page without it."""
    if is_swap(request):
        return render(request, "_work_order.html", **shown(context, key))
    return RedirectResponse(f"/work-orders/{key}", 303)


@place.action("/work-orders/{key}/tasks/{position}/move", May.CHANGE_ESTATE)
def move(
    request: Request, context: RequestContext, key: str, position: int, to: Annotated[int, Form()]
) -> Response:
    drafts.move_task(context, key, position, to)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/tasks/{position}/until", May.CHANGE_ESTATE)
def until(
    request: Request,
    context: RequestContext,
    key: str,
    position: int,
    until: Annotated[str, Form()] = "",
) -> Response:
    drafts.make_temporary(context, key, position, moment_of(context, until, "until", at=time(0, 5)))
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/tasks/{position}/skip", May.CHANGE_ESTATE)
def skip(request: Request, context: RequestContext, key: str, position: int) -> Response:
    order_running.skip_task(context, key, position)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/tasks/{position}/now", May.CHANGE_ESTATE)
def look_now(request: Request, context: RequestContext, key: str, position: int) -> Response:
    order_running.look_now(context, key, position)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/when", May.CHANGE_ESTATE)
def when(
    request: Request,
    context: RequestContext,
    key: str,
    begin: Annotated[str, Form()] = "now",
    run_at: Annotated[str, Form()] = "",
    awaits: Annotated[str, Form()] = "",
) -> Response:
    at = moment_of(context, run_at, "run_at") if begin == "moment" else None
    if begin == "moment" and at is None:
        raise NotUnderstood("Type the moment at which it shall begin.", field="run_at")
    if begin == "order" and not awaits:
        raise NotUnderstood("Choose the order it shall wait for.", field="awaits")
    drafts.set_when(context, key, run_at=at, awaits=awaits if begin == "order" else None)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/keep", May.CHANGE_ESTATE)
def keep_draft(request: Request, context: RequestContext, key: str) -> Response:
    """A draft that was only a look stays."""
    draft_expiry.keep_draft(context, key)
    return go(request, f"/work-orders/{key}")


@place.action("/work-orders/{key}/draft", May.CHANGE_ESTATE)
def back_to_draft(request: Request, context: RequestContext, key: str) -> Response:
    drafts.back_to_draft(context, key)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/title", May.CHANGE_ESTATE)
def rename(
    request: Request,
    context: RequestContext,
    key: str,
    title: Annotated[str, Form()] = "",
    reason: Annotated[str, Form()] = "",
) -> Response:
    drafts.rename(context, key, title, reason)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/comments", May.NOTE)
def comment(
    request: Request, context: RequestContext, key: str, text: Annotated[str, Form()] = ""
) -> Response:
    drafts.comment(context, key, text)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/duplicate", May.CHANGE_ESTATE)
def duplicate(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{drafts.duplicate(context, key).no}")


@place.action("/work-orders/{key}/template", May.CHANGE_ESTATE)
def keep_as_template(
    request: Request, context: RequestContext, key: str, name: Annotated[str, Form()] = ""
) -> Response:
    return go(
        request, f"/work-orders/templates/{order_templates.keep_as_template(context, key, name).id}"
    )


# ── templates ──


@place.page("/work-orders/templates", May.CHANGE_ESTATE)
def template_list(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "templates.html",
        usual=list(guided_workflows.KINDS.values()),
        kept=order_templates.templates(context),
    )


@place.page("/work-orders/templates/{key}", May.CHANGE_ESTATE)
def template_page(
    request: Request,
    context: RequestContext,
    key: str,
    person: str = "",
    site: str = "",
    line: str = "",
) -> Response:
    if key not in guided_workflows.KINDS:
        kept = order_templates.the_template(context, key)
        return render(
            request,
            "template_kept.html",
            kept=kept,
            choices=order_templates.choices_of(context, kept),
        )
    sites = site_management.site_choices(context)
    at = site or (sites[0][0] if sites else "")
    known = (
        holders.one_holder(context, holders.HolderKind.PERSON, person).holder if person else None
    )
    spots = site_management.spot_choices(context, sites, whole=False)
    lines = (
        [(r.holder.id, f"{r.holder.name}, {r.site}") for r in holders.service_lines(context)]
        if key == "season"
        else []
    )
    return render(
        request,
        "template_usual.html",
        kind=guided_workflows.KINDS[key],
        sites=sites,
        site=at,
        person=known,
        spots=spots,
        lines=lines,
        line=line,
        paths=[(p.id, p.name) for p in paths.list_paths(context)] if key == "season" else [],
        first_free=guided_workflows.FIRST_FREE,
    )


@place.action("/work-orders/templates/{key}", May.CHANGE_ESTATE)
async def use_template(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value)[:300] for name, value in (await request.form()).items()}
    return go(request, f"/work-orders/{await run_in_threadpool(_use, context, key, form)}")


def _use(context: Context, key: str, form: dict[str, str]) -> int:
    if key in guided_workflows.KINDS:
        tasks, title = guided_workflows.plan(context, key, form)
        at, why = guided_workflows.begins(context, key, form), form.get("reason", "")
        return workorders.draft(context, title, tasks, reason=why, run_at=at, look=True).no
    filled = {
        int(name[5:]): value
        for name, value in form.items()
        if name.startswith("slot-") and name[5:].isdigit() and len(name) < 10
    }
    return order_templates.from_template(context, key, filled).no


@place.action("/work-orders/templates/{key}/throw-away", May.CHANGE_ESTATE)
def throw_away(request: Request, context: RequestContext, key: str) -> Response:
    if key in guided_workflows.KINDS:
        raise NotFound("The usual work can't be deleted.")
    order_templates.throw_away_template(context, key)
    return go(request, "/work-orders/templates")
