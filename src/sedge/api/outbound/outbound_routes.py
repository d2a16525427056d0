"""Outbound routes."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.routing import AtDesk, Resource
from sedge.core.access.roles import May
from sedge.core.outbound.records import OutboundRoute
from sedge.services.outbound import outbound_routes

resource = Resource(tags=["outbound"])


class RouteAsked(BaseModel):
    """`destinations` are first digits (`+49`), countries or `all`; no trunk: such calls are
    refused; no site: from every one."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=200)
    destinations: list[str] = Field(max_length=1000)
    sites: list[str] = Field(default_factory=list, max_length=1000)
    trunks: list[str] = Field(default_factory=list, max_length=100)
    cheapest: bool = False


class RoutesAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    routes: list[RouteAsked] = Field(max_length=1000)


class RouteOut(TypedDict):
    name: str
    destinations: list[str]
    sites: list[str]
    trunks: list[str]
    cheapest: bool


class RoutesOut(TypedDict):
    routes: list[RouteOut]


class RoutesDraftOut(TypedDict):
    work_order: str
    no: int
    routes: list[RouteOut]


@resource.read("/outbound-routes")
def routes(desk: AtDesk) -> RoutesOut:
    return {"routes": [_out(route) for route in outbound_routes.view(desk).routes]}


@resource.write("/outbound-routes", May.TRUNKS, method="PUT")
def set_routes(desk: AtDesk, asked: RoutesAsked) -> RoutesDraftOut:
    """All routes in their order, as a draft of a work order; running it changes them."""
    read = [
        outbound_routes.read_route(
            desk,
            name=route.name,
            destinations=",".join(route.destinations),
            sites=route.sites,
            trunks=route.trunks,
            cheapest=route.cheapest,
        )
        for route in asked.routes
    ]
    made = outbound_routes.draft(desk, read)
    return {"work_order": made.id, "no": made.no, "routes": [_out(route) for route in read]}


def _out(route: OutboundRoute) -> RouteOut:
    return {
        "name": route.name,
        "destinations": list(route.destinations),
        "sites": list(route.sites),
        "trunks": list(route.trunks),
        "cheapest": route.cheapest,
    }
