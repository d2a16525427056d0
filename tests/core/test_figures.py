"""Months to exhaustion and order advice: the formulas, by hand."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.numbers.capacity_forecast import is_a_pace, months_to_exhaustion, order_advice


def test_months_are_the_available_over_the_mean_demand():
    found = months_to_exhaustion(30, [2, 4, 0, 6, 3, 3])
    assert found.monthly_demand == 3
    assert found.months == 10
    assert found.soonest < 10 < found.latest


@pytest.mark.parametrize("net", [[], [0] * 6, [-1, 0, 0, 0, 0, 0], [3, -3, 1, -1, 0, 0]])
def test_without_growth_no_end_is_in_sight(net):
    assert months_to_exhaustion(30, net).months is None


def test_demand_in_one_batch_says_how_unsure_it_is():
    found = months_to_exhaustion(12, [12, 0, 0, 0, 0, 0])
    assert found.months == 6
    assert found.soonest == 3
    assert found.latest is None


def test_the_advice_covers_lead_time_and_three_months_and_what_is_sold():
    found = order_advice(6, lead_days=182 / 6, available=5, on_order=2, out_of_rest=1, multiple=10)
    assert found.cover_months == pytest.approx(4)
    assert found.need == 24
    assert found.order == 20


def test_enough_asks_for_nothing():
    assert order_advice(1, lead_days=0, available=3, on_order=0, out_of_rest=0).order == 0
    assert order_advice(-2, lead_days=90, available=0, on_order=0, out_of_rest=0).order == 0


@given(
    st.floats(0, 500),
    st.floats(0, 90),
    st.integers(0, 500),
    st.integers(0, 50),
    st.integers(0, 50),
    st.integers(1, 100),
)
def test_what_is_advised_is_enough_and_no_block_too_much(
    demand, lead, available, on_order, rest, multiple
):
    found = order_advice(
        demand,
        lead_days=lead,
        available=available,
        on_order=on_order,
        out_of_rest=rest,
        multiple=multiple,
    )
    have = available + on_order + rest
    assert found.order % multiple == 0
    assert have + found.order >= found.need
    assert found.order == 0 or have + found.order - multiple < found.need


@pytest.mark.parametrize(
    ("net", "is_one"), [([0, 0, 0, 0, 0, 6], False), ([0, 0, 0, 0, 2, 6], True), ([], False)]
)
def test_one_busy_month_is_no_pace(net, is_one):
    assert is_a_pace(net) is is_one
