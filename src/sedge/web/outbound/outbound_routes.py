"""Outbound routes: which trunks take calls to where; changed by a work order."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, SedgeError
from sedge.core.outbound.records import OutboundRoute
from sedge.services.outbound import fraud, outbound_routes
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()
Typed = Annotated[str, Form(max_length=2000)]
Picked = Annotated[list[str], Form()]
TURNS = ("First trunk", "Second trunk", "Third trunk", "Fourth trunk")
BLANK = OutboundRoute(name="", destinations=())


@place.page("/outbound-routes", May.LOOK)
def every_route(request: Request, desk: AtDesk, site: str = "", to: str = "") -> Response:
    view = outbound_routes.view(desk)
    taken, problem = None, ""
    if to.strip():
        try:
            taken = outbound_routes.followed(desk, site or view.sites[0][0], to[:40])
        except (SedgeError, IndexError) as error:
            problem = getattr(error, "message", "There is no site to call from.")
    return draw(
        request,
        "outbound_routes.html",
        view=view,
        site=site,
        to=to[:40],
        taken=taken,
        problem=problem,
    )


@place.page("/outbound-routes/new", May.TRUNKS)
def new_route(request: Request, desk: AtDesk) -> Response:
    view = outbound_routes.view(desk)
    return draw(request, "outbound_route.html", view=view, no=None, route=BLANK, turns=TURNS)


@place.page("/outbound-routes/risks", May.LOOK)
def fraud_risks(request: Request, desk: AtDesk) -> Response:
    return draw(request, "fraud_risks.html", risks=fraud.view_risks(desk))


@place.page("/outbound-routes/{no}", May.TRUNKS)
def one_route(request: Request, desk: AtDesk, no: int) -> Response:
    view = outbound_routes.view(desk)
    if not 1 <= no <= len(view.routes):
        raise NotFound("There is no such route any more.", subject="route", id=str(no))
    route = view.routes[no - 1]
    return draw(request, "outbound_route.html", view=view, no=no, route=route, turns=TURNS)


@place.action("/outbound-routes", May.TRUNKS)
def keep_route(
    request: Request,
    desk: AtDesk,
    no: Annotated[int, Form(ge=0, le=1000)] = 0,
    name: Typed = "",
    destinations: Typed = "",
    sites: Picked = [],  # noqa: B006  FastAPI copies it
    trunks: Picked = [],  # noqa: B006
    cheapest: Typed = "",
) -> Response:
    route = outbound_routes.read_route(
        desk,
        name=name,
        destinations=destinations,
        sites=sites,
        trunks=trunks,
        cheapest=bool(cheapest),
    )
    made = outbound_routes.with_route(desk, no - 1 if no else None, route)
    return go(request, f"/work-orders/{made.no}")


@place.action("/outbound-routes/{no}/up", May.TRUNKS)
def move_up(request: Request, desk: AtDesk, no: int) -> Response:
    return go(request, f"/work-orders/{outbound_routes.moved_up(desk, no - 1).no}")


@place.action("/outbound-routes/{no}/remove", May.TRUNKS)
def remove(request: Request, desk: AtDesk, no: int) -> Response:
    return go(request, f"/work-orders/{outbound_routes.without(desk, no - 1).no}")
