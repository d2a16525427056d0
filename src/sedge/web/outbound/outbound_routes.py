"""Outbound routes: which trunks take calls to where; changed by a work order."""

from itertools import zip_longest

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.enums import Right
from sedge.core.errors import NotFound, NotUnderstood, SedgeError
from sedge.core.moments import read_time_of_day
from sedge.core.outbound.records import DAYS, OutboundRoute, RouteHours, RouteLimits, clock
from sedge.services.outbound import fraud, outbound_routes
from sedge.services.outbound.outbound_routes import RouteAsked, RoutesView
from sedge.store.repositories.workorders import WorkOrder
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
TURNS = ("First trunk", "Second trunk", "Third trunk", "Fourth trunk")
BLANK = OutboundRoute(name="", destinations=())
RIGHTS = [(r.value, r.value) for r in (Right.MOBILE, Right.INTERNATIONAL, Right.PREMIUM)]
ORDERS = [("order", "in this order"), ("cheapest", "the cheapest first"), ("share", "by share")]


@place.page("/outbound-routes", May.LOOK)
def every_route(
    request: Request, context: RequestContext, site: str = "", to: str = ""
) -> Response:
    view = outbound_routes.view(context)
    taken, problem = None, ""
    if to.strip():
        try:
            taken = outbound_routes.followed(context, site or view.sites[0][0], to[:40])
        except (SedgeError, IndexError) as error:
            problem = getattr(error, "message", "There is no site to call from.")
    return render(
        request,
        "outbound_routes.html",
        view=view,
        site=site,
        to=to[:40],
        taken=taken,
        problem=problem,
    )


@place.page("/outbound-routes/new", May.TRUNKS)
def new_route(request: Request, context: RequestContext) -> Response:
    view = outbound_routes.view(context)
    return _form(request, view, None, BLANK)


@place.page("/outbound-routes/risks", May.LOOK)
def fraud_risks(request: Request, context: RequestContext) -> Response:
    return render(request, "fraud_risks.html", risks=fraud.view_risks(context))


@place.page("/outbound-routes/{no}", May.TRUNKS)
def one_route(request: Request, context: RequestContext, no: int) -> Response:
    view = outbound_routes.view(context)
    if not 1 <= no <= len(view.routes):
        raise NotFound("There is no such route any more.", subject="route", id=str(no))
    route = view.routes[no - 1]
    return _form(request, view, no, route)


def _form(request: Request, view: RoutesView, no: int | None, route: OutboundRoute) -> Response:
    turn = "cheapest" if route.cheapest else "share" if route.shares else "order"
    return render(
        request,
        "outbound_route.html",
        view=view,
        no=no,
        route=route,
        turns=TURNS,
        orders=ORDERS,
        turn=turn,
        rights=RIGHTS,
        days=list(enumerate(DAYS)),
        clock=clock,
        limits=route.limits or RouteLimits(),
    )


@place.action("/outbound-routes", May.TRUNKS)
async def save_route(request: Request, context: RequestContext) -> Response:
    """As a draft, so that its checks are seen."""
    form = await request.form()
    no = _whole(_one(form, "no"), "no", 1000)
    asked = _asked(form)

    def draft() -> WorkOrder:
        route = outbound_routes.read_route(context, asked)
        return outbound_routes.with_route(context, no - 1 if no else None, route)

    made = await run_in_threadpool(draft)
    return go(request, f"/work-orders/{made.no}")


def _asked(form: FormData) -> RouteAsked:
    """Raises NotUnderstood naming the field."""
    turn = _one(form, "turn")
    rows = [
        (str(trunk), str(share))
        for trunk, share in zip_longest(form.getlist("trunks"), form.getlist("share"), fillvalue="")
        if trunk
    ]
    right = _one(form, "right")
    if right and right not in set(Right):
        raise NotUnderstood("There is no such calling right.", field="right")
    return RouteAsked(
        name=_one(form, "name")[:200],
        destinations=[_one(form, "destinations")],
        sites=[str(site) for site in form.getlist("sites")][:1000],
        trunks=[trunk for trunk, _ in rows][:100],
        cheapest=turn == "cheapest",
        shares=[_whole(share, "share", 100) for _, share in rows] if turn == "share" else [],
        hours=_hours(form),
        right=Right(right) if right else None,
        limits=RouteLimits(
            minutes_a_call=_whole(_one(form, "minutes_a_call"), "minutes_a_call", 1440),
            minutes_a_day=_whole(_one(form, "minutes_a_day"), "minutes_a_day", 1_000_000),
            calls_a_day=_whole(_one(form, "calls_a_day"), "calls_a_day", 1_000_000),
            told=_one(form, "told")[:200],
        ),
    )


def _hours(form: FormData) -> RouteHours | None:
    days = sorted({int(str(d)) for d in form.getlist("weekdays") if str(d) in set("0123456")})
    start, end = _one(form, "start"), _one(form, "end")
    if not days and not start and not end:
        return None
    return RouteHours(
        weekdays=tuple(days),
        start=_minute(start, "start", 1439),
        end=_minute(end, "end", 1440) or 1440,
    )


def _minute(text: str, field: str, most: int) -> int:
    hours, minutes = read_time_of_day(text, field).split(":")
    minute = int(hours) * 60 + int(minutes)
    if minute > most:
        raise NotUnderstood(f"The time is {clock(most)} at most.", field=field)
    return minute


def _whole(text: str, field: str, most: int) -> int:
    """A whole number, 0 for nothing typed."""
    if text and not (text.isascii() and text.isdigit() and int(text[:9]) <= most):
        raise NotUnderstood(f"Type a whole number of at most {most:,}.", field=field)
    return int(text or 0)


def _one(form: FormData, name: str) -> str:
    return str(form.get(name, "")).strip()


@place.action("/outbound-routes/{no}/up", May.TRUNKS)
def move_up(request: Request, context: RequestContext, no: int) -> Response:
    return go(request, f"/work-orders/{outbound_routes.moved_up(context, no - 1).no}")


@place.action("/outbound-routes/{no}/remove", May.TRUNKS)
def remove(request: Request, context: RequestContext, no: int) -> Response:
    return go(request, f"/work-orders/{outbound_routes.without(context, no - 1).no}")
