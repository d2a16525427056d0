"""Outbound routes: the list, one changed at a time as a draft, and which one a call takes."""

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.enums import Right, Subject
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.mail_addresses import is_mail_address
from sedge.core.numbers.e164 import read_one
from sedge.core.outbound.destinations import read_destinations
from sedge.core.outbound.records import OutboundRoute, RouteHours, RouteLimits
from sedge.core.outbound.routes import choose_way
from sedge.core.outbound.tasks import SetOutboundRoutes
from sedge.core.records import ORGANISATION, Defaults, Site, Trunk
from sedge.core.trunks.trunks import Candidate
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

LONGEST_NAME = 60


@dataclass(frozen=True)
class RoutesView:
    """`names` of sites and trunks by their ids."""

    routes: tuple[OutboundRoute, ...]
    sites: list[tuple[str, str]]
    trunks: list[tuple[str, str]]
    names: dict[str, str]


def view(context: Context) -> RoutesView:
    with context.reading() as reading:
        whole = reading.records.find(Defaults, ORGANISATION)
        sites = reading.records.where(Site, order_by=tables.site.c.name)
        trunks = sorted(reading.records.all(Trunk), key=lambda x: x.name.lower())
    names = {x.id: x.name for x in (*sites, *trunks)}
    return RoutesView(
        whole.routes if whole else (),
        [(s.id, s.name) for s in sites],
        [(x.id, x.name) for x in trunks],
        names,
    )


class RouteAsked(BaseModel):
    """A route as somebody types it. `destinations` are first digits (`+49`), countries, kinds of
    number (`premium`), `rate group …` or `all`; no trunk: such calls are refused; no site: from
    every one. `shares` has one number for each trunk, where calls are shared out."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=200)
    destinations: list[str] = Field(max_length=1000)
    sites: list[str] = Field(default_factory=list, max_length=1000)
    trunks: list[str] = Field(default_factory=list, max_length=100)
    cheapest: bool = False
    shares: list[int] = Field(default_factory=list, max_length=100)
    hours: RouteHours | None = None
    right: Right | None = None
    limits: RouteLimits | None = None


def read_route(context: Context, asked: RouteAsked) -> OutboundRoute:
    """Raises NotUnderstood naming the field."""
    name = " ".join(asked.name.split())
    if not 1 <= len(name) <= LONGEST_NAME:
        message = f"A route needs a name of at most {LONGEST_NAME} characters."
        raise NotUnderstood(message, field="name")
    known = view(context)
    for key in asked.sites:
        if key not in dict(known.sites):
            raise NotUnderstood("There is no such site.", field="sites")
    wanted = tuple(dict.fromkeys(key for key in asked.trunks if key))
    for key in wanted:
        if key not in dict(known.trunks):
            raise NotUnderstood("There is no such trunk.", field="trunks")
    return OutboundRoute(
        name=name,
        destinations=read_destinations(",".join(asked.destinations)),
        sites=tuple(asked.sites),
        trunks=wanted,
        cheapest=asked.cheapest,
        shares=_read_shares(asked, wanted),
        hours=_read_hours(asked.hours),
        right=asked.right,
        limits=_read_limits(asked.limits),
    )


def _read_shares(asked: RouteAsked, trunks: Sequence[str]) -> tuple[int, ...]:
    if not asked.shares:
        return ()
    if asked.cheapest:
        message = "Calls go over the cheapest trunk first or are shared out, not both."
        raise NotUnderstood(message, field="shares", reason="both")
    fit = len(asked.shares) == len(trunks) and all(share >= 0 for share in asked.shares)
    if not fit or sum(asked.shares) != 100:
        message = "Give each trunk its share in percent, 100 in all."
        raise NotUnderstood(message, field="shares")
    return tuple(asked.shares)


def _read_hours(hours: RouteHours | None) -> RouteHours | None:
    if hours is None:
        return None
    if not hours.weekdays or hours.start == hours.end:
        message = "Choose the days, and an end that differs from the start."
        raise NotUnderstood(message, field="weekdays")
    return hours.copy_with(weekdays=tuple(sorted(set(hours.weekdays))))


def _read_limits(limits: RouteLimits | None) -> RouteLimits | None:
    if limits is None or limits == RouteLimits():
        return None
    if not (limits.minutes_a_call or limits.minutes_a_day or limits.calls_a_day):
        message = "Type a limit too: minutes a call, minutes a day or calls a day."
        raise NotUnderstood(message, field="minutes_a_day")
    told = limits.told.strip()
    if told and not is_mail_address(told):
        raise NotUnderstood("Type a mail address, such as ana@example.com.", field="told")
    return limits.copy_with(told=told)


def draft(context: Context, routes: Sequence[OutboundRoute]) -> WorkOrder:
    """A work order with all routes in their order."""
    context.require(May.TRUNKS)
    names = [route.name.casefold() for route in routes]
    if twice := next((r.name for r in routes if names.count(r.name.casefold()) > 1), ""):
        message = f"Two routes would be called {twice}. Choose another name."
        raise NotUnderstood(message, field="name", reason="exists")
    task = SetOutboundRoutes(routes=tuple(routes))
    return workorders.draft(context, "Outbound routes", [task], look=True)


def with_route(context: Context, place: int | None, route: OutboundRoute) -> WorkOrder:
    """A draft in which a route stands in a place, or behind all others. Raises NotFound."""
    routes = list(view(context).routes)
    if place is None:
        return draft(context, [*routes, route])
    _at(routes, place)
    return draft(context, [*routes[:place], route, *routes[place + 1 :]])


def place_of(context: Context, name: str) -> int:
    """Where a route stands, by its name. Raises NotFound."""
    names = [route.name.casefold() for route in view(context).routes]
    if name.casefold() not in names:
        raise NotFound("There is no such route.", subject="route", id=name)
    return names.index(name.casefold())


def without(context: Context, place: int) -> WorkOrder:
    routes = list(view(context).routes)
    _at(routes, place)
    return draft(context, [*routes[:place], *routes[place + 1 :]])


def moved_up(context: Context, place: int) -> WorkOrder:
    """A draft in which a route is tried before the one in front of it."""
    routes = list(view(context).routes)
    route = _at(routes, place)
    before = max(0, place - 1)
    del routes[place]
    return draft(context, [*routes[:before], route, *routes[before:]])


def _at(routes: Sequence[OutboundRoute], place: int) -> OutboundRoute:
    if not 0 <= place < len(routes):
        raise NotFound("There is no such route any more.", subject="route", id=str(place))
    return routes[place]


@dataclass(frozen=True)
class Taken:
    """What a call from a site to a number takes; `shown` is the number it would show."""

    to: str
    site: str
    shown: str
    route: str
    candidates: list[Candidate]
    right: Right | None = None
    limits: RouteLimits | None = None


def followed(context: Context, site: str, to: str) -> Taken:
    """A call from a site, shown as the first of its numbers in use. Raises NotFound,
    NotOneNumber, NotUnderstood."""
    e164 = read_one(to, context.organisation.home_country, field="to")
    life = tables.life
    query = (
        select(life.c.number)
        .where(is_open(), tables.IN_USE, life.c.site == site)
        .order_by(life.c.number)
        .limit(1)
    )
    with context.reading() as reading:
        home = reading.records.the(Site, site)
        number = reading.connection.execute(query).scalar()
        if number is None:
            message = f"No number of {home.name} is in use, so its calls have no caller ID."
            raise NotUnderstood(message, field="site")
        estate = reading.look_at(Subject.NUMBER, f"+{number}")
    shown = estate.number(f"+{number}")
    _, candidates, route = choose_way(e164, shown, estate.the(Site, site), estate)
    if route is None:
        return Taken(e164, home.name, shown.e164, "", candidates)
    return Taken(e164, home.name, shown.e164, route.name, candidates, route.right, route.limits)
