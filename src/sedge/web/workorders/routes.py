"""Work orders: the list, one order with its checks and the state after it, and the forms that begin
one."""

from datetime import time
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Form, Query, Request
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotRunnable, NotUnderstood
from sedge.core.numbers.e164 import read_one
from sedge.core.workorders.life import OrderState
from sedge.services.callpaths import routing_calls
from sedge.services.holders import holders
from sedge.services.numbers import bulk_actions, numbers
from sedge.services.when import moment_of
from sedge.services.workorders import drafts, order_running, order_views, workorders
from sedge.web.routing import AtDesk, Place, require_sure
from sedge.web.shared.rendering import draw, go, is_swap
from sedge.web.shared.saving import run_or_review
from sedge.web.workorders import views
from sedge.web.workorders.editing import KINDS, again, shown

HOLDERS_FORMS = frozenset({"assign", "grant"})  # somebody gets something
STARTS_AT = time(6)  # of somebody's first day, so that the phone rings when they come

place = Place()


@place.page("/work-orders", May.LOOK)
def listing(
    request: Request,
    desk: AtDesk,
    state: str = "",
    after: Annotated[int, Query(ge=0, le=2**53)] = 0,
) -> Response:
    states = (OrderState(state),) if state in set(OrderState) else ()
    found = workorders.list_orders(desk, states=states, after_no=after or None)
    following = found[-1].no if len(found) == workorders.A_PAGE else None
    progress = workorders.progress_of(desk, found)
    rows = [(order, views.TONES.get(order.state, ""), progress.get(order.id)) for order in found]
    return draw(
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
    desk: AtDesk,
    kind: str,
    number: str = "",
    person: str = "",
    line: str = "",
    site: str = "",
    to: str = "",
    phone: str = "",
) -> Response:
    """The form that begins a work order of one kind, or adds to the draft `to`; what is known
    already is filled in. `phone` is the kind of phone that is added next."""
    if kind not in KINDS:
        raise NotFound("There is no such form.")
    form = views.new_form(
        desk, kind, KINDS[kind], number=number, person=person, line=line, site=site
    )
    return draw(request, "work_order_new.html", form=form, to=to, phone=phone)


@place.page("/choose/holders", May.CHANGE_ESTATE)
def choose_holder(
    request: Request, desk: AtDesk, who: str = "", other_who: str = "", field: str = "holder"
) -> Response:
    """People and service lines whose names fit, as one types; each with what it lacks. Chosen as
    `field`; only people where that is a person's, people and groups where it is who is rung."""
    name = field if field in {"person", "other"} else "holder"
    typed = other_who if name == "other" else who
    choices = (
        views.callee_choices(desk, typed)
        if field == "callee"
        else [
            c
            for c in views.holder_choices(desk, typed)
            if name == "holder" or c.value.startswith("person:")
        ]
    )
    return draw(request, "_choose_holder.html", choices=choices, who=typed, field=name)


@place.action("/work-orders/new/{kind}", May.CHANGE_ESTATE)
async def begin(request: Request, desk: AtDesk, kind: str) -> Response:
    form = {key: str(value).strip() for key, value in (await request.form()).items()}
    return await run_in_threadpool(_begin_or_run, request, desk, kind, form)


def _begin_or_run(request: Request, desk: AtDesk, kind: str, form: dict[str, str]) -> Response:
    """The work order; or, where it ran at once, the page it was asked for on, with its notice."""
    order = _begin(desk, kind, form)
    number = numbers.the_number(desk, form["number"]) if form.get("number") else ""
    holder = numbers.holder_ref(form["holder"]) if kind in HOLDERS_FORMS else None
    page = views.page_of_form(kind, number, holder)
    if phone := form.get("phone"):
        page += f"?{urlencode({'phone': phone})}"
    return run_or_review(request, desk, order, page, form.get("now", ""))


@place.page("/choose/numbers", May.CHANGE_ESTATE)
def choose_number(request: Request, desk: AtDesk, holder: str = "") -> Response:
    """The free numbers that suit whoever is chosen."""
    return draw(request, "_number_offers.html", offers=views.offers_to(desk, holder))


@place.page("/work-orders/{key}/notice", May.LOOK)
def notice(request: Request, desk: AtDesk, key: str) -> Response:
    """What became of a work order that ran from a form: a line on the page it was asked for on."""
    view = order_views.view_order(desk, key)
    return draw(request, "_order_notice.html", page=views.order_page(view, desk.now()))


def _begin(desk: AtDesk, kind: str, form: dict[str, str]) -> int:
    tasks, title = _tasks(desk, kind, form)
    if form.get("to"):
        return drafts.add_tasks(desk, form["to"], tasks).no
    starts = form.get("starts", "")
    at = moment_of(desk, starts, "starts", at=STARTS_AT) if starts else None
    reason = form.get("reason", "")
    return workorders.draft(desk, title, tasks, reason=reason, run_at=at, look=True).no


def _tasks(  # noqa: C901  one branch per form
    desk: AtDesk, kind: str, form: dict[str, str]
) -> tuple[list[Any], str]:
    """The tasks a filled-in form means, and the work order's title. Raises NotUnderstood naming the
    field."""
    number = numbers.the_number(desk, form.get("number", "")) if kind != "grant" else ""
    national = numbers.card(desk, number).number.shown if number else ""
    raw: list[dict[str, Any]]
    match kind:
        case "assign":
            ref, name = _chosen_holder(desk, form)
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
            if form.get("prove"):
                raw.append({"kind": "place_test_call", "number": number, "direction": "in"})
            title = f"{national} for {name}"
        case "grant":
            ref, name = _chosen_holder(desk, form)
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
            return routing_calls.plan_calls_to(desk, number, form)
        case "set-fallback":
            to = (
                read_one(form["to"], desk.organisation.home_country, field="to")
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
    return workorders.read_tasks(desk, raw), title


def _chosen_holder(desk: AtDesk, form: dict[str, str]) -> tuple[dict[str, str], str]:
    if not form.get("holder"):
        raise NotUnderstood("Choose who gets it: type a name and pick one.", field="who")
    ref = numbers.holder_ref(form["holder"])
    return {"kind": ref.kind.value, "id": ref.id}, holders.name_of(desk, ref)


@place.page("/work-orders/{key}", May.LOOK)
def work_order(request: Request, desk: AtDesk, key: str, by: str = "") -> Response:
    return draw(
        request,
        "_work_order.html" if is_swap(request) else "work_order.html",
        **shown(desk, key, by),
    )


@place.action("/work-orders/{key}/remedies", May.CHANGE_ESTATE)
def add_remedies(request: Request, desk: AtDesk, key: str) -> Response:
    drafts.add_remedies(desk, key)
    return again(request, desk, key)


@place.action("/work-orders/{key}/remedy", May.CHANGE_ESTATE)
def choose_remedy(
    request: Request,
    desk: AtDesk,
    key: str,
    task: Annotated[int, Form()],
    rule: Annotated[str, Form()],
    remedy: Annotated[int, Form()],
    reason: Annotated[str, Form()] = "",
) -> Response:
    drafts.choose_remedy(desk, key, task, rule, remedy, reason[:200])
    return again(request, desk, key)


@place.action("/work-orders/{key}/run", May.CHANGE_ESTATE)
def run(
    request: Request, desk: AtDesk, key: str, seen: Annotated[int | None, Form(ge=0)] = None
) -> Response:
    """`seen` is the last ledger entry that the page's checks knew of: what has changed since is
    told instead of run over."""
    if order_running.asks_again(desk, key):
        require_sure(request)
    try:
        order_running.run(desk, key, seen=seen)
    except NotRunnable:
        if not is_swap(request):
            return RedirectResponse(f"/work-orders/{key}", 303)
        raise
    return again(request, desk, key)


@place.action("/work-orders/{key}/tasks/{position}/remove", May.CHANGE_ESTATE)
def remove(request: Request, desk: AtDesk, key: str, position: int) -> Response:
    drafts.remove_task(desk, key, position)
    return again(request, desk, key)


@place.action("/work-orders/{key}/undo", May.CHANGE_ESTATE)
def undo(request: Request, desk: AtDesk, key: str) -> Response:
    return go(request, f"/work-orders/{order_running.undo(desk, key).no}")


@place.action("/work-orders/{key}/retry", May.CHANGE_ESTATE)
def retry(request: Request, desk: AtDesk, key: str) -> Response:
    order_running.try_again(desk, key)
    return again(request, desk, key)


@place.action("/work-orders/{key}/stop", May.CHANGE_ESTATE)
def stop(request: Request, desk: AtDesk, key: str) -> Response:
    order_running.stop_order(desk, key)
    return again(request, desk, key)


@place.action("/work-orders/{key}/discard", May.CHANGE_ESTATE)
def discard(request: Request, desk: AtDesk, key: str) -> Response:
    workorders.discard(desk, key)
    return go(request, "/work-orders")
