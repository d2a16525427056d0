"""Ports out: who asks for our numbers, what speaks against it, and our answer."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.porting.outgoing import REFUSALS
from sedge.services.porting import port_outs
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()
Typed = Annotated[str, Form(max_length=200)]


@place.page("/port-outs", May.SEE_MONEY)
def listing(request: Request, desk: AtDesk) -> Response:
    return draw(request, "port_outs.html", requests=port_outs.list_port_outs(desk))


@place.page("/port-outs/{key}", May.SEE_MONEY)
def look(request: Request, desk: AtDesk, key: str) -> Response:
    return draw(
        request, "port_out.html", view=port_outs.view_port_out(desk, key), refusals=REFUSALS
    )


@place.action("/port-outs/{key}/approve", May.PORT)
def approve(request: Request, desk: AtDesk, key: str) -> Response:
    return go(request, f"/work-orders/{port_outs.approval(desk, key).no}")


@place.action("/port-outs/{key}/refuse", May.PORT)
def refuse(request: Request, desk: AtDesk, key: str, code: Typed = "") -> Response:
    port_outs.refuse(desk, key, code)
    return go(request, f"/port-outs/{key}")


@place.action("/port-outs/{key}/claim", May.PORT)
def claim(request: Request, desk: AtDesk, key: str) -> Response:
    port_outs.claim(desk, key)
    return go(request, f"/port-outs/{key}")


@place.action("/port-outs/{key}/let-go", May.PORT)
def let_go(request: Request, desk: AtDesk, key: str) -> Response:
    order = port_outs.let_go(desk, key)
    return go(request, f"/work-orders/{order.no}" if order else f"/port-outs/{key}")


@place.action("/carriers/accounts/{key}/port-pin", May.PORT)
def keep_pin(
    request: Request, desk: AtDesk, key: str, pin: Typed = "", back: Typed = ""
) -> Response:
    port_outs.keep_pin(desk, key, pin)
    return go(
        request,
        (
            f"/port-outs/{back}"
            if back.startswith("portout-") and back.replace("-", "").isalnum()
            else f"/carriers/accounts/{key}"
        ),
    )
