"""Requests of other carriers: what they get wrong about us, by the trade's codes; what approving
would lose."""

from datetime import timedelta

import pytest

from sedge.core import records as e
from sedge.core.errors import NotAllowedNow
from sedge.core.numbers.life import State
from sedge.core.porting.outgoing import doubts, gone, stays
from sedge.core.porting.outgoing_records import PortOut, PortOutState
from sedge.core.porting.records import AccountDetails
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge
from tests.conftest import NOW

NAME, PIN = "The Lanternfield Museums Trust", "7312"
RIGHT = {"name": NAME, "account": "fellgate-main", "pin": PIN}


def request(*numbers, **given):
    return PortOut(
        id="portout-1",
        no=1,
        account="fellgate-main",
        carrier="fellgate",
        gaining="Pellucid Telephony",
        numbers=numbers,
        given=AccountDetails(**{**RIGHT, **given}),
        asked_at=NOW,
        answer_due=NOW + timedelta(hours=48),
        theirs="Q00001",
    )


def codes(estate, asked, pin=PIN):
    built = estate.build()
    return [
        d.code
        for d in doubts(
            asked,
            built.the(e.Account, "fellgate-main"),
            pin,
            NAME,
            {n: built.get(e.Number, n) for n in asked.numbers},
        )
    ]


@pytest.mark.parametrize(
    ("given", "code"),
    [
        ({}, None),
        ({"pin": "0000"}, "pin-wrong"),
        ({"pin": ""}, "pin-wrong"),
        ({"name": "Lanternfield Ltd"}, "name-mismatch"),
        ({"account": "F-1"}, "account-number"),
        ({"name": "the lanternfield museums trust "}, None),
    ],
)
def test_what_they_say_of_us_is_compared(estate, given, code):
    number = estate.number(142, carrier="fellgate")
    assert codes(estate, request(number, **given)) == ([code] if code else [])


def test_without_a_pin_of_our_own_nothing_is_said_of_it(estate):
    assert (
        codes(estate, request(estate.number(142, carrier="fellgate"), pin="0000"), pin=None) == []
    )


def test_numbers_have_to_be_ours_there(estate):
    other = estate.number(143)
    leaving = estate.number(144, carrier="fellgate", leaving_on=NOW)
    assert codes(estate, request(other, leaving, "+441134960999")) == [
        "not-in-service",
        "pending-order",
        "not-in-service",
    ]


def found(estate, asked, vouched="Rowan"):
    estate.put(asked)
    return {
        f.rule: f
        for f in judge(t.ApprovePortOut(request=asked.id, vouched=vouched), estate.build())
    }


def test_what_help_rings_back_on_does_not_leave(estate):
    estate.person()
    ring = {
        "first": "ring",
        "steps": {"ring": {"kind": "ring", "people": ["ifeoma-okafor"], "exits": {}}},
    }
    estate.put(e.PathVersion(id="desk", name="Desk", body=ring, in_force_from=NOW))
    number = estate.given(
        190, e.HolderRef(kind=e.HolderKind.SITE, id="leeds"), carrier="fellgate", path="desk"
    )
    stopped = found(estate, request(number))["port-out.help-rings-back"]
    assert (stopped.level, stopped.remedies[0].leads_to.what) == ("stop", "site")
    assert (
        stopped.message
        == "Without 0113 496 0190, Ifeoma Okafor at Wharf House has no other number to be rung back"
        " on after an emergency call. Give the site another main number first."
    )
    estate.given(
        191, e.HolderRef(kind=e.HolderKind.SITE, id="leeds"), carrier="fellgate", path="desk"
    )
    assert found(estate, request(number))["port-out.help-rings-back"].level == "pass"


def test_nobody_approves_unseen_or_twice_and_what_is_lost_is_said(estate):
    number = estate.given(
        142, estate.person(), carrier="fellgate", bound_until=(NOW + timedelta(days=40)).date()
    )
    assert found(estate, request(number), vouched="")["port-out.asked-by-us"].level == "stop"
    said = found(estate, request(number))
    assert said["port-out.asked-by-us"].level == "pass"
    assert said["port-out.what-is-lost"].message.startswith(
        "Ifeoma Okafor will be without it; 1 is paid for until 3 January 2027"
    )
    assert (
        found(estate, request(number).copy_with(state=PortOutState.REFUSED))[
            "port-out.can-be-answered"
        ].level
        == "stop"
    )
    late = request(number).copy_with(answer_due=NOW - timedelta(hours=1))
    assert found(estate, late)["port-out.can-be-answered"].level == "warn"


def test_a_number_rings_until_it_has_gone_and_is_as_before_where_it_stays(estate):
    held = estate.given(142, estate.person(), carrier="fellgate")
    resting = estate.number(
        143, State.AGING, carrier="fellgate", state_until=NOW + timedelta(days=9)
    )
    estate.put(request(held, resting))
    built = estate.build()
    before = {n: built.number(n) for n in (held, resting)}
    built.absorb(t.ApprovePortOut(request="portout-1", vouched="Rowan").apply(built))
    assert {built.number(n).state for n in (held, resting)} == {State.PORTING_OUT}
    assert built.number(held).in_use
    with pytest.raises(NotAllowedNow):
        t.ApprovePortOut(request="portout-1").apply(built)
    back = built.fork()
    back.absorb(stays(back.the(PortOut, "portout-1"), back, NOW))
    assert {
        n: (back.number(n).state, back.number(n).state_until, back.number(n).holder) for n in before
    } == {n: (b.state, b.state_until, b.holder) for n, b in before.items()}
    built.absorb(gone(built.the(PortOut, "portout-1"), built, NOW))
    after = built.number(held)
    assert (after.state, after.holder, after.trunk, after.spot) == (
        State.PORTED_OUT,
        None,
        None,
        None,
    )
