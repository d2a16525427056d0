"""Ports: planned from pasted numbers, filled in and signed, submitted, answered, switched; the calendar of all."""

from typing import Annotated, Any
from zoneinfo import ZoneInfo

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.desk import holders, ports, supply
from sedge.desk.desk import Desk
from sedge.web.doors import AtDesk, Place
from sedge.web.shared.drawings.portcourse import WAITS, course
from sedge.web.shared.rendering import draw, go, is_swap

place = Place()
Typed = Annotated[str, Form(max_length=2000)]


@place.page("/ports", May.SEE_MONEY)
def listing(request: Request, desk: AtDesk) -> Response:
    return draw(request, "ports.html", ports=ports.listing(desk), dates=ports.dates(desk), waits=WAITS)


@place.page("/ports/new", May.BUY)
def new(request: Request, desk: AtDesk, text: str = "", account: str = "", site: str = "") -> Response:
    return draw(request, "port_new.html", planned=None, **_choices(desk, text, account, site))


def _choices(desk: Desk, text: str, account: str, site: str) -> dict[str, Any]:
    accounts = [(a.id, a.name) for a, _ in supply.buyable_accounts(desk)]
    return {"sites": holders.site_choices(desk), "accounts": accounts, "text": text, "account": account, "site": site}


@place.action("/ports/new", May.BUY)
def plan(
    request: Request, desk: AtDesk, text: Annotated[str, Form(max_length=200_000)] = "", account: Typed = "", site: Typed = "", what: Typed = "plan",
) -> Response:  # fmt: skip
    """Look first; `begin` keeps what can move as drafts."""
    if what == "begin":
        made = ports.begin(desk, text, account=account, site=site)
        return go(request, f"/ports/{made[0].id}" if len(made) == 1 else "/ports")
    planned = ports.plan_ports(desk, text, account=account, site=site)
    if is_swap(request):
        return draw(request, "_port_plan.html", planned=planned, text=text, account=account, site=site)
    return draw(request, "port_new.html", planned=planned, **_choices(desk, text, account, site))


@place.page("/ports.ics", May.SEE_MONEY)
def all_dates(desk: AtDesk) -> Response:
    return Response(ports.calendar(desk), media_type="text/calendar; charset=utf-8")


@place.page("/ports/{key}", May.SEE_MONEY)
def look(request: Request, desk: AtDesk, key: str) -> Response:
    view = ports.look(desk, key)
    zone = ZoneInfo(view.site.timezone)
    settled = {number: words for number, _, words in (said.partition(": ") for said in view.port.settled)}
    return draw(
        request,
        "port.html",
        view=view,
        port=view.port,
        picture=course(view.port, zone),
        waits=WAITS[view.port.state],
        settled=settled,
        ticked=ports.ticked(desk, view.port),
    )


@place.page("/ports/{key}/mandate.pdf", May.SEE_MONEY)
def mandate(desk: AtDesk, key: str) -> Response:
    headers = {"Content-Disposition": 'inline; filename="mandate.pdf"'}
    return Response(ports.mandate_of(desk, key), media_type="application/pdf", headers=headers)


@place.page("/ports/{key}/calendar.ics", May.SEE_MONEY)
def dates(desk: AtDesk, key: str) -> Response:
    return Response(ports.calendar(desk, [ports.look(desk, key).port]), media_type="text/calendar; charset=utf-8")


@place.action("/ports/{key}/change", May.BUY)
async def change(request: Request, desk: AtDesk, key: str) -> Response:
    form = {name: str(value)[:2000] for name, value in (await request.form(max_fields=12_000)).items()}
    await run_in_threadpool(ports.change, desk, key, form)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/compare", May.BUY)
def compare(request: Request, desk: AtDesk, key: str, bill: Annotated[str, Form(max_length=200_000)] = "") -> Response:
    """Beside the form for who has JavaScript, else as a page of its own."""
    found = ports.compare_with_bill(desk, key, bill)
    return draw(request, "_port_compared.html" if is_swap(request) else "port_compared.html", compared=found, key=key)


@place.action("/ports/{key}/sign", May.BUY)
def sign(request: Request, desk: AtDesk, key: str, signed: Typed = "") -> Response:
    ports.sign(desk, key, signed)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/leave-out", May.BUY)
def leave_out(request: Request, desk: AtDesk, key: str, number: Typed = "") -> Response:
    ports.leave_out(desk, key, number)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/submit", May.BUY)
def submit(request: Request, desk: AtDesk, key: str) -> Response:
    return go(request, f"/work-orders/{ports.submission(desk, key).no}")


@place.action("/ports/{key}/switch", May.BUY)
def switch(request: Request, desk: AtDesk, key: str) -> Response:
    return go(request, f"/work-orders/{ports.activation(desk, key).no}")


@place.action("/ports/{key}/prove", May.BUY)
def prove(request: Request, desk: AtDesk, key: str) -> Response:
    return go(request, f"/work-orders/{ports.proof(desk, key).no}")


@place.action("/ports/{key}/close", May.BUY)
def close(request: Request, desk: AtDesk, key: str) -> Response:
    ports.close(desk, key)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/answer", May.BUY)
def answer(request: Request, desk: AtDesk, key: str, text: Typed = "") -> Response:
    ports.answer_query(desk, key, text)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/date", May.BUY)
def move_date(request: Request, desk: AtDesk, key: str, wanted: Typed = "") -> Response:
    ports.move_date(desk, key, wanted)
    return go(request, f"/ports/{key}")


@place.action("/ports/{key}/cancel", May.BUY)
def cancel(request: Request, desk: AtDesk, key: str) -> Response:
    ports.cancel(desk, key)
    return go(request, f"/ports/{key}")
