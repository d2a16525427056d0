"""Days on which the calls over a route came to more than its limits allow."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import date, datetime
from typing import NamedTuple
from zoneinfo import ZoneInfo

from sedge.core.outbound.destinations import called
from sedge.core.outbound.records import OutboundRoute
from sedge.core.outbound.routes import route_to
from sedge.core.records import Site


class CallOut(NamedTuple):
    """A call that went out: which `number` made it (digits), at which site, to what (E.164), when,
    and how many seconds it lasted; `cost` in ten thousandths of its currency."""

    number: int
    site: Site
    to: str
    at: datetime
    talk: int
    cost: int = 0
    currency: str = ""


class Passed(NamedTuple):
    """A limit that was passed on a day: `what` says by how much; `number` made the most of it."""

    route: OutboundRoute
    day: date
    what: str
    number: int
    calls: tuple[CallOut, ...]


def days_passed(routes: Sequence[OutboundRoute], calls: Iterable[CallOut]) -> list[Passed]:
    """By the routes of today, in the order of the days; the day is that of the caller's site."""
    if not any(route.limits for route in routes):
        return []
    by_day: dict[tuple[date, str], list[CallOut]] = defaultdict(list)
    named = {route.name: route for route in routes}
    for call in calls:
        if not call.to.startswith("+"):
            continue
        route = route_to(called(call.to, call.site.country), call.site, routes, call.at)
        if route and route.limits:
            by_day[call.at.astimezone(ZoneInfo(call.site.timezone)).date(), route.name].append(call)
    found = []
    for (day, name), made in sorted(by_day.items()):
        if what := _beyond(named[name], made):
            found.append(Passed(named[name], day, what, _most(made), tuple(made)))
    return found


def _beyond(route: OutboundRoute, made: Sequence[CallOut]) -> str:
    limits = route.limits
    if limits is None:
        return ""
    minutes = sum(call.talk for call in made) / 60
    longest = max(call.talk for call in made) / 60
    if limits.calls_a_day and len(made) > limits.calls_a_day:
        return f"{len(made):,} calls, {limits.calls_a_day:,} are the limit"
    if limits.minutes_a_day and minutes > limits.minutes_a_day:
        return f"{minutes:,.0f} minutes, {limits.minutes_a_day:,} are the limit"
    if limits.minutes_a_call and longest > limits.minutes_a_call:
        return f"a call of {longest:,.0f} minutes, {limits.minutes_a_call:,} are the limit"
    return ""


def _most(made: Sequence[CallOut]) -> int:
    """The number with the most minutes."""
    minutes: dict[int, int] = defaultdict(int)
    for call in made:
        minutes[call.number] += call.talk + 1
    return max(sorted(minutes), key=lambda number: minutes[number])
