"""Outbound routes."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.answers import Page
from sedge.api.routing import AtDesk, Resource
from sedge.core.access.roles import May
from sedge.core.outbound.records import OutboundRoute
from sedge.services.context import Desk
from sedge.services.outbound import outbound_routes
from sedge.store.repositories.workorders import WorkOrder

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


class RouteChanged(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(default=None, max_length=200)
    destinations: list[str] | None = Field(default=None, max_length=1000)
    sites: list[str] | None = Field(default=None, max_length=1000)
    trunks: list[str] | None = Field(default=None, max_length=100)
    cheapest: bool | None = None


class RouteOut(TypedDict):
    name: str
    destinations: list[str]
    sites: list[str]
    trunks: list[str]
    cheapest: bool


class RoutesDraftOut(TypedDict):
    work_order: str
    no: int
    routes: list[RouteOut]


@resource.read("/outbound-routes")
def routes(desk: AtDesk) -> Page[RouteOut]:
    items = [_out(route) for route in outbound_routes.view(desk).routes]
    return {"items": items, "next": None}


@resource.write("/outbound-routes", May.TRUNKS, status_code=201)
def add_route(desk: AtDesk, asked: RouteAsked) -> RoutesDraftOut:
    """A route behind all others, as a draft of a work order; running it adds the route."""
    return _draft_out(outbound_routes.with_route(desk, None, _read(desk, asked)))


@resource.write("/outbound-routes/{name}", May.TRUNKS, method="PATCH")
def change_route(desk: AtDesk, name: str, asked: RouteChanged) -> RoutesDraftOut:
    """What is named of a route, as a draft of a work order; the rest stays."""
    place = outbound_routes.place_of(desk, name)
    whole = _out(outbound_routes.view(desk).routes[place])
    named = asked.model_dump(exclude_unset=True, exclude_none=True)
    read = _read(desk, RouteAsked.model_validate(whole | named))
    return _draft_out(outbound_routes.with_route(desk, place, read))


@resource.write("/outbound-routes/{name}", May.TRUNKS, method="DELETE")
def remove_route(desk: AtDesk, name: str) -> RoutesDraftOut:
    """All routes but this one, as a draft of a work order."""
    place = outbound_routes.place_of(desk, name)
    return _draft_out(outbound_routes.without(desk, place))


@resource.write("/outbound-routes", May.TRUNKS, method="PUT")
def set_routes(desk: AtDesk, asked: RoutesAsked) -> RoutesDraftOut:
    """All routes in their order, as a draft of a work order; running it changes them."""
    read = [_read(desk, route) for route in asked.routes]
    return _draft_out(outbound_routes.draft(desk, read))


def _read(desk: Desk, asked: RouteAsked) -> OutboundRoute:
    return outbound_routes.read_route(
        desk,
        name=asked.name,
        destinations=",".join(asked.destinations),
        sites=asked.sites,
        trunks=asked.trunks,
        cheapest=asked.cheapest,
    )


def _draft_out(made: WorkOrder) -> RoutesDraftOut:
    """With the routes as they will be in their order."""
    routes = [route for task in made.tasks for route in getattr(task.body, "routes", ())]
    return {"work_order": made.id, "no": made.no, "routes": [_out(route) for route in routes]}


def _out(route: OutboundRoute) -> RouteOut:
    return {
        "name": route.name,
        "destinations": list(route.destinations),
        "sites": list(route.sites),
        "trunks": list(route.trunks),
        "cheapest": route.cheapest,
    }
