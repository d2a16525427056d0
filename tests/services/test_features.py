"""Features of numbers: switched at the carrier, paid for from then on, refused with the carrier's
reason, undone at the carrier too."""

from datetime import timedelta

import pytest

from sedge.core.facts import money
from sedge.core.numbers.life import State
from sedge.core.records import Capacity, Carrier, HolderKind, Number, SupplyModel
from sedge.core.supply.records import FeatureTerms
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, totals
from sedge.core.workorders.life import OrderState, TaskState
from sedge.services.numbers import bulk_actions, features
from sedge.services.workorders import order_running, order_views
from tests.asserting import every
from tests.conftest import SILENT, until_quiet

FREE, IN_USE = "+441134960150", "+441134960101"


def number(context, e164=FREE):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def switched(installation, context, *tasks):
    order = order_running.run_now(context, "Features", list(tasks))
    until_quiet(installation, timedelta(seconds=30))
    return order_views.view_order(context, order.id).order


def test_switching_on_says_from_when_it_works_and_costs_from_then_on(installation, context):
    before = number(context)
    order = switched(
        installation, context, t.SetFeature(number=FREE, feature="inbound name lookup")
    )
    assert order.state is OrderState.DONE
    after = number(context)
    assert after.features == ("inbound name lookup",)
    assert after.monthly == before.monthly + money("0.10", "GBP")
    works_from = after.features_from["inbound name lookup"]
    assert timedelta(0) < works_from - order.started_at <= timedelta(minutes=3)
    assert order.tasks[0].works_from == works_from


def test_undo_switches_it_off_at_the_carrier_too(installation, context):
    before = number(context)
    order = switched(installation, context, t.SetFeature(number=FREE, feature="fax"))
    back = order_running.undo(context, order.id)
    until_quiet(installation, timedelta(seconds=30))
    assert order_views.view_order(context, back.id).order.state is OrderState.DONE
    assert number(context).copy_with(version=0) == before.copy_with(version=0)
    assert (
        installation.outside.carrier("fellgate")
        .with_key("key-of-fellgate-main")
        .set_feature(FREE, "fax", on=False)
        is None
    )


def test_a_refusal_keeps_the_number_as_it_was_and_says_the_carriers_reason(installation, context):
    tens = {n: number(context, f"+4411349601{n}0") for n in range(10)}
    orders = {
        n: switched(installation, context, t.SetFeature(number=x.e164, feature="texts"))
        for n, x in tens.items()
    }
    failed = {n: order for n, order in orders.items() if order.state is OrderState.FAILED}
    assert 0 < len(failed) < 10
    for n, order in failed.items():
        assert "exchange without a text gateway" in order.tasks[0].error
        assert order.tasks[0].error.startswith(
            "Fellgate Voice does not switch texts on for 0113 496"
        )
        assert number(context, tens[n].e164) == tens[n]


@pytest.mark.parametrize("kind", [SILENT, "error", "slow"])
def test_a_fault_at_the_carrier_ends_in_one_switch(installation, context, kind):
    installation.outside.control.order_fault({"service": "fellgate", "fault": kind, "count": 1})
    order = switched(installation, context, t.SetFeature(number=FREE, feature="fax"))
    assert order.state is OrderState.DONE
    assert number(context).features == ("fax",)


def test_a_run_is_switched_in_one_work_order_and_those_that_have_it_are_passed_over(
    installation, context
):
    switched(installation, context, t.SetFeature(number=FREE, feature="fax"))
    choice = bulk_actions.view_choice(context, "441134960150-441134960154")
    assert "fax" in bulk_actions.features_of(context, choice)
    tasks, title = bulk_actions.plan(context, "feature", choice, {"feature": "fax", "switch": "on"})
    assert [x.number[-2:] for x in tasks] == ["51", "52", "53", "54"]
    assert title == "Switch fax on for 4 numbers from 0113 496 0151"
    assert every(x.state is TaskState.DONE for x in switched(installation, context, *tasks).tasks)
    _, carrier, rows = features.rows(context, "+441134960154")
    assert carrier.name == "Fellgate Voice"
    assert {row.name: row.is_on for row in rows} == {
        "texts": False,
        "inbound name lookup": False,
        "fax": True,
    }


def finding(built, task, rule):
    return next(f for f in check([task], built).findings if f.rule == rule)


def with_features(build, **more):
    terms = {
        "texts": FeatureTerms(fee="0.40"),
        "emergency registration": FeatureTerms(fee=0),
        "CNAM": FeatureTerms(fee="0.20", kinds=("toll-free",)),
    }
    build.put(
        Carrier(
            id="brackwater",
            name="Brackwater Telecom",
            supply_model=SupplyModel.BUNDLED,
            countries=("GB",),
            capacities=(Capacity.SINGLE,),
            asks_of={HolderKind.PERSON: ()},
            features=terms,
            **more,
        )
    )
    return build


def test_checks_name_what_is_offered_for_the_kind(estate):
    n = with_features(estate).number(100)
    built = estate.build()
    said = finding(built, t.SetFeature(number=n, feature="CNAM"), "feature.offered")
    assert said.level == "stop"
    assert (
        said.message
        == "Brackwater Telecom does not offer “CNAM” for 0113 496 0100, a geographic number. It"
        " offers texts, emergency registration for it."
    )
    assert (
        finding(built, t.SetFeature(number=n, feature="texts"), "feature.offered").level == "pass"
    )
    assert (
        str(totals([t.SetFeature(number=n, feature="texts")], built).monthly["GBP"].amount)
        == "0.40"
    )
    assert totals([t.SetFeature(number=n, feature="texts", on=False)], built).monthly == {}


def test_a_number_in_use_never_loses_its_emergency_registration(estate):
    who = with_features(estate).person()
    used = estate.given(100, who, features=("emergency registration",))
    free = estate.number(101, features=("emergency registration",))
    built = estate.build()
    off = {"feature": "emergency registration", "on": False}
    assert (
        finding(built, t.SetFeature(number=used, **off), "feature.help-still-comes").level == "stop"
    )
    assert (
        finding(built, t.SetFeature(number=free, **off), "feature.help-still-comes").level == "warn"
    )


def test_nothing_is_switched_at_a_number_on_order(estate):
    n = with_features(estate).number(100, State.ON_ORDER)
    said = finding(
        estate.build(), t.SetFeature(number=n, feature="texts"), "feature.number-is-here"
    )
    assert said.level == "stop"
    assert "on order" in said.message
