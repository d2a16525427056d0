"""Drift at the desk: compared on a schedule and on demand, kept since when, put right in either
direction, never silently."""

from datetime import timedelta

import pytest

from sedge.core.carriers.reconciliation import DriftKind
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Number
from sedge.core.workorders.life import OrderState
from sedge.services.carriers import reconciliation
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, workorders
from tests.conftest import until_quiet

OURS, OTHER = "+441134960142", "+441134960150"


def differences(context, account="fellgate-main"):
    return {(d.e164, d.kind): d for d in reconciliation.view_drift(context, account=account).rows}


def keys(found):
    return [f"{d.account}/{d.e164}/{d.kind.value}" for d in found]


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def drifted(context, **wish):
    context.outside.control.let_drift({"account": "fellgate-main", **wish})
    reconciliation.compare_all(context)
    return differences(context)


def ran(installation, context, order):
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=10))
    assert workorders.get(context, order.id).state is OrderState.DONE, [
        x.error for x in workorders.get(context, order.id).tasks
    ]


def test_each_difference_is_found_and_stays_until_it_is_settled(installation, context):
    found = drifted(
        context,
        dropped=[OURS],
        added=["+441134960098"],
        prices={OTHER: "1.10"},
        trunks={"+441134960151": "leeds-b"},
        leaving=["+441134960152"],
    )
    assert {kind for _, kind in found} == set(DriftKind)
    since = found[OURS, DriftKind.NOT_LISTED].first_seen
    until_quiet(installation, timedelta(days=1))
    again = differences(context)
    assert again[OURS, DriftKind.NOT_LISTED].first_seen == since
    row = next(
        a for a in reconciliation.view_drift(context).accounts if a.account.id == "fellgate-main"
    )
    assert (row.total, row.theirs, row.problem) == (5, 200, "")
    assert row.at > since, "compared at night too"
    assert "otherwise at the carrier than here" in " ".join(
        line.what for line in today.todo(context)
    )
    assert number(context, OURS).state is State.ASSIGNED, "nothing is corrected automatically"


def test_the_estate_follows_the_carrier(installation, context):
    found = drifted(
        context,
        dropped=["+441134960160"],
        added=["+441134960098"],
        prices={OTHER: "1.10"},
        trunks={"+441134960151": "brackwater-leeds"},
    )
    with pytest.raises(NotUnderstood) as refused:
        reconciliation.put_right(context, keys(found.values()), direction="follow")
    assert refused.value.field == "site"
    ran(
        installation,
        context,
        reconciliation.put_right(
            context, keys(found.values()), direction="follow", site="wharf-house"
        ),
    )
    assert number(context, "+441134960160").state is State.RELEASED
    assert (number(context, "+441134960098").state, number(context, "+441134960098").site) == (
        State.AVAILABLE,
        "wharf-house",
    )
    assert str(number(context, OTHER).monthly.amount) == "1.10"
    assert number(context, "+441134960151").trunk == "brackwater-leeds"
    assert differences(context) == {}, "compared again at once"


def test_the_carrier_is_told(installation, context):
    found = drifted(
        context,
        dropped=[OURS],
        added=["+441134960098"],
        prices={OTHER: "1.10"},
        trunks={"+441134960151": "leeds-b"},
        leaving=["+441134960152"],
    )
    ran(
        installation,
        context,
        reconciliation.put_right(context, keys(found.values()), direction="tell"),
    )
    until_quiet(installation, timedelta(minutes=5))
    reconciliation.compare_all(context)
    assert differences(context) == {}
    assert (number(context, OURS).state, str(number(context, OTHER).monthly.amount)) == (
        State.ASSIGNED,
        "0.80",
    )


def test_what_somebody_loses_is_said_before(installation, context):
    found = drifted(context, dropped=[OURS], prices={OTHER: "1.10"})
    order = reconciliation.put_right(context, keys(found.values()), direction="follow")
    warned = {f.rule: f.message for f in order_views.view_order(context, order.id).report.warnings}
    assert "loses it" in warned["drift.nobody-loses-a-number"]
    assert warned["drift.price-told"].startswith(
        "0113 496 0150 costs £3.60 a year more than agreed"
    )


def test_what_is_known_may_stay_with_a_reason_and_comes_back_when_it_changes(installation, context):
    found = drifted(context, prices={OTHER: "1.10"})
    with pytest.raises(NotUnderstood) as refused:
        reconciliation.accept(context, keys(found.values()), "")
    assert refused.value.field == "why"
    assert reconciliation.accept(context, keys(found.values()), "agreed by telephone") == 1
    reconciliation.compare_all(context)
    assert differences(context)[OTHER, DriftKind.PRICE].accepted_by == context.actor
    changed = drifted(context, prices={OTHER: "1.20"})
    assert changed[OTHER, DriftKind.PRICE].accepted_by == ""


def test_a_silent_carrier_is_said_to_be_so_and_loses_nothing(installation, context):
    drifted(context, prices={OTHER: "1.10"})
    context.outside.control.order_fault({"service": "fellgate", "fault": "error", "count": 5})
    reconciliation.compare_all(context)
    row = next(
        a for a in reconciliation.view_drift(context).accounts if a.account.id == "fellgate-main"
    )
    assert row.problem
    assert (OTHER, DriftKind.PRICE) in differences(context)


@pytest.mark.parametrize(
    "chosen",
    [
        [],
        ["nonsense"],
        ["fellgate-main/+441134960199/other price"],
        ["fellgate-main/+44x/other price"],
    ],
)
def test_what_is_settled_or_nonsense_is_said(context, chosen):
    with pytest.raises((NotUnderstood, NotFound)):
        reconciliation.put_right(context, chosen, direction="tell")


def test_an_unknown_kind_is_named(context):
    with pytest.raises(NotUnderstood) as refused:
        reconciliation.view_drift(context, kind="sideways")
    assert refused.value.field == "kind"
