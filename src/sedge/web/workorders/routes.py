"""Work orders: the list, one order with its checks and the state after it, and the forms that begin
one."""

from typing import Annotated, Any

from fastapi import Form, Query, Request
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotRunnable, NotUnderstood
from sedge.core.holders.devices import DeviceKind
from sedge.core.numbers.e164 import read_one
from sedge.core.workorders.life import OrderState
from sedge.services import people_lookup
from sedge.services.callpaths import routing_calls
from sedge.services.numbers import bulk_actions, numbers
from sedge.services.spend import order_costs
from sedge.services.when import moment_of
from sedge.services.workorders import drafts, guided_workflows, order_running, workorders
from sedge.web.routing import Place, RequestContext, require_sure
from sedge.web.shared.rendering import go, is_swap, render
from sedge.web.shared.saving import run_or_review
from sedge.web.workorders import views
from sedge.web.workorders.editing import KINDS, redraw_order, shown

HOLDERS_FORMS = frozenset({"assign", "grant"})  # somebody gets something

place = Place()


@place.page("/work-orders", May.LOOK)
def list_orders(
    request: Request,
    context: RequestContext,
    state: str = "",
    after: Annotated[int, Query(ge=0, le=2**53)] = 0,
) -> Response:
    states = (OrderState(state),) if state in set(OrderState) else ()
    found = workorders.list_orders(context, states=states, after_no=after or None)
    following = found[-1].no if len(found) == workorders.A_PAGE else None
    progress = workorders.progress_of(context, found)
    rows = [(order, views.TONES.get(order.state, ""), progress.get(order.id)) for order in found]
    return render(
        request,
        "work_orders.html",
        rows=rows,
        state=state,
        states=[s.value for s in OrderState],
        following=following,
    )


@place.page("/work-orders/new/{kind}", May.CHANGE_ESTATE)
def new(
    request: Request,
    context: RequestContext,
    kind: str,
    number: str = "",
    person: str = "",
    line: str = "",
    site: str = "",
    to: str = "",
    phone: str = "",
) -> Response:
    """The form that begins a work order of one kind, or adds to the draft `to`; what is known
    already is filled in. `phone` is the kind of phone that is set up as well."""
    if kind not in KINDS:
        raise NotFound("There is no such form.")
    added = phone if person and phone in list(DeviceKind) else ""
    form = views.new_form(
        context,
        kind,
        KINDS[kind],
        number=number,
        person=person,
        line=line,
        site=site,
        phone=added,
    )
    return render(request, "work_order_new.html", form=form, to=to, phone=added)


@place.page("/choose/holders", May.CHANGE_ESTATE)
def choose_holder(
    request: Request,
    context: RequestContext,
    who: str = "",
    other_who: str = "",
    field: str = "holder",
) -> Response:
    """People and service lines whose names fit, as one types; each with what it lacks. Chosen as
    `field`; only people where that is a person's, people and groups where it is who is rung."""
    name = field if field in {"person", "other"} else "holder"
    typed = other_who if name == "other" else who
    choices = (
        views.callee_choices(context, typed)
        if field == "callee"
        else [
            c
            for c in views.holder_choices(context, typed)
            if name == "holder" or c.value.startswith("person:")
        ]
    )
    return render(request, "_choose_holder.html", choices=choices, who=typed, field=name)


@place.action("/work-orders/new/{kind}", May.CHANGE_ESTATE)
async def begin(request: Request, context: RequestContext, kind: str) -> Response:
    form = {key: str(value).strip() for key, value in (await request.form()).items()}
    return await run_in_threadpool(_begin_or_run, request, context, kind, form)


def _begin_or_run(
    request: Request, context: RequestContext, kind: str, form: dict[str, str]
) -> Response:
    """The work order; or, where it ran at once, the page it was asked for on, with its notice."""
    order = _begin(context, kind, form)
    number = numbers.the_number(context, form["number"]) if form.get("number") else ""
    holder = numbers.holder_ref(form["holder"]) if kind in HOLDERS_FORMS else None
    page = views.page_of_form(kind, number, holder)
    now = "" if form.get("to") else form.get("now", "")
    return run_or_review(request, context, order, page, now)


@place.page("/choose/numbers", May.CHANGE_ESTATE)
def choose_number(request: Request, context: RequestContext, holder: str = "") -> Response:
    """The free numbers that suit whoever is chosen."""
    return render(request, "_number_offers.html", offers=views.offers_to(context, holder))


@place.page("/work-orders/{key}/notice", May.LOOK)
def notice(request: Request, context: RequestContext, key: str) -> Response:
    """What became of a work order that ran from a form: a line on the page it was asked for on."""
    view = order_costs.view_order(context, key)
    return render(request, "_order_notice.html", page=views.order_page(view, context.now()))


def _begin(context: RequestContext, kind: str, form: dict[str, str]) -> int:
    tasks, title = _tasks(context, kind, form)
    if form.get("to"):
        return drafts.add_tasks(context, form["to"], tasks).no
    starts = form.get("starts", "")
    at = moment_of(context, starts, "starts", at=guided_workflows.MORNING) if starts else None
    reason = form.get("reason", "")
    return workorders.draft(context, title, tasks, reason=reason, run_at=at, look=True).no


def _tasks(  # noqa: C901  one branch per form
    context: RequestContext, kind: str, form: dict[str, str]
) -> tuple[list[Any], str]:
    """The tasks a filled-in form means, and the work order's title. Raises NotUnderstood naming the
    field."""
    number = numbers.the_number(context, form.get("number", "")) if kind != "grant" else ""
    national = numbers.card(context, number).number.shown if number else ""
    raw: list[dict[str, Any]]
    match kind:
        case "assign":
            ref, name = _chosen_holder(context, form)
            task: dict[str, Any] = {
                "kind": "assign_number",
                "number": number,
                "holder": ref,
                "role": form.get("role") or "main",
                "spot": form.get("spot") or None,
            }
            raw = [task]
            if form.get("path"):
                raw.append({"kind": "set_path", "number": number, "path": form["path"]})
            if form.get("phone") and ref["kind"] == "person":
                raw.append({"kind": "add_device", "person": ref["id"], "phone": form["phone"]})
            if form.get("prove"):
                raw.append({"kind": "place_test_call", "number": number, "direction": "in"})
            title = f"{national} for {name}"
        case "grant":
            ref, name = _chosen_holder(context, form)
            raw, title = (
                [{"kind": "grant_licence", "holder": ref, "product": form.get("product", "")}],
                f"Licence for {name}",
            )
        case "reserve":
            until = bulk_actions.day_of(form.get("until", ""))
            raw, title = (
                [
                    {
                        "kind": "reserve_number",
                        "number": number,
                        "reason": form.get("for", ""),
                        "until": until,
                    }
                ],
                f"Reserve {national}",
            )
        case "set-aside":
            raw, title = (
                [{"kind": "set_aside", "number": number, "reason": form.get("for", "")}],
                f"Set {national} aside",
            )
        case "set-spot":
            if not form.get("spot"):
                raise NotUnderstood("Choose the spot.", field="spot")
            raw, title = (
                [{"kind": "set_spot", "number": number, "spot": form["spot"]}],
                f"Emergency spot of {national}",
            )
        case "register-address":
            raw, title = (
                [{"kind": "register_address", "number": number}],
                f"Register the address of {national}",
            )
        case "list-on-trunk":
            raw, title = (
                [{"kind": "list_on_trunk", "number": number, "trunk": form.get("trunk", "")}],
                f"{national} onto its trunk's list",
            )
        case "set-path":
            if not form.get("path"):
                raise NotUnderstood("Choose the call path.", field="path")
            raw, title = (
                [{"kind": "set_path", "number": number, "path": form["path"]}],
                f"Call path of {national}",
            )
        case "route-calls":
            return routing_calls.plan_calls_to(context, number, form)
        case "set-fallback":
            to = (
                read_one(form["to"], context.organisation.home_country, field="to")
                if form.get("to")
                else ""
            )
            raw, title = (
                [{"kind": "set_fallback", "number": number, "to": to}],
                f"Fallback of {national}",
            )
        case "end-rest":
            raw, title = (
                [{"kind": "end_rest", "number": number, "reason": form.get("reason", "")}],
                f"End the rest of {national}",
            )
            if len(form.get("reason", "")) < 3:
                raise NotUnderstood(
                    "Say why its rest ends early; callers of its last holder may ring.",
                    field="reason",
                )
        case "unassign":
            rest = form.get("rest", "")
            raw, title = (
                [
                    {
                        "kind": "unassign_number",
                        "number": number,
                        "rest": int(rest) if rest.isdigit() else None,
                    }
                ],
                f"Take {national} back",
            )
        case "release":
            raw, title = [{"kind": "release_number", "number": number}], f"Release {national}"
        case "unreserve" | "return":
            raw, title = (
                [
                    {
                        "kind": f"{kind}_number" if kind == "unreserve" else "return_number",
                        "number": number,
                    }
                ],
                f"{KINDS[kind]}: {national}",
            )
        case _:
            raise NotFound("There is no such form.")
    return workorders.read_tasks(context, raw), title


def _chosen_holder(context: RequestContext, form: dict[str, str]) -> tuple[dict[str, str], str]:
    if not form.get("holder"):
        raise NotUnderstood("Choose who gets it: type a name and pick one.", field="who")
    ref = numbers.holder_ref(form["holder"])
    return {"kind": ref.kind.value, "id": ref.id}, people_lookup.name_of(context, ref)


@place.page("/work-orders/{key}", May.LOOK)
def work_order(request: Request, context: RequestContext, key: str, by: str = "") -> Response:
    return render(
        request,
        "_work_order.html" if is_swap(request) else "work_order.html",
        **shown(context, key, by),
    )


@place.action("/work-orders/{key}/remedies", May.CHANGE_ESTATE)
def add_remedies(request: Request, context: RequestContext, key: str) -> Response:
    drafts.add_remedies(context, key)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/remedy", May.CHANGE_ESTATE)
def choose_remedy(
    request: Request,
    context: RequestContext,
    key: str,
    task: Annotated[int, Form()],
    rule: Annotated[str, Form()],
    remedy: Annotated[int, Form()],
    reason: Annotated[str, Form()] = "",
    for_all: Annotated[str, Form()] = "",
) -> Response:
    drafts.choose_remedy(context, key, task, rule, remedy, reason[:200], for_all=bool(for_all))
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/run", May.CHANGE_ESTATE)
def run(
    request: Request,
    context: RequestContext,
    key: str,
    seen: Annotated[int | None, Form(ge=0)] = None,
) -> Response:
    """`seen` is the last ledger entry that the page's checks knew of: what has changed since is
    told instead of run over."""
    if order_running.asks_again(context, key):
        require_sure(request)
    try:
        order_running.run(context, key, seen=seen)
    except NotRunnable:
        if not is_swap(request):
            return RedirectResponse(f"/work-orders/{key}", 303)
        raise
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/tasks/{position}/remove", May.CHANGE_ESTATE)
def remove(request: Request, context: RequestContext, key: str, position: int) -> Response:
    drafts.remove_task(context, key, position)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/undo", May.CHANGE_ESTATE)
def undo(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{order_running.undo(context, key).no}")


@place.action("/work-orders/{key}/retry", May.CHANGE_ESTATE)
def retry(request: Request, context: RequestContext, key: str) -> Response:
    order_running.try_again(context, key)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/stop", May.CHANGE_ESTATE)
def stop(request: Request, context: RequestContext, key: str) -> Response:
    order_running.stop_order(context, key)
    return redraw_order(request, context, key)


@place.action("/work-orders/{key}/discard", May.CHANGE_ESTATE)
def discard(request: Request, context: RequestContext, key: str) -> Response:
    workorders.discard(context, key)
    return go(request, "/work-orders")
