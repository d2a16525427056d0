"""Ports out at the desk: what a carrier tells of becomes a request, is answered once, goes on its
day; what went without a word comes back."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.porting.outgoing_records import PortOutState
from sedge.core.records import Account, Grant, Number
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.porting import port_outs
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, workorders
from sedge.services.workorders.runner import tick
from tests.conftest import until_quiet

NUMBERS = ("+441134960100", "+441134960101")


def asked(installation, context, *numbers, account="fellgate-main", pin="7312", **more):
    """A request that knows us, heard of."""
    wish = {
        "carrier": account.split("-")[0],
        "account": account,
        "numbers": list(numbers or NUMBERS),
        "name": context.organisation.name,
        "account_number": account,
        "pin": pin,
    }
    key = context.outside.control.ask_for_numbers({**wish, **more})
    with context.reading() as reading:
        port_outs.hear(context.as_system(), reading.records.the(Account, account))
    return next(r for r, _ in port_outs.list_port_outs(context) if r.theirs == key)


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def now(context, request):
    return port_outs.view_port_out(context, request.id).request


def test_a_request_is_on_today_with_the_hours_left_and_its_doubts(installation, context):
    request = asked(installation, context, pin="0000")
    lines = [
        line for line in today.todo(context) if line.what == "Pellucid Telephony asks for 2 numbers"
    ]
    assert any("hours left" in line.why for line in lines)
    view = port_outs.view_port_out(context, request.id)
    assert ([d.code for d in view.doubts], view.advice, view.knows_pin) == (
        ["pin-wrong"],
        "pin-wrong",
        True,
    )
    assert "Ifeoma Okafor, main number" in {d.what for _, d in view.depends}
    with pytest.raises(NotAllowedNow, match="Refuse"):
        port_outs.approval(context, request.id)
    with pytest.raises(NotUnderstood):
        port_outs.refuse(context, request.id, "because")
    assert port_outs.refuse(context, request.id, "pin-wrong").state is PortOutState.REFUSED
    with pytest.raises(NotAllowedNow, match="refused already"):
        port_outs.refuse(context, request.id, "pin-wrong")


def test_approved_numbers_ring_until_their_day_and_are_cleaned_up_after(installation, context):
    with context.reading() as reading:
        seats = [g for g in reading.records.all(Grant) if g.until is None]
        held = reading.records.held_by(Number, [g.holder for g in seats])
    lone = next(
        n
        for n in held
        if n.account == "brackwater-main" and sum(1 for x in held if x.holder == n.holder) == 1
    )
    request = asked(installation, context, lone.e164, account="brackwater-main", pin="2208")
    order = port_outs.approval(context, request.id)
    order_running.run(context, order.id)
    until_quiet(installation)
    assert (workorders.get(context, order.id).state, now(context, request).state) == (
        OrderState.DONE,
        PortOutState.APPROVED,
    )
    going = number(context, lone.e164)
    assert (going.state, going.holder) == (State.PORTING_OUT, lone.holder)
    placed = context.outside.telephony.call_in(lone.e164, [])
    assert "not in use" not in placed.heard
    until_quiet(installation, now(context, request).goes_at - context.now() + timedelta(minutes=20))
    view = port_outs.view_port_out(context, request.id)
    assert (view.request.state, number(context, lone.e164).state) == (
        PortOutState.GONE,
        State.PORTED_OUT,
    )
    assert {x.body.kind for x in view.order.tasks} == {"revoke_licence"}
    assert [
        line.words
        for line in today.todo(context)
        if line.what == f"Clean up after port out {request.no}"
    ] == ["Clean up"]
    order_running.run(context, view.order.id)
    until_quiet(installation)
    with context.reading() as reading:
        assert not [g for g in reading.records.held_by(Grant, [lone.holder]) if g.until is None]
    assert not [line for line in today.todo(context) if line.what.startswith("Clean up")]


def test_what_is_taken_back_stays(installation, context):
    request = asked(installation, context)
    order_running.run(context, port_outs.approval(context, request.id).id)
    until_quiet(installation)
    context.outside.control.take_request_back(request.theirs)
    until_quiet(installation, timedelta(minutes=30))
    assert now(context, request).state is PortOutState.WITHDRAWN
    assert {number(context, n).state for n in NUMBERS} == {State.ASSIGNED}


def test_numbers_gone_without_a_word_ring_an_alarm_and_come_back(installation, context):
    request = asked(installation, context, unasked=True)
    assert request.state is PortOutState.UNASKED
    line = next(
        line for line in today.todo(context) if line.what == "2 numbers gone without our word"
    )
    assert (line.mark, line.words) == ("wrong", "Claim them back")
    assert "Pellucid" in context.outside.telephony.call_in(NUMBERS[0], []).heard
    assert port_outs.claim(context, request.id).state is PortOutState.CLAIMED
    with pytest.raises(NotAllowedNow):
        port_outs.claim(context, request.id)
    until_quiet(installation, timedelta(days=1))
    assert now(context, request).state is PortOutState.RETURNED
    assert number(context, NUMBERS[0]).state is State.ASSIGNED
    assert "Pellucid" not in context.outside.telephony.call_in(NUMBERS[0], []).heard


def test_what_went_may_stay_away(installation, context):
    request = asked(installation, context, "+441134960160", unasked=True)
    assert port_outs.let_go(context, request.id) is None, (
        "nobody had it, so there is nothing to clean up"
    )
    assert (now(context, request).state, number(context, "+441134960160").state) == (
        PortOutState.GONE,
        State.PORTED_OUT,
    )


def test_hearing_twice_is_hearing_once_and_a_silent_carrier_is_asked_again(installation, context):
    request = asked(installation, context)
    with context.reading() as reading:
        account = reading.records.the(Account, "fellgate-main")
    assert port_outs.hear(context.as_system(), account) == 0
    context.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 3})
    installation.next_at.pop((context.who.organisation, "port outs"), None)
    tick(installation)
    assert len([r for r, _ in port_outs.list_port_outs(context) if r.theirs == request.theirs]) == 1


def test_a_callback_number_is_not_let_go(installation, context):
    request = asked(installation, context, "+441134960192")
    order = port_outs.approval(context, request.id)
    stops = [f.rule for f in order_views.view_order(context, order.id).report.stops]
    assert stops == ["port-out.help-rings-back"]


def test_an_approval_of_a_refused_request_fails_with_the_reason(installation, context):
    request = asked(installation, context)
    order = workorders.draft(
        context, "too late", [t.ApprovePortOut(request=request.id, vouched="Rowan")]
    )
    context.outside.control.take_request_back(request.theirs)
    order_running.run(context, order.id)
    tick(installation)
    until_quiet(installation)
    task = workorders.get(context, order.id).tasks[0]
    assert "takes no answer any more" in task.error


def test_a_pin_is_kept_sealed(context):
    port_outs.keep_pin(context, "maplecourt-main", " 9091 ")
    with pytest.raises(NotUnderstood) as refused:
        port_outs.keep_pin(context, "maplecourt-main", "1")
    assert refused.value.field == "pin"
