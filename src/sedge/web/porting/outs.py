"""Ports out: who asks for our numbers, what speaks against it, and our answer."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.porting.outgoing import REFUSALS
from sedge.services.porting import port_outs
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=200)]


@place.page("/port-outs", May.SEE_MONEY)
def list_port_outs(request: Request, context: RequestContext) -> Response:
    return render(request, "port_outs.html", requests=port_outs.list_port_outs(context))


@place.page("/port-outs/{key}", May.SEE_MONEY)
def show_port_out(request: Request, context: RequestContext, key: str) -> Response:
    return render(
        request, "port_out.html", view=port_outs.view_port_out(context, key), refusals=REFUSALS
    )


@place.action("/port-outs/{key}/approve", May.PORT)
def approve(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{port_outs.approval(context, key).no}")


@place.action("/port-outs/{key}/refuse", May.PORT)
def refuse(request: Request, context: RequestContext, key: str, code: Typed = "") -> Response:
    port_outs.refuse(context, key, code)
    return go(request, f"/port-outs/{key}")


@place.action("/port-outs/{key}/claim", May.PORT)
def claim(request: Request, context: RequestContext, key: str) -> Response:
    port_outs.claim(context, key)
    return go(request, f"/port-outs/{key}")


@place.action("/port-outs/{key}/let-go", May.PORT)
def let_go(request: Request, context: RequestContext, key: str) -> Response:
    order = port_outs.let_go(context, key)
    return go(request, f"/work-orders/{order.no}" if order else f"/port-outs/{key}")


@place.action("/carriers/accounts/{key}/port-pin", May.PORT)
def keep_pin(
    request: Request, context: RequestContext, key: str, pin: Typed = "", back: Typed = ""
) -> Response:
    port_outs.keep_pin(context, key, pin)
    return go(
        request,
        (
            f"/port-outs/{back}"
            if back.startswith("portout-") and back.replace("-", "").isalnum()
            else f"/carriers/accounts/{key}"
        ),
    )
