"""Ordering from a carrier as it really behaves: slow, partial, silent, refusing, told twice."""

from dataclasses import replace
from datetime import timedelta

import pytest

from sedge.core.errors import (
    NotAllowedNow,
    NotRunnable,
    NotUnderstood,
    OutsideRefused,
    OutsideSilent,
)
from sedge.core.numbers.life import State
from sedge.core.records import Account, Number
from sedge.core.supply.offers import Wish
from sedge.core.workorders.life import OrderState
from sedge.services.carriers import payments
from sedge.services.supply import holds, ordering, stock_search, supply
from sedge.services.workorders import order_running, order_views, runner
from tests.conftest import SILENT, until_quiet

WISH = Wish("GB", area="Leeds", quantity=3, consecutive=True)


def held(context, place=0, wish=WISH):
    offer = stock_search.one(context, wish, "brackwater").offers[place]
    return holds.hold(context, "brackwater-main", [n.e164 for n in offer.numbers])


def ordered(context, hold, reference="R-1"):
    return ordering.order(
        context, reference=reference, account="", site="wharf-house", hold_id=hold.id, spot=None
    )


def bought(installation):
    return installation.outside.control.call("GET", "orders")["orders"]


def test_an_order_arrives_line_by_line_and_says_from_when_each_can_be_used(installation, context):
    key, _ = ordered(context, held(context))
    assert supply.order_view(context, key).state == "draft"
    until_quiet(installation, timedelta(seconds=5))
    assert supply.order_view(context, key).state == "placed"
    until_quiet(installation, timedelta(seconds=38))
    view = supply.order_view(context, key)
    assert (view.state, view.delivered) == ("part delivered", 1)
    until_quiet(installation, timedelta(minutes=2))
    view = supply.order_view(context, key)
    assert view.state == "delivered"
    assert any(line.usable_from > line.delivered_at for line in view.order.lines)
    assert {n.state for n in supply.numbers_of(context, key)} == {State.AVAILABLE}


def test_the_set_up_is_charged_once(installation, context):
    def balance():
        with context.reading() as reading:
            return reading.records.the(Account, "brackwater-main").balance.amount

    before = balance()
    ordered(context, held(context))
    until_quiet(installation, timedelta(minutes=5))  # no night comes, in which carriers bill
    assert before - balance() == 3 * 250 / 100


@pytest.mark.parametrize("fault", [SILENT, "error", "duplicate_callback", "slow"])
def test_no_fault_makes_the_carrier_sell_twice(installation, context, fault):
    hold = held(context)
    installation.outside.control.order_fault({"service": "carrier", "fault": fault, "count": 1})
    try:
        key, order = ordered(context, hold)
    except (
        OutsideSilent
    ):  # the fault hit the quote; nothing was ordered, and the hold is still there
        key, order = ordered(context, hold)
    installation.outside.control.order_fault({"service": "carrier", "fault": fault, "count": 1})
    until_quiet(installation, timedelta(hours=1))
    assert supply.order_view(context, key).state == "delivered"
    assert [o["key"] for o in bought(installation)] == [supply.order_view(context, key).order.key]
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE


def test_a_refused_order_says_why_and_closes_its_lives(installation, context):
    hold = held(context)
    key, order = ordered(context, hold)
    installation.outside.control.order_fault({"service": "carrier", "fault": "reject", "count": 1})
    until_quiet(installation, timedelta(minutes=5))
    view = supply.order_view(context, key)
    assert view.state == "failed"
    assert "refused" in view.order.refused
    assert {n.state for n in supply.numbers_of(context, key)} == {State.CLOSED}
    assert order_views.view_order(context, order.id).order.state is OrderState.FAILED


def test_numbers_whose_order_failed_can_be_ordered_again(installation, context):
    hold = held(context)
    ordered(context, hold)
    installation.outside.control.order_fault({"service": "carrier", "fault": "reject", "count": 1})
    until_quiet(installation, timedelta(minutes=5))
    key, _ = ordering.order(
        context,
        reference="R-2",
        account="brackwater-main",
        site="wharf-house",
        numbers=list(hold.numbers),
    )
    until_quiet(installation, timedelta(hours=1))
    assert supply.order_view(context, key).state in {"delivered", "failed"}
    with context.reading() as reading:
        assert len(reading.records.many(Number, hold.numbers)) == len(hold.numbers)


def test_what_somebody_else_holds_cannot_be_held(context):
    offer = stock_search.one(context, WISH, "brackwater").offers[0]
    numbers = [n.e164 for n in offer.numbers]
    first = holds.hold(context, "brackwater-main", numbers)
    assert holds.hold(context, "brackwater-main", numbers).id == first.id, (
        "pressed twice it is one hold"
    )
    with pytest.raises(OutsideRefused) as raised:
        holds.hold(context, "brackwater-main", numbers[:1])
    assert (raised.value.field, raised.value.reason) == ("numbers", "taken")


def test_a_hold_that_has_run_out_says_so(installation, context):
    hold = held(context)
    until_quiet(installation, timedelta(minutes=16))
    for attempt in (
        lambda: ordering.plan(context, ordering.Wanted(hold=hold.id)),
        lambda: ordered(context, hold),
    ):
        with pytest.raises(NotAllowedNow, match="has run out"):
            attempt()


def test_holds_can_be_let_go(context):
    hold = held(context)
    holds.end_hold(context, hold.id)
    assert holds.hold(context, "brackwater-main", list(hold.numbers)).numbers == hold.numbers


def test_an_order_without_the_money_is_stopped_before_it_is_placed(installation, context):
    hold = held(context, wish=Wish("GB", capacity="many", quantity=120))
    assert ordering.plan(context, ordering.Wanted(hold=hold.id)).quote.short is not None
    with pytest.raises(NotRunnable, match="short"):
        ordering.order(context, reference="big", account="", site="wharf-house", hold_id=hold.id)
    until_quiet(installation, timedelta(minutes=1))
    assert bought(installation) == []


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        (Wish("GB", quantity=0), "quantity"),
        (Wish("GB", quantity=10_000), "quantity"),
        (Wish("GB", starts="abc"), "starts"),
        (Wish("GB", pattern="5-"), "pattern"),
        (Wish("GB", endings=("1",)), "endings"),
        (Wish("US"), "country"),
        (Wish("GB", capacity="huge"), "capacity"),
    ],
)
def test_a_bad_search_names_its_field(context, wish, field):
    with pytest.raises(NotUnderstood) as raised:
        stock_search.one(context, wish, "brackwater")
    assert raised.value.field == field


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"reference": "  "}, "reference"),
        ({"reference": "x" * 100}, "reference"),
        ({"spot": "CNL-001-9", "reference": "R"}, None),
    ],
)
def test_a_bad_order_names_its_field_and_the_hold_stays(context, values, field):
    from sedge.core.errors import SedgeError

    hold = held(context)
    with pytest.raises(SedgeError) as raised:
        ordering.order(
            context,
            **{
                "reference": "R",
                "account": "",
                "site": "wharf-house",
                "hold_id": hold.id,
                **values,
            },
        )
    assert field is None or raised.value.field == field
    assert ordering.plan(context, ordering.Wanted(hold=hold.id)).hold.state == "held"


def test_an_order_larger_than_the_stock_finds_no_offer(context):
    assert (
        stock_search.one(
            context, Wish("GB", area="Leeds", quantity=900, consecutive=True), "brackwater"
        ).offers
        == []
    )


def test_cancelling_what_has_not_arrived_returns_the_numbers(installation, context):
    key, _ = ordered(context, held(context))
    until_quiet(installation, timedelta(seconds=10))
    supply.cancel(context, key)
    until_quiet(installation, timedelta(seconds=30))
    assert supply.order_view(context, key).state == "cancelled"
    assert {n.state for n in supply.numbers_of(context, key)} == {State.CLOSED}


def test_released_numbers_go_back_when_the_carrier_has_carried_it_out(installation, context):
    from sedge.core.workorders import tasks as t

    order = order_running.run_now(context, "give back", [t.ReleaseNumber(number="+441134960312")])
    runner.tick(installation)
    with context.reading() as reading:
        assert reading.records.the(Number, "+441134960312").leaving_on is not None
    until_quiet(installation, timedelta(minutes=5))
    with context.reading() as reading:
        assert reading.records.the(Number, "+441134960312").state is State.RELEASED
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE


def test_lead_times_come_from_the_carriers_own_deliveries(installation, context):
    key, _ = ordered(context, held(context, wish=replace(WISH, quantity=40, consecutive=False)))
    before = supply.order_view(context, key)
    assert before.median == timedelta(seconds=96), (
        "the demo's past orders: 10 lines of 96 s, 6 of 74 s, 4 of 118 s"
    )
    until_quiet(installation, timedelta(hours=1))
    after = supply.order_view(context, key)
    assert timedelta(seconds=30) < after.median <= after.late < timedelta(minutes=10)
    assert after.median != before.median


def test_a_deposit_is_written_down_on_both_sides(installation, context):
    after = payments.deposit(context, "brackwater-main", "100.50")
    assert str(after.balance.amount) == "740.50"
    assert (
        installation.outside.carrier("brackwater")
        .with_key("key-of-brackwater-main")
        .call("GET", "account")["balance"]
        == "740.50"
    )
    for wrong in ("", "abc", "-5", "1e9"):
        with pytest.raises(NotUnderstood):
            payments.deposit(context, "brackwater-main", wrong)
