"""Which route a call takes, and over which of its trunks."""

from datetime import UTC, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money, money
from sedge.core.outbound.destinations import called, exactness, read_destinations
from sedge.core.outbound.forwarding import judge_forward
from sedge.core.outbound.records import OutboundRoute, RouteHours, RouteLimits
from sedge.core.outbound.route_limits import CallOut, days_passed
from sedge.core.outbound.routes import (
    choose_way,
    in_force,
    never_reached,
    rate_over,
    rate_to,
    refusal_of,
    route_to,
    share_of,
)
from sedge.core.records import (
    BASIC_RIGHTS,
    ORGANISATION,
    Carrier,
    Defaults,
    HolderKind,
    HolderRef,
    Person,
    Right,
    ServiceLine,
    Site,
    SupplyModel,
    Trunk,
)
from sedge.core.spend.rates.rate_decks import Rate, deck_of, price_of
from sedge.core.trunks.records import TrunkSettings
from sedge.core.trunks.trunks import choose_trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge

BERLIN = "+493023125100"


def route(name, *destinations, **more):
    return OutboundRoute(name=name, destinations=destinations, **more)


NOON = datetime(2026, 3, 11, 12, tzinfo=UTC)  # a Wednesday
PREMIUM = "+449098790123"
LEEDS = Site(
    id="leeds",
    name="Leeds",
    code="LDS",
    country="GB",
    timezone="Europe/London",
    language="en",
    supply_model=SupplyModel.OWN_TRUNK,
)


def found(to, site, routes, at=NOON):
    taken = route_to(called(to, "GB"), LEEDS.copy_with(id=site), routes, at)
    return taken.name if taken else None


def test_the_longest_destination_wins_then_the_site_then_the_order():
    routes = [
        route("all", "+"),
        route("germany", "+49"),
        route("berlin here", "+4930", sites=("leeds",)),
        route("berlin", "+4930"),
        route("berlin too", "+4930"),
    ]
    assert found(BERLIN, "leeds", routes) == "berlin here"
    assert found(BERLIN, "canal", routes) == "berlin"
    assert found("+494066969700", "canal", routes) == "germany"
    assert found("+33199009999", "canal", routes) == "all"
    assert found(BERLIN, "canal", routes[2:3]) is None


@given(st.lists(st.sampled_from(["+", "+4", "+49", "+493", "+4930", "+33"]), max_size=6))
def test_no_other_route_that_fits_has_a_longer_destination(destinations):
    routes = [route(f"r{i}", d) for i, d in enumerate(destinations)]
    taken = route_to(called(BERLIN, "GB"), LEEDS, routes, NOON)
    fitting = [d for d in destinations if BERLIN.startswith(d)]
    assert (taken is None) == (not fitting)
    if taken:
        assert len(taken.destinations[0]) == max(map(len, fitting))


@pytest.mark.parametrize(
    ("to", "name"),
    [
        (PREMIUM, "premium"),  # a kind wins over first digits
        ("+447700900123", "mobile"),
        (BERLIN, "germany"),  # first digits win over `international`
        ("+33199009999", "abroad"),  # which wins over `all`
        ("+441134960142", "home"),
    ],
)
def test_kinds_of_number_are_destinations_too(to, name):
    routes = [
        route("all", "+"),
        route("abroad", "international"),
        route("germany", "+49"),
        route("britain", "+44"),
        route("premium", "premium"),
        route("mobile", "mobile"),
        route("home", "+44113"),
    ]
    assert found(to, "leeds", routes) == name


def test_a_rate_group_fits_by_the_name_that_a_deck_gives():
    to = called(BERLIN, "GB", ["Germany fixed"])
    assert exactness("rate group germany Fixed", to) > exactness("+493023125100", to)
    assert exactness("rate group Europe", to) == 0
    assert read_destinations("rate group  Germany fixed") == ("rate group Germany fixed",)


WORKING = RouteHours(weekdays=(0, 1, 2, 3, 4), start=9 * 60, end=17 * 60)
NIGHT = RouteHours(weekdays=(2,), start=22 * 60, end=6 * 60)


@pytest.mark.parametrize(
    ("hours", "at", "is_in_force"),
    [
        (WORKING, datetime(2026, 3, 11, 9, 0, tzinfo=UTC), True),
        (WORKING, datetime(2026, 3, 11, 8, 59, tzinfo=UTC), False),
        (WORKING, datetime(2026, 3, 11, 17, 0, tzinfo=UTC), False),
        (WORKING, datetime(2026, 3, 14, 12, 0, tzinfo=UTC), False),  # a Saturday
        (WORKING, datetime(2026, 7, 1, 8, 30, tzinfo=UTC), True),  # half past nine by the clock
        (NIGHT, datetime(2026, 3, 11, 23, 0, tzinfo=UTC), True),
        (NIGHT, datetime(2026, 3, 12, 5, 59, tzinfo=UTC), True),
        (NIGHT, datetime(2026, 3, 12, 6, 0, tzinfo=UTC), False),
        (NIGHT, datetime(2026, 3, 12, 23, 0, tzinfo=UTC), False),
        (None, NOON, True),
    ],
)
def test_a_route_is_in_force_by_the_sites_clock(hours, at, is_in_force):
    assert in_force(route("r", "+", hours=hours), LEEDS, at) is is_in_force


def test_out_of_its_hours_another_route_takes_the_call():
    routes = [route("by day", "+49", hours=WORKING), route("else", "+")]
    assert found(BERLIN, "leeds", routes) == "by day"
    assert found(BERLIN, "leeds", routes, datetime(2026, 3, 14, 12, tzinfo=UTC)) == "else"
    assert never_reached([routes[0], route("b", "+49")]) == []
    assert never_reached([route("b", "+49"), routes[0]]) == [(1, 0)]


def test_by_share_each_number_always_goes_the_same_way(estate):
    shared = route("all", "+", trunks=("second", "leeds-a"), shares=(30, 10))
    built, number, site = world(estate, shared, rates={"second": 1})
    numbers = [f"+4930{n:08d}" for n in range(400)]
    first = [choose_way(to, number, site, built)[0].id for to in numbers]
    assert first == [choose_way(to, number, site, built)[0].id for to in numbers]
    assert 270 < first.count("second") < 330  # three quarters, at any seed of the sum
    assert [share_of(shared, key) for key in ("second", "leeds-a", "x")] == [75, 25, 0]
    chosen, candidates, _ = choose_way(numbers[0], number, site, built, down=(first[0],))
    assert (chosen.id != first[0], candidates[0].reason) == (True, "it is down")


def test_a_route_may_need_a_right_of_its_own():
    dear = route("all", "+", trunks=("leeds-a",), right=Right.INTERNATIONAL)
    assert "needs the right to make international calls" in refusal_of(dear, BASIC_RIGHTS)
    assert refusal_of(dear, (Right.INTERNATIONAL,)) == ""
    assert refusal_of(None, ()) == ""


def call(minutes, number=441134960142, to=BERLIN, hour=10):
    return CallOut(number, LEEDS, to, datetime(2026, 3, 11, hour, tzinfo=UTC), minutes * 60)


@pytest.mark.parametrize(
    ("limits", "calls", "what"),
    [
        (RouteLimits(minutes_a_day=60), [call(40), call(21)], "61 minutes, 60 are the limit"),
        (RouteLimits(minutes_a_day=60), [call(40), call(20)], ""),
        (RouteLimits(calls_a_day=1), [call(1), call(1)], "2 calls, 1 are the limit"),
        (RouteLimits(minutes_a_call=30), [call(31)], "a call of 31 minutes, 30 are the limit"),
        (RouteLimits(minutes_a_call=30), [call(30), call(30)], ""),
        (RouteLimits(minutes_a_day=60), [call(61, to="+33199009999")], ""),  # another route's
        (None, [call(9999)], ""),
    ],
)
def test_days_beyond_the_limits_of_a_route(limits, calls, what):
    routes = [route("germany", "+49", limits=limits), route("all", "+")]
    assert [passed.what for passed in days_passed(routes, calls)] == ([what] if what else [])


def test_the_number_with_the_most_minutes_is_named():
    routes = [route("germany", "+49", limits=RouteLimits(minutes_a_day=1))]
    calls = [call(5), call(5), call(9, number=441134960143)]
    passed = days_passed(routes, calls)[0]
    assert (passed.number, f"{passed.day}", len(passed.calls)) == (441134960142, "2026-03-11", 3)


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
    estate.put(fellgate.copy_with(rates={"49": dear, "4930": cheap}))
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
        ([route("a", "premium", trunks=("leeds-a",))], "routes.dear-limited", "warn"),
        ([route("a", "premium")], "routes.dear-limited", "pass"),
        ([route("a", "+", trunks=("leeds-a",))], "routes.dear-limited", "warn"),
        ([route("a", "+44", trunks=("leeds-a",))], "routes.dear-limited", "pass"),
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


def test_a_trunk_that_takes_other_carriers_caller_ids_is_a_candidate(estate):
    other = estate.build().the(Trunk, "brackwater-leeds")
    names = ("brackwater-leeds", "leeds-a")
    built, number, site = world(estate, route("all", "+", trunks=names))
    assert choose_way(BERLIN, number, site, built)[0].id == "leeds-a"
    estate.put(other.copy_with(settings=TrunkSettings(user="us", others_caller_ids=True)))
    built = estate.build()
    assert choose_way(BERLIN, number, site, built)[0].id == "brackwater-leeds"
    estate.put(Defaults(id=ORGANISATION))
    chosen, candidates = choose_trunk(number, site, estate.build())
    assert chosen.id == "leeds-a"  # the number's own comes first
    down = choose_trunk(number, site, estate.build(), down=("leeds-a",))
    assert down[0].id == "brackwater-leeds"
    assert "caller IDs of other carriers" in down[1][1].reason
    assert [c.taken for c in candidates][:1] == [True]


def test_countries_of_one_calling_code_are_told_apart():
    assert read_destinations("Canada, us, country Canada") == (
        "country Canada",
        "country United States",
    )
    toronto, boston = called("+14165550123", "GB"), called("+16175550140", "GB")
    assert exactness("country Canada", boston) == 0
    assert (
        exactness("+1416", toronto)
        > exactness("country Canada", toronto)
        > exactness("+1", toronto)
        > exactness("international", toronto)
        > 0
    )


def serving(estate, *sites):
    """Leeds A, which serves those sites alone, and a second trunk of its carrier, which serves
    every one."""
    trunk = estate.records["Trunk/leeds-a"]
    estate.put(trunk.copy_with(site="canal", serves=sites))
    estate.put(LEEDS.copy_with(id="canal", name="Canal Museum", code="CNL"))
    estate.put(Trunk(id="second", name="Second", site="leeds", carrier="fellgate", channels=1))


@pytest.mark.parametrize("routes", [(), (route("all", "+", trunks=("leeds-a", "second")),)])
def test_a_trunk_that_does_not_serve_the_site_takes_no_call_of_it(estate, routes):
    serving(estate, "depot")
    built, number, site = world(estate, *routes)
    chosen, candidates, _ = choose_way(BERLIN, number, site, built)
    assert chosen.id == "second"
    assert candidates[0].reason == "it does not serve Wharf House"
    canal = built.the(Site, "canal")
    assert choose_way(BERLIN, number, canal, built)[0].id == "leeds-a"


def level(estate, task, rule):
    return next((f.level for f in judge(task, estate.build()) if f.rule == rule), None)


def test_a_route_none_of_whose_trunks_serves_its_site_is_told(estate):
    serving(estate, "canal")
    whole = route("all", "+", trunks=("leeds-a",))
    rule = "routes.trunks-serve"
    assert level(estate, t.SetOutboundRoutes(routes=(whole,)), rule) == "warn"
    for_canal = whole.copy_with(sites=("canal",))
    assert level(estate, t.SetOutboundRoutes(routes=(for_canal,)), rule) == "pass"
    spare = whole.copy_with(trunks=("leeds-a", "second"))
    assert level(estate, t.SetOutboundRoutes(routes=(spare,)), rule) == "pass"


def test_taking_a_site_away_from_a_trunk_says_what_it_leaves(estate):
    serving(estate)
    person = HolderRef(kind=HolderKind.PERSON, id="piet")
    estate.put(Person(id="piet", name="Piet", email="p@example.test", site="leeds"))
    estate.given(142, person, carrier="fellgate", trunk="leeds-a")
    whole = route("all", "+", trunks=("leeds-a",))
    estate.put(Defaults(id=ORGANISATION, routes=(whole,)))
    facts = {"trunk": "leeds-a", "name": "Leeds A", "host": "sip.example.net", "channels": 30}
    settings = TrunkSettings(user="us")
    narrow = t.ChangeTrunk(**facts, settings=settings, serves=("canal",))
    wide = t.ChangeTrunk(**facts, settings=settings)
    wrong = t.ChangeTrunk(**facts, settings=settings, serves=("moon",))
    assert level(estate, narrow, "trunk.serves-its-numbers") == "warn"
    assert level(estate, narrow, "trunk.routes-served") == "warn"
    assert level(estate, wide, "trunk.serves-its-numbers") is None
    assert level(estate, wide, "trunk.routes-served") is None
    assert level(estate, wrong, "trunk.sites-there") == "stop"
    onto = t.ListOnTrunk(number="+441134960142", trunk="leeds-a")
    assert level(estate, onto, "trunk.serves-its-site") is None
    estate.put(estate.records["Trunk/leeds-a"].copy_with(serves=("canal",)))
    assert level(estate, onto, "trunk.serves-its-site") == "warn"
