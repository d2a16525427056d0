"""Numbers that stay with their carrier: signed in over there, brought in by a work order, proven by
a call that arrives, taken out again."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Device, HolderKind, HolderRef, Number, Person, Proof, Trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState, TaskState
from sedge.services.callpaths import calls
from sedge.services.porting import port_dialogue, ports
from sedge.services.supply import external_numbers
from sedge.services.trunks import trunks
from sedge.services.workorders import order_running, order_views
from tests.asserting import every
from tests.conftest import until_quiet

LETTER = {
    "host": "sip.oldquay.example",
    "port": "5061",
    "transport": "tls",
    "user": "millwheel",
    "password": "weir-and-lantern-59",
}
WANTED = {
    "account": "old-quay-main",
    "site": "canal-museum",
    "monthly": "0.90",
    "name": "Old Quay, Bristol",
    "channels": "4",
}
NUMBER = "+441174960841"


@pytest.fixture(autouse=True)
def _not_on_their_way_in(context):
    """The demo has asked to have these very numbers moved; here they stay where they are."""
    for port in ports.list_ports(context):
        port_dialogue.cancel(context, port.id)


def connected(installation, context, numbers="0117 496 0840-0842", **other):
    draft = external_numbers.connect(context, {"numbers": numbers, **WANTED, **LETTER, **other})
    order_running.run(context, draft.id)
    until_quiet(installation, timedelta(minutes=1))
    return order_views.view_order(context, draft.id).order


def number(context, e164=NUMBER):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def test_numbers_come_in_and_each_is_proven_by_a_call_that_arrives(installation, context):
    order = connected(installation, context)
    assert order.state is OrderState.DONE
    here = number(context)
    assert (here.state, here.carrier, here.account, str(here.monthly.amount)) == (
        State.AVAILABLE,
        "old-quay",
        "old-quay-main",
        "0.90",
    )
    with context.reading() as reading:
        proofs = {p.e164: p for p in reading.records.all(Proof) if p.e164.startswith("+44117")}
    assert set(proofs) == {f"+44117496084{n}" for n in range(3)}
    assert every(p.ok and "arrives over Old Quay, Bristol" in p.heard for p in proofs.values())


def test_what_is_given_to_somebody_rings_their_phone_over_the_connection(installation, context):
    connected(installation, context)
    with context.reading() as reading:
        there = {d.person for d in reading.records.all(Device) if d.registered}
        free = next(
            p for p in reading.records.all(Person) if p.site == "canal-museum" and p.id in there
        )
    holder = HolderRef(kind=HolderKind.PERSON, id=free.id)
    order = order_running.run_now(
        context,
        "Give it",
        [
            t.AssignNumber(number=NUMBER, holder=holder, role="extra"),
            t.PlaceTestCall(number=NUMBER),
        ],
    )
    until_quiet(installation, timedelta(minutes=1))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    proof = calls.place_test_call(context, NUMBER, "in")
    assert proof.ok and proof.rang


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"host": "sip.oldkey.example"}, "sip.oldkey.example is not known"),
        ({"port": "5999"}, "Nothing answers at port 5999"),
        ({"port": "5060"}, "does not take tls at port 5060"),
        (
            {"host": "trunks.oldquay.example"},
            "certificate of trunks.oldquay.example is for another name",
        ),
        ({"user": "millwheels"}, "does not know “millwheels”"),
        ({"password": "weir-and-lantern-95"}, "refuses the password"),
    ],
)
def test_each_way_to_fail_stops_the_order_and_says_what_to_change(
    installation, context, wrong, says
):
    draft = external_numbers.connect(
        context, {"numbers": "0117 496 0840", **WANTED, **LETTER, **wrong}
    )
    report = order_views.view_order(context, draft.id).report
    assert [f.rule for f in report.stops] == ["connection.signed-in"]
    assert says in report.stops[0].message
    place = report.stops[0].remedies[0].leads_to
    view = external_numbers.change_connection(context, place.id, LETTER)
    assert view.problem == ""
    assert order_views.view_order(context, draft.id).report.runnable


def test_a_number_that_is_not_on_the_sign_in_is_found_by_its_test_call(installation, context):
    order = connected(installation, context, numbers="0117 496 0840, 0117 496 0870")
    assert order.state is OrderState.FAILED
    failed = [x for x in order.tasks if x.state is TaskState.FAILED]
    assert [x.body.number for x in failed] == ["+441174960870"]
    assert (
        "computed: the call arrives over Old Quay, Bristol; really it does not" in failed[0].error
    )


def test_undo_takes_the_numbers_out_again(installation, context):
    order = connected(installation, context)
    back = order_running.undo(context, order.id)
    until_quiet(installation, timedelta(minutes=1))
    assert order_views.view_order(context, back.id).order.state is OrderState.DONE
    assert number(context).state is State.CLOSED


def test_a_lost_sign_in_shows_as_a_trunk_that_is_down_and_proof_goes_stale(installation, context):
    connected(installation, context)
    with context.reading() as reading:
        trunk = next(x for x in reading.records.all(Trunk) if x.connection)
    context.outside.control.set_trunk(trunk.id, up=False)
    assert trunks.refresh(context) == 1
    view = external_numbers.view_connection(context, trunk.id)
    assert not view.trunk.up and "ask the carrier" in view.problem
    stale = {p.e164 for p, is_stale in calls.proofs(context, stale=True) if is_stale}
    assert NUMBER in stale
    context.outside.control.set_trunk(trunk.id, up=True)
    trunks.refresh(context)
    assert external_numbers.view_connection(context, trunk.id).problem == ""


def test_a_second_batch_goes_over_the_connection_there_is(installation, context):
    connected(installation, context)
    with context.reading() as reading:
        trunk = next(x for x in reading.records.all(Trunk) if x.connection)
    again = external_numbers.connect(
        context, {**WANTED, "numbers": "0117 496 0850", "trunk": trunk.id}
    )
    assert order_views.view_order(context, again.id).report.runnable
    with context.reading() as reading:
        assert sum(1 for x in reading.records.all(Trunk) if x.connection) == 1


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("numbers", ""),
        ("numbers", "0117 496 0800-1200"),
        ("numbers", "0117 49"),
        ("host", "sip:host"),
        ("port", "70000"),
        ("user", ""),
        ("password", ""),
        ("name", ""),
        ("monthly", "x"),
        ("channels", "0"),
    ],
)
def test_bad_input_names_its_field_and_leaves_nothing_behind(context, field, value):
    with pytest.raises(NotUnderstood) as error:
        external_numbers.connect(
            context, {"numbers": "0117 496 0840", **WANTED, **LETTER, field: value}
        )
    assert error.value.field == field
    with context.reading() as reading:
        assert not [x for x in reading.records.all(Trunk) if x.connection]


def test_a_number_of_ours_is_not_connected_as_well(context):
    draft = external_numbers.connect(context, {"numbers": "0113 496 0150", **WANTED, **LETTER})
    assert (
        "in the estate already" in order_views.view_order(context, draft.id).report.stops[0].message
    )


def test_the_password_is_sealed_and_in_no_record(installation, context):
    connected(installation, context)
    file = (installation.settings.data / "estate-lanternfield.sqlite").read_bytes()
    assert LETTER["password"].encode() not in file
