"""Order when free: asked for now and then, bought once, within its limits, until its last day."""

from datetime import timedelta

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.supply.offers import Wish
from sedge.core.workorders.life import OrderState
from sedge.services.supply import execution, stock_search, supply
from sedge.services.workorders import order_running, order_views
from sedge.standins.carriers.carrier_profiles import MANNERS
from tests.conftest import SILENT, until_quiet

GONE = next(
    f"+44113496{n:04d}"
    for n in range(320, 900)
    if MANNERS["brackwater"].is_gone(f"+44113496{n:04d}")
)
FORM = {
    "account": "brackwater-main",
    "site": "wharf-house",
    "reference": "The one",
    "country": "GB",
    "area": "Leeds",
    "quantity": "1",
    "most_setup": "3",
    "most_monthly": "1",
    "pattern": GONE[-4:],
}


def wanted(context, **more):
    until = (context.now() + timedelta(days=2)).date().isoformat()
    return supply.order_when_free(context, {**FORM, "until": until, **more})


def bought(installation):
    return [o for o in installation.outside.control.call("GET", "orders")["orders"]]


def run(installation, context, **more):
    order = order_running.run(context, wanted(context, **more).id)
    until_quiet(installation, timedelta(minutes=5))
    return order


def test_it_waits_and_buys_once_when_the_number_comes_into_stock(installation, context):
    assert (
        stock_search.one(context, Wish("GB", area="Leeds", pattern=GONE[-4:]), "brackwater").offers
        == []
    )
    order = run(installation, context)
    assert (
        order_views.view_order(context, order.id).order.tasks[0].waits_for
        == "such numbers to come into stock"
    )
    installation.outside.control.call("POST", "freed", json={"numbers": [GONE]})
    until_quiet(installation, timedelta(hours=1))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert [o["numbers"] for o in bought(installation)] == [[GONE]]
    assert [v.state for v in supply.orders(context) if v.order.reference == "The one"] == [
        "delivered"
    ]


def test_nothing_dearer_than_the_limits_is_bought_and_it_ends_on_its_day(
    installation, context, monkeypatch
):
    monkeypatch.setattr(
        execution, "ASKED_AGAIN", timedelta(hours=2)
    )  # not every ten minutes of three days
    installation.outside.control.call("POST", "freed", json={"numbers": [GONE]})
    order = run(installation, context, most_monthly="0.60")
    assert order_views.view_order(context, order.id).order.state is OrderState.RUNNING
    until_quiet(installation, timedelta(days=3))
    failed = order_views.view_order(context, order.id).order
    assert failed.state is OrderState.FAILED
    assert failed.tasks[0].error.startswith("The last day has passed")
    assert bought(installation) == []


@pytest.mark.parametrize("kind", [SILENT, "error", "slow"])
def test_faults_while_it_asks_or_buys_end_in_one_order(installation, context, kind):
    installation.outside.control.call("POST", "freed", json={"numbers": [GONE]})
    installation.outside.control.order_fault({"service": "brackwater", "fault": kind, "count": 2})
    run(installation, context)
    until_quiet(installation, timedelta(hours=2))
    assert [o["numbers"] for o in bought(installation)] == [[GONE]]


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"reference": ""}, "reference"),
        ({"until": "2001-01-01"}, "until"),
        ({"until": "soon"}, "until"),
        ({"quantity": "0"}, "quantity"),
        ({"most_setup": ""}, "most_setup"),
    ],
)
def test_wishes_that_cannot_be_are_refused_with_their_field(context, given, field):
    with pytest.raises(NotUnderstood) as error:
        wanted(context, **given)
    assert error.value.field == field
