"""Which outbound route a call takes, and over which of its trunks."""

import re
from collections.abc import Sequence
from decimal import Decimal

from sedge.core.errors import NotUnderstood
from sedge.core.estate import Estate
from sedge.core.facts import Money
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.records import OutboundRoute
from sedge.core.records import ORGANISATION, Carrier, Defaults, Number, Site, Trunk
from sedge.core.spend.rate_decks import per_minute
from sedge.core.trunks.trunks import Candidate, choose_trunk

MOST_ROUTES = 100
MOST_DESTINATIONS = 200
DESTINATION = re.compile(r"\+\d{0,15}")
NO_RATE = Decimal("Infinity")


def routes_of(estate: Estate) -> tuple[OutboundRoute, ...]:
    whole = estate.get(Defaults, ORGANISATION)
    return whole.routes if whole else ()


def route_to(to: str, site: str, routes: Sequence[OutboundRoute]) -> OutboundRoute | None:
    """The route of a call from a site to a number (E.164): the one with the longest destination
    that fits, of several the one that names the site, then the first. None where there is none."""
    fitting = [
        (len(destination), site in route.sites, -place, route)
        for place, route in enumerate(routes)
        if not route.sites or site in route.sites
        for destination in route.destinations
        if to.startswith(destination)
    ]
    return max(fitting, key=lambda found: found[:3])[3] if fitting else None


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


def choose_way(
    to: str, number: Number, site: Site, estate: Estate, down: tuple[str, ...] = ()
) -> tuple[Trunk | None, list[Candidate], OutboundRoute | None]:
    """The trunk of a call from a site to a number, shown as `number`; every candidate with why it
    was or wasn't taken; and the route, None where the organisation has none for it: then the
    trunks of the number's carrier are tried."""
    route = route_to(to, site.id, routes_of(estate))
    if route is None:
        chosen, candidates = choose_trunk(number, site, estate, down)
        return chosen, candidates, None
    trunks = [x for key in route.trunks if (x := estate.get(Trunk, key))]
    rates = {x.id: rate_over(x, to, estate) for x in trunks}
    if route.cheapest:
        trunks.sort(key=lambda x: r.amount if (r := rates[x.id]) else NO_RATE)
    chosen = None
    candidates = []
    for trunk in trunks:
        taken, reason = _judged(trunk, number, chosen, down, cheapest=route.cheapest)
        chosen = trunk if taken else chosen
        candidates.append(Candidate(trunk.name, taken, reason, rates[trunk.id]))
    return chosen, candidates, route


def _judged(
    trunk: Trunk, number: Number, chosen: Trunk | None, down: tuple[str, ...], *, cheapest: bool
) -> tuple[bool, str]:
    if chosen is not None:
        return False, f"{chosen.name} {'is cheaper' if cheapest else 'comes before it'}"
    if not trunk.carries or trunk.id in down:
        return False, f"it {trunk.why_not or 'is down'}"
    if trunk.carrier != number.carrier:
        return False, "it leads to another carrier, which would not take this caller ID"
    return True, "the cheapest that takes it" if cheapest else "the first that takes it"


def read_destinations(text: str, field: str = "destinations") -> tuple[str, ...]:
    """Destinations as people type them: `+44`, `Germany`, `DE`, `all`, with commas or line ends
    between. Raises NotUnderstood."""
    names = {c.name.lower(): f"+{c.calling_code}" for c in COUNTRIES.values()}
    names |= {c.code.lower(): f"+{c.calling_code}" for c in COUNTRIES.values()}
    names |= {"all": "+", "+": "+", "everything": "+"}
    found: list[str] = []
    for word in (part.strip() for part in re.split(r"[,;\n]+", text) if part.strip()):
        plain = names.get(word.lower()) or re.sub(r"[\s\-().]", "", word)
        plain = "+" + plain[2:] if plain.startswith("00") else plain
        if not DESTINATION.fullmatch(plain):
            message = f"“{word[:40]}” is no destination: type +44, a country, or all."
            raise NotUnderstood(message, field=field, reason="destination")
        found.append(plain)
    if not 1 <= len(found) <= MOST_DESTINATIONS:
        message = f"A route has 1 to {MOST_DESTINATIONS} destinations; these are {len(found)}."
        raise NotUnderstood(message, field=field, reason="count")
    return tuple(dict.fromkeys(found))


def never_reached(routes: Sequence[OutboundRoute]) -> list[tuple[int, int]]:
    """Routes (positions) that an earlier one keeps every call from, with that one: it has all their
    destinations for all their sites."""
    return [
        (j, i)
        for j, later in enumerate(routes)
        for i, earlier in enumerate(routes[:j])
        if set(later.destinations) <= set(earlier.destinations)
        and set(earlier.sites) == set(later.sites)
    ]
