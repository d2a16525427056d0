"""The telephone system is told what people dial and over which trunks calls go out."""

import pytest

from sedge.core.enums import Reached
from sedge.core.errors import OutsideSilent
from sedge.core.outbound.records import OutboundRoute, OwnDialRule
from sedge.core.records import CivicElements, HolderKind, HolderRef, Site, Trunk
from sedge.core.trunks.records import NumberFormat, Sbc, SendRule, TrunkSettings
from sedge.core.trunks.sbcs import in_turn
from sedge.core.workorders import tasks as t
from sedge.services.holders import site_management
from sedge.services.workorders import order_running, workorders
from tests.conftest import until_quiet


def told(installation, path):
    return installation.outside.telephony.call("GET", path)


def ran(installation, context, task):
    order_running.run(context, workorders.draft(context, "x", [task]).id)
    until_quiet(installation)


def test_a_dial_plan_is_told_whole_in_the_order_in_which_it_is_asked(installation, context):
    own = OwnDialRule(name="The desk in Berlin", pattern="77", leads_to=Reached.EXTENSION, strip=1)
    ran(installation, context, t.SetDialPlan(site="wharf-house", rules=(own,)))
    plan = told(installation, "dial-plans/wharf-house")["rules"]
    [place] = [i for i, rule in enumerate(plan) if rule["pattern"] == "77"]
    assert (plan[place]["leads_to"], plan[place]["strip"]) == ("extension", 1)
    assert {rule["leads_to"] for rule in plan[:place]} == {"emergency"}
    assert {"number", "extension"} <= {rule["leads_to"] for rule in plan[place + 1 :]}


def test_routes_are_told_in_their_order_and_taken_back(installation, context):
    routes = tuple(
        OutboundRoute(name=name, destinations=to, trunks=("leeds-a",))
        for name, to in (("Mobiles", ("+447",)), ("Home", ("+44",)))
    )
    ran(installation, context, t.SetOutboundRoutes(routes=routes))
    kept = told(installation, "routes")["routes"]
    assert [(r["name"], r["destinations"], r["trunks"]) for r in kept] == [
        ("Mobiles", ["+447"], ["leeds-a"]),
        ("Home", ["+44"], ["leeds-a"]),
    ]
    ran(installation, context, t.SetOutboundRoutes(routes=()))
    assert told(installation, "routes")["routes"] == []


def test_every_site_of_the_demo_has_told_its_dial_plan(installation, context):
    with context.reading() as reading:
        sites = [site.id for site in reading.records.all(Site)]
    assert len(sites) > 3
    for site in sites:
        rules = told(installation, f"dial-plans/{site}")["rules"]
        assert rules[0]["leads_to"] == "emergency"
        assert len(rules) > 5


def test_a_trunk_tells_where_its_calls_go_and_how_numbers_are_written(installation, context):
    before = told(installation, "trunks/leeds-a/way")
    assert (before["sends"], before["rules"]) == ("with plus", [])
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, "leeds-a")
    settings = trunk.settings or TrunkSettings()
    rules = (SendRule(pattern="49xx.", strip=2, before="0", name="Germany"),)
    change = t.ChangeTrunk(
        trunk="leeds-a",
        name=trunk.name,
        host="fellgate.example",
        channels=30,
        settings=settings.copy_with(send_rules=rules, sends=NumberFormat.NATIONAL, port=5061),
        sbc="edge-one",
    )
    order = workorders.draft(context, "x", [change])
    order_running.run(context, order.id)
    until_quiet(installation)
    way = told(installation, "trunks/leeds-a/way")
    assert (way["host"], way["port"], way["sends"]) == ("fellgate.example", 5061, "national")
    assert way["rules"] == [{"pattern": "49xx.", "strip": 2, "before": "0"}]
    with context.reading() as reading:
        group = in_turn(reading.records.the(Sbc, "edge-one"), reading.records.all(Sbc))
    assert len(group) > 1
    assert [x["host"] for x in way["over"]] == [x.host for x in group]
    undo = order_running.undo(context, order.id)
    order_running.run(context, undo.id)
    until_quiet(installation)
    assert told(installation, "trunks/leeds-a/way") == before
    ran(installation, context, t.RetireSbc(sbc=group[1].id))
    assert told(installation, "trunks/leeds-a/way")["over"] == before["over"][:1]


def test_the_sites_a_trunk_serves_for_help_are_told_and_an_emergency_call_goes_by_them(
    installation, context
):
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, "leeds-a")
    facts = {"trunk": trunk.id, "name": trunk.name, "host": "fellgate.example", "channels": 30}
    settings = (trunk.settings or TrunkSettings()).copy_with(user="us")
    before = told(installation, "ways-for-help/canal-museum")
    narrow = t.ChangeTrunk(**facts, settings=settings, serves=("wharf-house",))
    order = workorders.draft(context, "x", [narrow])
    order_running.run(context, order.id)
    until_quiet(installation)
    ways = told(installation, "ways-for-help/canal-museum")["trunks"]
    assert ways
    assert "leeds-a" not in ways
    undo = order_running.undo(context, order.id)
    order_running.run(context, undo.id)
    until_quiet(installation)
    assert "leeds-a" in told(installation, "ways-for-help/canal-museum")["trunks"]
    ran(installation, context, t.ChangeTrunk(**facts, settings=settings, serves=("canal-museum",)))
    assert "leeds-a" in told(installation, "ways-for-help/canal-museum")["trunks"]
    assert before == {"trunks": None}


def test_what_does_not_concern_it_is_not_told_again(installation, context, monkeypatch):
    said = []
    telephony = installation.outside.telephony
    monkeypatch.setattr(telephony, "put_dial_plan", lambda *plan: said.append(plan))
    monkeypatch.setattr(telephony, "put_routes", said.append)
    holder = HolderRef(kind=HolderKind.SITE, id="wharf-house")
    ran(
        installation,
        context,
        t.SetCallerId(holder=holder, shows="number", caller_id="+441134960200"),
    )
    assert said == []


@pytest.mark.parametrize("listens", [True, False])
def test_a_new_site_tells_its_plan_and_is_there_though_nobody_listens(
    installation, context, monkeypatch, listens
):
    if not listens:
        monkeypatch.setattr(installation.outside.telephony, "put_dial_plan", silent)
    typed = CivicElements(
        country="DE",
        region="Berlin",
        city="Berlin",
        street="Speicherufer",
        house_number="12",
        postcode="10999",
    )
    site = site_management.add_site(context, name="Store two", code="STW", typed=typed)
    plan = told(installation, f"dial-plans/{site.id}")["rules"]
    assert bool(plan) is listens
    with context.reading() as reading:
        assert reading.records.the(Site, site.id).name == "Store two"


def silent(*_wish):
    raise OutsideSilent("The telephone system does not answer.")
