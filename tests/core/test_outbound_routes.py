"""Which route a call takes, and over which of its trunks."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money, money
from sedge.core.outbound.forwarding import judge_forward
from sedge.core.outbound.records import OutboundRoute
from sedge.core.outbound.routes import (
    choose_way,
    never_reached,
    rate_over,
    rate_to,
    read_destinations,
    route_to,
)
from sedge.core.records import (
    BASIC_RIGHTS,
    ORGANISATION,
    Carrier,
    Defaults,
    HolderKind,
    HolderRef,
    Right,
    ServiceLine,
    Site,
    Trunk,
)
from sedge.core.spend.rate_decks import Rate, deck_of, price_of
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge

BERLIN = "+493023125100"


def route(name, *destinations, **more):
    return OutboundRoute(name=name, destinations=destinations, **more)


def test_the_longest_destination_wins_then_the_site_then_the_order():
    routes = [
        route("all", "+"),
        route("germany", "+49"),
        route("berlin here", "+4930", sites=("leeds",)),
        route("berlin", "+4930"),
        route("berlin too", "+4930"),
    ]
    assert route_to(BERLIN, "leeds", routes).name == "berlin here"
    assert route_to(BERLIN, "canal", routes).name == "berlin"
    assert route_to("+494066969700", "canal", routes).name == "germany"
    assert route_to("+33199009999", "canal", routes).name == "all"
    assert route_to(BERLIN, "canal", routes[2:3]) is None


@given(st.lists(st.sampled_from(["+", "+4", "+49", "+493", "+4930", "+33"]), max_size=6))
def test_no_other_route_that_fits_has_a_longer_destination(destinations):
    routes = [route(f"r{i}", d) for i, d in enumerate(destinations)]
    found = route_to(BERLIN, "x", routes)
    fitting = [d for d in destinations if BERLIN.startswith(d)]
    assert (found is None) == (not fitting)
    if found:
        assert len(found.destinations[0]) == max(map(len, fitting))


def world(estate, *routes, rates=None, up=True):
    number = estate.number(142, carrier="fellgate", trunk="leeds-a")
    for key, price in (rates or {}).items():
        estate.put(
            Trunk(id=key, name=key.title(), site="leeds", carrier="fellgate", channels=1, up=up)
        )
        del price
    estate.put(Defaults(id=ORGANISATION, routes=routes))
    built = estate.build()
    return built, built.number(number), built.the(Site, "leeds")


def test_trunks_of_a_route_are_tried_in_their_order(estate):
    names = ("brackwater-leeds", "second", "leeds-a")
    built, number, site = world(estate, route("all", "+", trunks=names), rates={"second": 1})
    chosen, candidates, found = choose_way(BERLIN, number, site, built)
    assert (chosen.id, found.name) == ("second", "all")
    assert [(c.trunk, c.taken) for c in candidates] == [
        ("Brackwater Leeds", False),
        ("Second", True),
        ("Leeds A", False),
    ]
    assert "another carrier" in candidates[0].reason
    assert candidates[2].reason == "Second comes before it"
    chosen, candidates, _ = choose_way(BERLIN, number, site, built, down=("second",))
    assert (chosen.id, candidates[1].reason) == ("leeds-a", "it is down")


def test_without_a_route_the_carriers_trunks_are_tried(estate):
    built, number, site = world(estate, route("france", "+33", trunks=("leeds-a",)))
    chosen, _, found = choose_way(BERLIN, number, site, built)
    assert (chosen.id, found) == ("leeds-a", None)


def test_a_route_without_trunks_refuses(estate):
    built, number, site = world(estate, route("nothing", "+49"))
    chosen, candidates, found = choose_way(BERLIN, number, site, built)
    assert (chosen, candidates, found.name) == (None, [], "nothing")


def test_the_cheapest_first_goes_by_the_longest_prefix(estate):
    cheap = Money(amount=Decimal("0.01"), currency="GBP")
    dear = Money(amount=Decimal("0.2"), currency="GBP")
    fellgate = estate.build().the(Carrier, "fellgate")
    estate.put(fellgate.but(rates={"49": dear, "4930": cheap}))
    assert rate_to(BERLIN, estate.build().the(Carrier, "fellgate")) == cheap
    names = ("brackwater-leeds", "leeds-a")
    built, number, site = world(estate, route("all", "+", trunks=names, cheapest=True))
    chosen, candidates, _ = choose_way(BERLIN, number, site, built)
    assert (chosen.id, candidates[0].rate) == ("leeds-a", cheap)
    assert candidates[0].reason == "the cheapest that takes it"


def test_destinations_are_typed_in_any_way():
    assert read_destinations("Germany, +33; 0044 20\nall, DE") == ("+49", "+33", "+4420", "+")
    for wrong in ("moon", "", "+4x"):
        with pytest.raises(NotUnderstood):
            read_destinations(wrong)


def test_a_route_behind_the_same_is_never_reached():
    routes = [route("a", "+49", "+33"), route("b", "+49"), route("c", "+49", sites=("x",))]
    assert never_reached(routes) == [(1, 0)]


@pytest.mark.parametrize(
    ("routes", "rule", "level"),
    [
        ([route("a", "+49", trunks=("nowhere",))], "routes.trunks-there", "stop"),
        ([route("a", "x", trunks=("leeds-a",))], "routes.trunks-there", "stop"),
        ([route("a", "+49", trunks=("leeds-a",))], "routes.spare-trunk", "warn"),
        ([route("a", "+49")], "routes.spare-trunk", "pass"),
        ([route("a", "+49"), route("b", "+49")], "routes.each-reached", "warn"),
        ([route("a", "+49")], "routes.each-reached", "pass"),
    ],
)
def test_routes_are_checked(estate, routes, rule, level):
    task = t.SetOutboundRoutes(routes=tuple(routes))
    assert next(f.level for f in judge(task, estate.build()) if f.rule == rule) == level


# ── calling rights of lines and sites ──


def test_a_line_forwards_abroad_only_with_the_right(estate):
    line = HolderRef(kind=HolderKind.SERVICE_LINE, id="desk")
    estate.put(ServiceLine(id="desk", name="Front desk", kind="reception", site="leeds"))
    number = estate.number(142, carrier="fellgate", trunk="leeds-a")
    built = estate.build()
    before = judge_forward(BERLIN, built.number(number), line, "leeds", built)
    assert (before.allowed, before.reason) == (
        False,
        "Front desk has no right to make international calls",
    )
    task = t.SetCallingRights(holder=line, rights=(*BASIC_RIGHTS, Right.INTERNATIONAL))
    built.absorb(task.apply(built))
    assert judge_forward(BERLIN, built.number(number), line, "leeds", built).allowed
    said = next(f for f in judge(task, built) if f.rule == "rights.of-whom-they-are")
    assert (said.level, "rings for many" in said.message) == ("warn", True)


def test_a_rate_deck_of_the_trunk_comes_before_what_its_carrier_says(estate):
    built = estate.build()
    trunk = built.the(Trunk, "leeds-a")
    said = rate_over(trunk, "+441514960001", built)
    dear = deck_of("d", "Deck", "EUR", [Rate("44", price_of(Decimal("0.5")))])
    built.decks = lambda trunk, carrier: [dear] if trunk == "leeds-a" else []
    assert rate_over(trunk, "+441514960001", built) == money("0.5", "EUR")
    assert rate_over(trunk, "+493012345678", built) == rate_to(
        "+493012345678", built.the(Carrier, trunk.carrier)
    )
    assert built.fork().decks is built.decks
    built.decks = None
    assert rate_over(trunk, "+441514960001", built) == said
