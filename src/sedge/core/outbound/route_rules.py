"""Rules about outbound routes: each leads somewhere, and each is reached."""

from sedge.core.errors import NotUnderstood
from sedge.core.estate import Estate
from sedge.core.outbound.destinations import EVERYTHING, read_destinations
from sedge.core.outbound.records import DestinationKind
from sedge.core.outbound.routes import MOST_ROUTES, never_reached, not_served, sorted_sites
from sedge.core.records import Trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.findings import Finding, passed, stop, warn
from sedge.core.workorders.rules.registry import rule


@rule("routes.trunks-there", t.SetOutboundRoutes)
def trunks_there(task: t.SetOutboundRoutes, estate: Estate) -> Finding:
    """A route over a trunk that is gone carries nothing."""
    if len(task.routes) > MOST_ROUTES:
        return stop(f"At most {MOST_ROUTES} routes can be kept; these are {len(task.routes)}.")
    for route in task.routes:
        gone = next((key for key in route.trunks if estate.get(Trunk, key) is None), None)
        if gone:
            return stop(f"“{route.name}” leads over {gone}, and there is no such trunk.")
        try:
            read_destinations(",".join(route.destinations))
        except NotUnderstood as wrong:
            return stop(f"“{route.name}”: {wrong}")
    return passed("Every route leads over trunks that are there")


@rule("routes.each-reached", t.SetOutboundRoutes)
def each_reached(task: t.SetOutboundRoutes, estate: Estate) -> Finding:
    """A route behind another of the same destinations and sites is never asked."""
    hidden = never_reached(task.routes)
    if hidden:
        later, earlier = hidden[0]
        return warn(
            f"“{task.routes[later].name}” is never reached: “{task.routes[earlier].name}” has its"
            " destinations and comes before it."
        )
    return passed("Every route is reached")


@rule("routes.spare-trunk", t.SetOutboundRoutes)
def spare_trunk(task: t.SetOutboundRoutes, estate: Estate) -> Finding:
    """With one trunk alone its calls fail when that trunk does."""
    single = [route.name for route in task.routes if len(route.trunks) == 1]
    if single:
        return warn(f"“{single[0]}” has one trunk: when it is down, these calls fail.")
    return passed("Every route has a second trunk, or refuses on purpose")


DEAR = {DestinationKind.PREMIUM, DestinationKind.INTERNATIONAL, EVERYTHING}


@rule("routes.trunks-serve", t.SetOutboundRoutes)
def trunks_serve(task: t.SetOutboundRoutes, estate: Estate) -> Finding:
    """A route carries no call of a site that none of its trunks serves."""
    if missing := not_served(task.routes, sorted_sites(estate), estate):
        route, site = missing[0]
        return warn(f"“{route}” takes the calls of {site}, but none of its trunks serves {site}.")
    return passed("Every route has a trunk that serves the sites it is for")


@rule("routes.dear-limited", t.SetOutboundRoutes)
def dear_limited(task: t.SetOutboundRoutes, estate: Estate) -> Finding:
    """With a stolen password somebody calls dear numbers all night, unless a limit is told."""
    open_ones = [r for r in task.routes if r.trunks and not r.limits and set(r.destinations) & DEAR]
    if open_ones:
        return warn(
            f"“{open_ones[0].name}” puts dear calls through without a limit: nobody would be told"
            " of a night of them."
        )
    return passed("No route to premium, international or all numbers is without a limit")
