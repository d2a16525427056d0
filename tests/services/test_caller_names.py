"""Names shown with calls in North America: kept by the carrier, undone there too, refused with its
reason, none shown that nobody told it."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.records import Number, Order
from sedge.core.supply.offers import Wish
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.outbound import caller_names
from sedge.services.supply import ordering, stock_search
from sedge.services.workorders import order_running, order_views
from tests.conftest import until_quiet

NAME = "LANTERNFIELD MT"


@pytest.fixture
def ours(installation, context):
    """A number in Canada for which CNAM is on."""
    offer = stock_search.one(context, Wish("CA", quantity=1), "maplecourt").offers[0]
    key, _ = ordering.order(
        context,
        reference="A name abroad",
        account="maplecourt-main",
        site="wharf-house",
        numbers=[n.e164 for n in offer.numbers][:1],
        features=("CNAM",),
    )
    until_quiet(installation, timedelta(hours=1))
    with context.reading() as reading:
        return reading.records.the(Order, key).lines[0].e164


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def ran(installation, context, *tasks):
    made = order_running.run_now(context, "Caller name", list(tasks))
    until_quiet(installation)
    return order_views.view_order(context, made.id).order


def told(installation, e164):
    """The name in the carrier's own book."""
    return installation.outside.control.call("GET", "orders").get("caller_names", {}).get(e164)


def test_the_carrier_keeps_the_name_and_undo_tells_it_the_one_before(installation, context, ours):
    assert caller_names.caller_name_of(context, number(context, ours)).said == ""
    first = ran(installation, context, t.SetCallerName(number=ours, name="MUSEUMS"))
    assert first.state is OrderState.DONE
    second = ran(installation, context, t.SetCallerName(number=ours, name=NAME))
    assert (number(context, ours).caller_name, told(installation, ours)) == (NAME, NAME)
    back = order_running.undo(context, second.id)
    until_quiet(installation)
    assert order_views.view_order(context, back.id).order.state is OrderState.DONE
    assert (number(context, ours).caller_name, told(installation, ours)) == ("MUSEUMS", "MUSEUMS")
    order_running.undo(context, first.id)
    until_quiet(installation)
    assert (number(context, ours).caller_name, told(installation, ours)) == ("", "")


def test_where_cnam_is_off_it_is_offered_and_comes_first(installation, context, ours):
    ran(installation, context, t.SetFeature(number=ours, feature="CNAM", on=False))
    task = t.SetCallerName(number=ours, name=NAME)
    made = caller_names.draft_caller_name(context, ours, NAME)
    found = order_views.view_order(context, made.id).report.findings
    (stop,) = [f for f in found if f.level == "stop"]
    assert stop.rule == "caller-name.carrier-shows-it"
    (remedy,) = stop.remedies
    assert remedy.tasks == (t.SetFeature(number=ours, feature="CNAM"),)
    done = ran(installation, context, task, *remedy.tasks)
    assert done.state is OrderState.DONE, "the feature is switched before the name is told"
    assert told(installation, ours) == NAME


def test_a_carrier_without_names_says_so(context):
    made = caller_names.draft_caller_name(context, "+441134960101", NAME)
    found = order_views.view_order(context, made.id).report.findings
    assert any("keeps no names for 0113 496 0101" in f.message for f in found)


@pytest.mark.parametrize("typed", ["The Lanternfield Museums Trust", "Café", "A/B", "名前"])
def test_a_name_that_no_store_takes_is_refused_with_one_that_fits(context, typed):
    with pytest.raises(NotUnderstood, match="at most 15") as refused:
        caller_names.draft_caller_name(context, "+441134960101", typed)
    assert refused.value.field == "name"


def test_what_the_carrier_refuses_is_told_in_its_words(installation, context, ours):
    installation.outside.carrier("maplecourt").with_key("key-of-maplecourt-main").set_feature(
        ours, "CNAM", on=False
    )
    order = ran(installation, context, t.SetCallerName(number=ours, name=NAME))
    assert order.state is not OrderState.DONE
    assert "CNAM is off for this number" in str(order.tasks[0])
    assert number(context, ours).caller_name == ""


def test_a_number_that_is_not_delivered_yet_has_to_wait(installation, context):
    offer = stock_search.one(context, Wish("CA", quantity=1), "maplecourt").offers[0]
    (e164,) = [n.e164 for n in offer.numbers][:1]
    ordering.order(
        context,
        reference="Soon",
        account="maplecourt-main",
        site="wharf-house",
        numbers=[e164],
        features=("CNAM",),
    )
    until_quiet(installation)
    made = caller_names.draft_caller_name(context, e164, NAME)
    said = [f.message for f in order_views.view_order(context, made.id).report.stops]
    assert any("is on order. Wait until it is delivered" in words for words in said)
