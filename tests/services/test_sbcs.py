"""Session border controllers: set up by work orders, tested against ones that really listen."""

import pytest

from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.records import Trunk
from sedge.core.trunks.records import Sbc, TrunkSettings
from sedge.core.trunks.sbcs import in_turn
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from sedge.services import simulation_clock
from sedge.services.today.today import todo
from sedge.services.trunks import sbcs, trunk_settings
from sedge.services.trunks.sbcs import DomainAsked, SbcAsked
from sedge.services.workorders import order_running
from tests.conftest import until_quiet

EDGE, HOST = "edge-one", "voice.lanternfield.example"


@pytest.fixture
def control(installation):
    found = simulation_clock.control_of(installation)
    yield found
    found.set_sip_fault(HOST, "")


def asked(**other):
    fields = {"name": "Edge three", "site": "wharf-house", "host": HOST, "addresses": "127.0.0.1"}
    return SbcAsked.model_validate(fields | other)


def do(installation, context, order):
    order_running.run(context, order.id)
    until_quiet(installation)
    return order


def links(context, key=EDGE):
    return {link.what: link for link in sbcs.run_test(context, key).links}


def test_every_link_of_a_good_sbc_holds(context):
    found = links(context)
    assert {link.ok for link in found.values()} == {True}
    assert f"Certificate for {HOST}" in found
    assert found[f"Proof of {HOST}"].evidence.startswith("The TXT record at _sip-owner.")
    assert "127.0.0.1" in found["Addresses"].evidence


@pytest.mark.parametrize(
    ("fault", "link", "says"),
    [
        ("expired-certificate", "Certificate", "ended on"),
        ("wrong-certificate", f"Certificate for {HOST}", "is for other."),
        ("503", "OPTIONS", "503"),
        ("silent", "OPTIONS", "No answer"),
    ],
)
def test_what_is_broken_is_named_with_its_cure_and_told_on_today(
    context, control, monkeypatch, fault, link, says
):
    monkeypatch.setattr("sedge.services.trunks.connection_tests.WAIT", 1.0)
    control.set_sip_fault(HOST, fault)
    broken = links(context)[link]
    assert (broken.ok, says in broken.evidence, bool(broken.cure)) == (False, True, True)
    assert any(x.what.startswith("SBC Edge one: ") for x in todo(context))


def test_addresses_and_proofs_that_are_not_there_are_named(installation, context):
    wrong = asked(
        addresses="192.0.2.7",
        domains=[
            DomainAsked(name=HOST, proof="other", proof_at=f"_sip-owner.{HOST}"),
            DomainAsked(name="sip.fellgate.example", proof="mine"),
        ],
    )
    do(installation, context, sbcs.draft(context, None, wrong))
    made = next(x.sbc for x in sbcs.list_sbcs(context) if x.sbc.name == "Edge three")
    found = links(context, made.id)
    assert "127.0.0.1, which is not its own" in found["Addresses"].evidence
    assert "have other values" in found[f"Proof of {HOST}"].evidence
    assert "There is no TXT record" in found["Proof of sip.fellgate.example"].evidence
    assert "Add a TXT record at sip.fellgate.example with the value mine" in (
        found["Proof of sip.fellgate.example"].cure
    )


def test_one_is_added_changed_undone_and_retired(installation, context):
    order = do(installation, context, sbcs.draft(context, None, asked()))
    made = next(x for x in sbcs.list_sbcs(context) if x.sbc.name == "Edge three")
    do(installation, context, sbcs.draft(context, made.sbc.id, asked(name="Edge 3", port="5071")))
    seen = sbcs.view_sbc(context, made.sbc.id).sbc
    assert (seen.name, seen.port, seen.links) == ("Edge 3", 5071, ())
    with pytest.raises(NotFound):
        sbcs.view_sbc(context, "nowhere")
    do(installation, context, sbcs.retire(context, made.sbc.id))
    assert "Edge 3" not in {x.sbc.name for x in sbcs.list_sbcs(context)}
    again = do(installation, context, sbcs.draft(context, None, asked(name="Edge four")))
    do(installation, context, order_running.undo(context, again.id))
    assert "Edge four" not in {x.sbc.name for x in sbcs.list_sbcs(context)}
    assert order.no


def test_trunks_end_at_it_and_its_stand_ins_are_on_the_sheet(installation, context):
    view = sbcs.view_sbc(context, EDGE)
    assert [x.id for x in view.trunks] == ["leeds-a"]
    assert [x.id for x in view.group] == ["edge-one", "edge-two"]
    sheet = trunk_settings.sheet(context, "leeds-a")
    part = next(p for p in sheet.parts if p.title == "Our SBC")
    assert [(v.name, v.copy or v.text) for v in part.values] == [
        ("Host", HOST),
        ("Its addresses", "127.0.0.1"),
        ("Serves", HOST),
        ("Then Edge two", "spare.lanternfield.example"),
        ("Its addresses", "127.0.0.1"),
    ]


def judged(estate, task):
    return {f.rule: (f.level.value, f.message) for f in judge(task, estate.build())}


def test_an_sbc_that_trunks_end_at_is_not_taken_away(estate):
    edge = Sbc(id="edge", name="Edge", site="leeds", host="edge.example", group="g")
    estate.put(edge)
    estate.put(estate.build().the(Trunk, "leeds-a").copy_with(sbc="edge"))
    level, message = judged(estate, t.RetireSbc(sbc="edge"))["sbc.stand-in-left"]
    assert (level, "Leeds A among them" in message) == ("stop", True)
    estate.put(edge.copy_with(id="other", name="Other", order=2))
    level, message = judged(estate, t.RetireSbc(sbc="edge"))["sbc.stand-in-left"]
    assert (level, "calls go over Other then" in message) == ("warn", True)
    assert judged(estate, t.RetireSbc(sbc="other"))["sbc.stand-in-left"][0] == "pass"


def test_what_is_judged_of_an_sbc(estate):
    estate.put(Sbc(id="edge", name="Edge", site="leeds", host="edge.example"))
    same = t.SetSbc(id="new", name="edge", site="leeds", host="192.0.2.7", addresses=("10.0.0.1",))
    found = judged(estate, same)
    assert found["sbc.name-free"][0] == "stop"
    assert found["sbc.has-a-name"][0] == "warn"
    assert found["sbc.reached-from-outside"][0] == "warn"
    fine = judged(estate, t.SetSbc(id="edge", name="Edge", site="leeds", host="edge.example"))
    assert {level for level, _ in fine.values()} == {"pass"}
    change = t.ChangeTrunk(
        trunk="leeds-a",
        name="Leeds A",
        host="sip.example",
        channels=10,
        settings=TrunkSettings(user="us"),
        sbc="nowhere",
    )
    assert judged(estate, change)["sbc.there-for-trunk"][0] == "stop"
    assert judged(estate, change.copy_with(sbc="edge"))["sbc.there-for-trunk"][0] == "pass"


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"name": " "}, "name"),
        ({"site": "nowhere"}, "site"),
        ({"host": "sip:edge.example"}, "host"),
        ({"port": "70000"}, "port"),
        ({"addresses": "300.1.1.1"}, "addresses"),
        ({"domains": [DomainAsked(name="a b")]}, "domain"),
        ({"domains": [DomainAsked(name="a.example", proof="x" * 400)]}, "proof"),
        ({"domains": [DomainAsked(name="a.example", proof="x", proof_at="http://a")]}, "proof_at"),
        ({"domains": [DomainAsked(name="a.example")] * 21}, "domain"),
        ({"group": "g" * 61}, "group"),
    ],
)
def test_what_can_not_be_is_named(context, wrong, field):
    with pytest.raises(NotUnderstood) as refused:
        sbcs.draft(context, None, asked(**wrong))
    assert refused.value.field == field


def test_the_turn_in_a_group_is_by_order_then_weight():
    def sbc(key, **more):
        return Sbc(id=key, name=key, site="s", host="h", group="g", **more)

    every = [
        sbc("c", order=2),
        sbc("a", weight=10),
        sbc("b", weight=90),
        sbc("d", retired=True),
        Sbc(id="e", name="e", site="s", host="h"),
    ]
    assert [x.id for x in in_turn(every[0], every)] == ["b", "a", "c"]
    assert in_turn(every[4], every) == [every[4]]
