"""Outbound routes."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.answers import Page
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.enums import Right
from sedge.core.outbound.records import OutboundRoute, RouteHours, RouteLimits
from sedge.services.outbound import outbound_routes
from sedge.services.outbound.outbound_routes import RouteAsked
from sedge.store.repositories.workorders import WorkOrder

resource = Resource(tags=["outbound"])


class RoutesAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    routes: list[RouteAsked] = Field(max_length=1000)


MAY_BE_EMPTY = {"hours", "right", "limits"}


class RouteChanged(BaseModel):
    """`hours`, `right` and `limits` are taken away by null."""

    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(default=None, max_length=200)
    destinations: list[str] | None = Field(default=None, max_length=1000)
    sites: list[str] | None = Field(default=None, max_length=1000)
    trunks: list[str] | None = Field(default=None, max_length=100)
    cheapest: bool | None = None
    shares: list[int] | None = Field(default=None, max_length=100)
    hours: RouteHours | None = None
    right: Right | None = None
    limits: RouteLimits | None = None


class RouteHoursOut(TypedDict):
    weekdays: list[int]
    start: int
    end: int


class RouteLimitsOut(TypedDict):
    minutes_a_call: int
    minutes_a_day: int
    calls_a_day: int
    told: str


class RouteOut(TypedDict):
    name: str
    destinations: list[str]
    sites: list[str]
    trunks: list[str]
    cheapest: bool
    shares: list[int]
    hours: RouteHoursOut | None
    right: str | None
    limits: RouteLimitsOut | None


class RoutesDraftOut(TypedDict):
    work_order: str
    no: int
    routes: list[RouteOut]


@resource.read("/outbound-routes")
def routes(context: RequestContext) -> Page[RouteOut]:
    items = [_out(route) for route in outbound_routes.view(context).routes]
    return {"items": items, "next": None}


@resource.write("/outbound-routes", May.TRUNKS, status_code=201)
def add_route(context: RequestContext, asked: RouteAsked) -> RoutesDraftOut:
    """A route behind all others, as a draft of a work order; running it adds the route."""
    return _draft_out(
        outbound_routes.with_route(context, None, outbound_routes.read_route(context, asked))
    )


@resource.write("/outbound-routes/{name}", May.TRUNKS, method="PATCH")
def change_route(context: RequestContext, name: str, asked: RouteChanged) -> RoutesDraftOut:
    """What is named of a route, as a draft of a work order; the rest stays."""
    place = outbound_routes.place_of(context, name)
    whole = _out(outbound_routes.view(context).routes[place])
    named = {
        field: value
        for field, value in asked.model_dump(exclude_unset=True).items()
        if value is not None or field in MAY_BE_EMPTY
    }
    read = outbound_routes.read_route(context, RouteAsked.model_validate({**whole, **named}))
    return _draft_out(outbound_routes.with_route(context, place, read))


@resource.write("/outbound-routes/{name}", May.TRUNKS, method="DELETE")
def remove_route(context: RequestContext, name: str) -> RoutesDraftOut:
    """All routes but this one, as a draft of a work order."""
    place = outbound_routes.place_of(context, name)
    return _draft_out(outbound_routes.without(context, place))


@resource.write("/outbound-routes", May.TRUNKS, method="PUT")
def set_routes(context: RequestContext, asked: RoutesAsked) -> RoutesDraftOut:
    """All routes in their order, as a draft of a work order; running it changes them."""
    read = [outbound_routes.read_route(context, route) for route in asked.routes]
    return _draft_out(outbound_routes.draft(context, read))


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
        "shares": list(route.shares),
        "hours": (
            {
                "weekdays": list(route.hours.weekdays),
                "start": route.hours.start,
                "end": route.hours.end,
            }
            if route.hours
            else None
        ),
        "right": route.right.value if route.right else None,
        "limits": (
            {
                "minutes_a_call": route.limits.minutes_a_call,
                "minutes_a_day": route.limits.minutes_a_day,
                "calls_a_day": route.limits.calls_a_day,
                "told": route.limits.told,
            }
            if route.limits
            else None
        ),
    }
