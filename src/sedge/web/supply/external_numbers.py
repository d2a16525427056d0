"""Numbers that stay with their carrier and are only connected: the form, and the connection over
which they are reached."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from pydantic import BaseModel, Field

from sedge.core.access.roles import May
from sedge.services.holders import site_management
from sedge.services.supply import external_numbers
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
Text = Annotated[str, Field(max_length=300)]
TRANSPORTS = [("tls", "TLS (nobody can listen)"), ("tcp", "TCP"), ("udp", "UDP")]


@place.page("/supply/connect", May.BUY)
def connect_page(request: Request, context: RequestContext, site: str = "") -> Response:
    accounts, connections = external_numbers.places(context)
    return render(
        request,
        "connect.html",
        accounts=[(a.id, f"{a.name} ({c.name})") for a, c in accounts],
        connections=[(x.id, x.name) for x in connections],
        sites=[(s.id, s.name) for s in site_management.plain_sites(context)],
        site=site,
        transports=TRANSPORTS,
        most=external_numbers.MOST,
    )


class ConnectionForm(BaseModel):
    """How a carrier that keeps its numbers lets us sign in."""

    host: Text = ""
    port: Text = ""
    transport: Text = ""
    user: Text = ""
    password: Text = ""
    emergency: Text = ""


class ConnectForm(ConnectionForm):
    """Numbers that stay with their carrier, over a new connection or an existing `trunk`."""

    numbers: str = Field(default="", max_length=20_000)
    account: Text = ""
    site: Text = ""
    monthly: Text = ""
    capacity: Text = "any"
    trunk: Text = ""
    name: Text = ""
    channels: Text = ""


@place.action("/supply/connect", May.BUY)
def connect(
    request: Request, context: RequestContext, form: Annotated[ConnectForm, Form()]
) -> Response:
    order = external_numbers.connect(context, form.model_dump())
    return go(request, f"/work-orders/{order.no}")


@place.page("/carriers/connections/{key}", May.LOOK)
def connection_page(request: Request, context: RequestContext, key: str) -> Response:
    return render(
        request,
        "connection.html",
        view=external_numbers.view_connection(context, key),
        transports=TRANSPORTS,
    )


@place.action("/carriers/connections/{key}/test", May.PLACE_TEST_CALL)
def try_connection(request: Request, context: RequestContext, key: str) -> Response:
    """How signing in went just now, drawn beside its button."""
    view = external_numbers.test(context, key)
    if target(request):
        return render(request, "_signed_in.html", view=view)
    return go(request, f"/carriers/connections/{key}")


@place.action("/carriers/connections/{key}", May.BUY)
def change_connection(
    request: Request, context: RequestContext, key: str, form: Annotated[ConnectionForm, Form()]
) -> Response:
    external_numbers.change_connection(context, key, form.model_dump())
    return go(request, f"/carriers/connections/{key}")
