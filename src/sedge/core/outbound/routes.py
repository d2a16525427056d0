"""Which outbound route a call takes, and over which of its trunks."""

import zlib
from collections.abc import Collection, Sequence
from datetime import datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from sedge.core.enums import Right
from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.outbound.destinations import Called, called, exactness
from sedge.core.outbound.records import RATE_GROUP, OutboundRoute
from sedge.core.records import ORGANISATION, Carrier, Defaults, Number, Site, Trunk
from sedge.core.spend.rates.rate_decks import per_minute
from sedge.core.trunks.trunks import Candidate, choose_trunk, takes_caller_id

MOST_ROUTES = 100
NO_RATE = Decimal("Infinity")


def routes_of(estate: Estate) -> tuple[OutboundRoute, ...]:
    whole = estate.get(Defaults, ORGANISATION)
    return whole.routes if whole else ()


def route_to(
    to: Called, site: Site, routes: Sequence[OutboundRoute], at: datetime
) -> OutboundRoute | None:
    """The route of a call from a site to a number: of those that are in force at that moment the
    one whose destination fits most exactly, of several the one that names the site, then the first.
    None where there is none."""
    fitting = [
        (exact, site.id in route.sites, -place, route)
        for place, route in enumerate(routes)
        if (not route.sites or site.id in route.sites) and in_force(route, site, at)
        if (exact := max(exactness(destination, to) for destination in route.destinations))
    ]
    return max(fitting, key=lambda found: found[:3])[3] if fitting else None


def in_force(route: OutboundRoute, site: Site, at: datetime) -> bool:
    """Whether a route takes calls of a site at a moment, by the site's own clock."""
    hours = route.hours
    if hours is None:
        return True
    local = at.astimezone(ZoneInfo(site.timezone))
    minute, today = local.hour * 60 + local.minute, local.weekday()
    if hours.start < hours.end:
        return today in hours.weekdays and hours.start <= minute < hours.end
    begun_today = today in hours.weekdays and minute >= hours.start
    return begun_today or ((today - 1) % 7 in hours.weekdays and minute < hours.end)


def rate_to(to: str, carrier: Carrier) -> Money | None:
    """What a minute to a number costs: the rate of the longest prefix the carrier names (digits
    after the plus)."""
    digits = to.lstrip("+")
    prefix = max((p for p in carrier.rates if digits.startswith(p)), key=len, default=None)
    return carrier.rates[prefix] if prefix is not None else None


def rate_over(trunk: Trunk, to: str, estate: Estate) -> Money | None:
    """What a minute to a number (E.164) costs over a trunk today: by its rate deck, else by what
    its carrier says; None where nobody says."""
    day = f"{estate.now:%Y-%m-%d}"
    for deck in estate.decks(trunk.id, trunk.carrier) if estate.decks else ():
        if rate := deck.find(to.lstrip("+"), day):
            return Money(amount=per_minute(rate), currency=deck.currency)
    return rate_to(to, estate.the(Carrier, trunk.carrier))


def seen_by_routes(to: str, site: Site, routes: Sequence[OutboundRoute], estate: Estate) -> Called:
    """A number as routes judge it; the names of rate decks are looked up only where a route goes by
    one."""
    by_group = [r for r in routes if any(d.startswith(RATE_GROUP) for d in r.destinations)]
    day, digits = f"{estate.now:%Y-%m-%d}", to.lstrip("+")
    trunks = [x for route in by_group for key in route.trunks if (x := estate.get(Trunk, key))]
    decks = [d for x in trunks for d in (estate.decks(x.id, x.carrier) if estate.decks else ())]
    groups = [rate.name for deck in decks if (rate := deck.find(digits, day))]
    return called(to, site.country, groups)


def choose_way(
    to: str, number: Number, site: Site, estate: Estate, down: tuple[str, ...] = ()
) -> tuple[Trunk | None, list[Candidate], OutboundRoute | None]:
    """The trunk of a call from a site to a number, shown as `number`; every candidate with why it
    was or wasn't taken; and the route, None where the organisation has none for it: then the
    trunks of the number's carrier are tried."""
    routes = routes_of(estate)
    route = route_to(seen_by_routes(to, site, routes, estate), site, routes, estate.now)
    if route is None:
        chosen, candidates = choose_trunk(number, site, estate, down)
        return chosen, candidates, None
    trunks = [x for key in _in_turn(route, to) if (x := estate.get(Trunk, key))]
    rates = {x.id: rate_over(x, to, estate) for x in trunks}
    if route.cheapest:
        trunks.sort(key=lambda x: r.amount if (r := rates[x.id]) else NO_RATE)
    chosen = None
    candidates = []
    for trunk in trunks:
        taken, reason = _judged(trunk, number, site, chosen, down, route)
        chosen = trunk if taken else chosen
        candidates.append(Candidate(trunk.name, taken, reason, rates[trunk.id]))
    return chosen, candidates, route


def _in_turn(route: OutboundRoute, to: str) -> tuple[str, ...]:
    """The trunks of a route in the order in which a call to a number tries them. By share, the
    number itself says which is the first, so that the same number always goes the same way."""
    whole = sum(route.shares)
    if not whole:
        return route.trunks
    drawn = zlib.crc32(to.encode()) % whole
    for place, share in enumerate(route.shares[: len(route.trunks)]):
        if drawn < share:
            first = route.trunks[place]
            return (first, *(key for key in route.trunks if key != first))
        drawn -= share
    return route.trunks


def _judged(
    trunk: Trunk,
    number: Number,
    site: Site,
    chosen: Trunk | None,
    down: tuple[str, ...],
    route: OutboundRoute,
) -> tuple[bool, str]:
    share = share_of(route, trunk.id)
    if chosen is not None:
        before = f"{chosen.name} {'is cheaper' if route.cheapest else 'comes before it'}"
        return False, f"{before}; {share} % of the numbers try it first" if share else before
    if not trunk.carries or trunk.id in down:
        return False, f"it {trunk.why_not or 'is down'}"
    if not trunk.serves_site(site.id):
        return False, f"it does not serve {site.name}"
    if not takes_caller_id(trunk, number):
        return False, "it leads to another carrier, which would not take this caller ID"
    if share:
        return True, f"{share} % of the numbers try it first, and this is one of them"
    return True, "the cheapest that takes it" if route.cheapest else "the first that takes it"


def share_of(route: OutboundRoute, trunk: str) -> int:
    """How many of 100 numbers try a trunk first; 0 where a route does not go by shares."""
    whole = sum(route.shares)
    places = dict(zip(route.trunks, route.shares, strict=False))
    return round(places.get(trunk, 0) * 100 / whole) if whole else 0


def refusal_of(route: OutboundRoute | None, rights: Collection[Right]) -> str:
    """Why a route does not put a call through for who has these rights; '' where it does."""
    if route is None or route.right is None or route.right in rights:
        return ""
    return f"Route “{route.name}” needs the right to make {route.right} calls."


def sorted_sites(estate: Estate) -> list[Site]:
    return sorted(estate.all(Site), key=lambda site: site.name)


def not_served(
    routes: Sequence[OutboundRoute], sites: Sequence[Site], estate: Estate, put: Trunk | None = None
) -> list[tuple[str, str]]:
    """Names of routes and sites whose calls such a route takes, though none of its trunks serves
    the site. `put` is a trunk as it would be."""
    trunks = {x.id: x for x in estate.all(Trunk)} | ({put.id: put} if put else {})
    found = []
    for route in routes:
        over = [trunks[key] for key in route.trunks if key in trunks]
        if over and all(x.serves for x in over):
            found += [
                (route.name, site.name)
                for site in sites
                if (not route.sites or site.id in route.sites)
                and not any(x.serves_site(site.id) for x in over)
            ]
    return found


def never_reached(routes: Sequence[OutboundRoute]) -> list[tuple[int, int]]:
    """Routes (positions) that an earlier one keeps every call from, with that one: it has all their
    destinations for all their sites, whenever they are in force."""
    return [
        (j, i)
        for j, later in enumerate(routes)
        for i, earlier in enumerate(routes[:j])
        if set(later.destinations) <= set(earlier.destinations)
        and set(earlier.sites) == set(later.sites)
        and (earlier.hours is None or earlier.hours == later.hours)
    ]
