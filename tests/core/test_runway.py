"""How long a balance lasts."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.carriers.runway import runway
from sedge.core.facts import money
from sedge.web.shared.drawings.runway import runway_chart
from tests.asserting import every

TODAY = date(2026, 11, 25)


def lasts(balance, monthly, low=50, days=14, today=TODAY):
    return runway(money(balance, "GBP"), money(low, "GBP"), money(monthly, "GBP"), today, days)


def test_a_balance_goes_down_on_the_first_of_each_month():
    found = lasts(212, 60)
    assert found.steps[:3] == (
        (TODAY, Decimal(212)),
        (date(2026, 12, 1), Decimal(152)),
        (date(2027, 1, 1), Decimal(92)),
    )
    assert (found.low_on, found.empty_on, found.suspended_on) == (
        date(2027, 2, 1),
        date(2027, 3, 1),
        date(2027, 3, 15),
    )


@pytest.mark.parametrize(
    ("balance", "monthly", "low_on", "empty_on"),
    [
        (40, 1, TODAY, None),  # under the mark already
        (0, 1, TODAY, date(2026, 12, 1)),
        (-5, 1, TODAY, TODAY),
        (5000, 1, None, None),
        (60, 60, date(2026, 12, 1), date(2027, 1, 1)),  # to the penny: zero is still covered
    ],
)
def test_the_days_that_matter(balance, monthly, low_on, empty_on):
    found = lasts(balance, monthly)
    assert (found.low_on, found.empty_on) == (low_on, empty_on)


@given(
    st.decimals(-100, 10_000, places=2),
    st.decimals("0.01", 900, places=2),
    st.dates(date(2024, 1, 1), date(2030, 12, 31)),
)
def test_the_steps_are_the_balance_less_what_was_taken(balance, monthly, today):
    found = lasts(balance, monthly, today=today)
    assert [left for _, left in found.steps] == [balance - monthly * i for i in range(13)]
    assert every(day.day == 1 for day, _ in found.steps[1:])
    assert [day for day, _ in found.steps] == sorted({day for day, _ in found.steps})
    if found.empty_on and found.low_on:
        assert found.low_on <= found.empty_on <= found.suspended_on
    told = str(runway_chart(found, money(50, "GBP")))
    assert 'role="img"' in told
    assert "nan" not in told
