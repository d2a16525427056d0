"""Ports: planned from pasted numbers, filled in and signed, submitted, answered, switched; the
calendar of all."""

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import Form, Request, UploadFile
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.numbers.ranges import NumberSet
from sedge.core.porting.records import Port
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.porting import (
    change_freezes,
    port_calendar,
    port_cutover,
    port_dialogue,
    port_planning,
    ports,
    run_sheets,
)
from sedge.services.supply import documents, supply
from sedge.store.repositories.workorders import WorkOrder
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.portcalendar import lanes
from sedge.web.shared.drawings.portcourse import WAITS, course
from sedge.web.shared.rendering import go, is_swap, render

place = Place()
MOST_TYPED = 2000
MOST_NAMED = 2000  # letters of an address that name numbers
Typed = Annotated[str, Form(max_length=MOST_TYPED)]


@place.page("/ports", May.SEE_MONEY)
def list_ports(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "ports.html",
        ports=ports.list_ports(context),
        dates=ports.dates(context),
        waits=WAITS,
    )


@place.page("/ports/new", May.PORT)
def new(
    request: Request, context: RequestContext, text: str = "", account: str = "", site: str = ""
) -> Response:
    return render(request, "port_new.html", planned=None, **_choices(context, text, account, site))


def _choices(context: Context, text: str, account: str, site: str) -> dict[str, Any]:
    accounts = [(a.id, a.name) for a, _ in supply.buyable_accounts(context)]
    return {
        "sites": site_management.site_choices(context),
        "accounts": accounts,
        "text": text,
        "account": account,
        "site": site,
    }


@place.action("/ports/new", May.PORT)
def plan(
    request: Request,
    context: RequestContext,
    text: Annotated[str, Form(max_length=200_000)] = "",
    account: Typed = "",
    site: Typed = "",
    what: Typed = "plan",
    file: UploadFile | None = None,
) -> Response:
    """Look first; `begin` keeps what can move as drafts."""
    if what == "begin":
        made = port_planning.begin(context, text, account=account, site=site)
        return go(request, f"/ports/{made[0].id}" if len(made) == 1 else "/ports")
    content = file.file.read(ports.MOST_FILE + 1) if file and file.filename else b""
    planned = port_planning.plan_ports(
        context, ports.with_file(text, content), account=account, site=site
    )
    text = _written(planned.numbers) if content else text  # what is begun with is what was read
    if is_swap(request):
        return render(
            request, "_port_plan.html", planned=planned, text=text, account=account, site=site
        )
    return render(
        request, "port_new.html", planned=planned, **_choices(context, text, account, site)
    )


@place.page("/ports.ics", May.SEE_MONEY)
def all_dates(context: RequestContext) -> Response:
    return Response(ports.calendar(context), media_type="text/calendar; charset=utf-8")


@place.page("/ports/calendar", May.SEE_MONEY)
def calendar(request: Request, context: RequestContext, begin: str = "") -> Response:
    view = port_calendar.port_days(context, begin)
    today = context.now().date()
    return render(
        request,
        "port_calendar.html",
        view=view,
        picture=lanes(view, today),
        free=change_freezes.list_free_days(context),
        sites=site_management.site_choices(context),
    )


@place.action("/ports/days", May.PORT)
def keep_free(
    request: Request,
    context: RequestContext,
    first: Typed = "",
    last: Typed = "",
    why: Typed = "",
    site: Typed = "",
) -> Response:
    change_freezes.keep_free(context, first=first, last=last, why=why, site=site)
    return go(request, "/ports/calendar")


@place.action("/ports/days/{key}/give-back", May.PORT)
def give_back(request: Request, context: RequestContext, key: str) -> Response:
    change_freezes.give_back(context, key)
    return go(request, "/ports/calendar")


@place.page("/ports/{key}", May.SEE_MONEY)
def show_port(request: Request, context: RequestContext, key: str) -> Response:
    view = ports.view_port(context, key)
    zone = ZoneInfo(view.site.timezone)
    ticked = port_cutover.ticked(context, view.port)
    planned = sum(1 for line in view.port.lines if line.holder and not line.refused)
    held = sum(1 for _, who, _ in ticked if who) if ticked else planned
    settled = {
        number: words for number, _, words in (said.partition(": ") for said in view.port.settled)
    }
    return render(
        request,
        "port.html",
        view=view,
        port=view.port,
        picture=course(view.port, zone),
        waits=(
            WAITS[view.port.state] if held or not ticked else "waits for us: give the numbers out"
        ),
        settled=settled,
        held=held,
        ticked=ticked,
        giving=_giving(view.port, [e164 for e164, who, _ in ticked if not who]),
    )


def _written(numbers: NumberSet) -> str:
    return ", ".join(
        f"+{s.first}" if s.first == s.last else f"+{s.first} to +{s.last}" for s in numbers.spans
    )


def _giving(port: Port, free: list[str]) -> str:
    """Where the numbers that nobody has yet are given out: one by its form, more by the plan for
    many people."""
    if len(free) == 1:
        return f"/work-orders/new/assign?{urlencode({'number': free[0]})}"
    named = _written(NumberSet.of(free))
    asked = {"site": port.site, "numbers": named if len(named) <= MOST_NAMED else ""}
    return f"/work-orders/planner?{urlencode(asked)}"


@place.page("/ports/{key}/mandate.pdf", May.SEE_MONEY)
def mandate(context: RequestContext, key: str) -> Response:
    headers = {"Content-Disposition": 'inline; filename="mandate.pdf"'}
    return Response(ports.mandate_of(context, key), media_type="application/pdf", headers=headers)


@place.page("/ports/{key}/calendar.ics", May.SEE_MONEY)
def dates(context: RequestContext, key: str) -> Response:
    return Response(
        ports.calendar(context, [ports.view_port(context, key).port]),
        media_type="text/calendar; charset=utf-8",
    )


@place.action("/ports/{key}/compare", May.PORT)
def compare(
    request: Request,
    context: RequestContext,
    key: str,
    bill: Annotated[str, Form(max_length=200_000)] = "",
) -> Response:
    """Beside the form for who has JavaScript, else as a page of its own."""
    found = ports.compare_with_bill(context, key, bill)
    return render(
        request,
        "_port_compared.html" if is_swap(request) else "port_compared.html",
        compared=found,
        key=key,
    )


def _act(
    name: str, change: Callable[[Context, str, dict[str, str]], Any], may: May = May.PORT
) -> None:
    """An act on one port: `change` is given what was typed; it gives the port, or a work order
    where it drafts one."""

    @place.action(f"/ports/{{key}}/{name}", may)
    async def act(request: Request, context: RequestContext, key: str) -> Response:
        typed = {
            field: str(value)[:MOST_TYPED]
            for field, value in (await request.form(max_fields=60_000)).items()
        }
        done = await run_in_threadpool(change, context, key, typed)
        return go(
            request,
            (
                f"/work-orders/{done.no}"
                if isinstance(done, WorkOrder)
                else f"/ports/{done.id if name == 'split' else key}"
            ),
        )


_act("change", ports.change_port)
_act("sign", lambda context, key, typed: ports.sign(context, key, typed.get("signed", "")))
_act(
    "leave-out", lambda context, key, typed: ports.leave_out(context, key, typed.get("number", ""))
)
_act("split", lambda context, key, typed: port_dialogue.split(context, key, typed.get("apart", "")))
_act("submit", lambda context, key, _: ports.submission(context, key))
_act("remind", lambda context, key, _: port_dialogue.remind(context, key))
_act(
    "date",
    lambda context, key, typed: port_dialogue.move_date(context, key, typed.get("wanted", "")),
)
_act("cancel", lambda context, key, _: port_dialogue.cancel(context, key))
_act("switch", lambda context, key, _: port_cutover.activation(context, key))
_act("prove", lambda context, key, _: port_cutover.proof(context, key))
_act(
    "back-out",
    lambda context, key, typed: port_cutover.backing_out(context, key, typed.get("reason", "")),
)
_act("close", lambda context, key, _: port_cutover.close(context, key))


@place.action("/ports/{key}/answer", May.PORT)
def answer(
    request: Request,
    context: RequestContext,
    key: str,
    text: Typed = "",
    file: UploadFile | None = None,
) -> Response:
    content = file.file.read(documents.MOST_BYTES + 1) if file and file.filename else b""
    port_dialogue.answer_query(
        context, key, text, filename=(file.filename or "letter") if file else "", content=content
    )
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/bill", May.PORT)
def put_bill(
    request: Request, context: RequestContext, key: str, file: UploadFile | None = None
) -> Response:
    content = file.file.read(documents.MOST_BYTES + 1) if file and file.filename else b""
    ports.put_bill(context, key, (file.filename or "bill") if file else "bill", content)
    return go(request, f"/ports/{key}")


# ── who has the numbers from the switch on ──


@place.page("/ports/{key}/holders", May.SEE_MONEY)
def who(request: Request, context: RequestContext, key: str) -> Response:
    return render(request, "port_holders.html", of=port_cutover.preparation(context, key))


@place.action("/ports/{key}/holders", May.PORT)
async def choose(request: Request, context: RequestContext, key: str) -> Response:
    form = {
        name: str(value)[:MOST_TYPED]
        for name, value in (await request.form(max_fields=60_000)).items()
    }
    await run_in_threadpool(port_cutover.choose, context, key, form)
    return go(request, f"/ports/{key}/holders")


@place.action("/ports/{key}/holders/proposed", May.PORT)
def take_proposals(
    request: Request, context: RequestContext, key: str, unsure: Typed = ""
) -> Response:
    port_cutover.take_proposals(context, key, unsure=bool(unsure))
    return go(request, f"/ports/{key}/holders")


@place.action("/ports/{key}/holders/list", May.PORT)
def paste(
    request: Request,
    context: RequestContext,
    key: str,
    who: Annotated[str, Form(alias="list", max_length=500_000)] = "",
) -> Response:
    port_cutover.paste(context, key, who)
    return go(request, f"/ports/{key}/holders")


@place.page("/ports/{key}/run-sheet", May.SEE_MONEY)
def run_sheet(request: Request, context: RequestContext, key: str) -> Response:
    sheet = run_sheets.run_sheet(context, key)
    return render(
        request, "run_sheet.html", sheet=sheet, port=sheet.port, clock=ZoneInfo(sheet.site.timezone)
    )
