"""What each way of letting a number go costs: notice, minimum term and rest, to the day and the
penny."""

from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core import records as e
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.retiring.terms import choices, paid_until, sums

TODAY = date(2026, 11, 26)


def carrier(notice=30):
    return e.Carrier(
        id="brackwater",
        name="Brackwater Telecom",
        supply_model=e.SupplyModel.BUNDLED,
        countries=("DE",),
        capacities=(e.Capacity.SINGLE,),
        asks_of={},
        notice_days=notice,
    )


def number(bound=None, monthly="0.75", currency="EUR"):
    return e.Number(
        id="x",
        e164="+494066969700",
        state=State.ASSIGNED,
        account="a",
        carrier="brackwater",
        site="s",
        monthly=Money(amount=Decimal(monthly), currency=currency),
        bound_until=bound,
    )


@pytest.mark.parametrize(
    ("notice", "bound", "until", "why"),
    [
        (30, None, date(2026, 12, 26), "30 days of notice"),
        (0, None, TODAY, "asks no notice"),
        (30, date(2027, 4, 5), date(2027, 4, 5), "minimum term runs until 5 April 2027"),
        (30, date(2026, 12, 20), date(2026, 12, 26), "minimum term ends before that"),
        (30, date(2026, 1, 1), date(2026, 12, 26), "30 days of notice"),
    ],
)
def test_a_number_is_paid_until_notice_and_term_are_over(notice, bound, until, why):
    found, reasons = paid_until(number(bound), carrier(notice), TODAY)
    assert found == until
    assert any(why in reason for reason in reasons)


def test_the_choices_of_a_bound_number_to_the_penny():
    release, rest, keep = choices(number(date(2027, 1, 5)), carrier(), TODAY, 90)
    assert (release.paid_until, rest.paid_until, keep.paid_until) == (
        date(2027, 1, 5),
        date(2027, 3, 26),
        None,
    )
    assert (release.costs.amount, release.saves.amount) == (Decimal("0.99"), Decimal("8.01"))
    assert (rest.gone_on, rest.saves.amount) == (TODAY + timedelta(days=90), Decimal("6.04"))
    assert (keep.costs.amount, keep.saves.amount) == (Decimal("9.00"), Decimal("0.00"))


def test_sums_keep_currencies_apart():
    each = [
        choices(number(), carrier(), TODAY, 90),
        choices(number(monthly="1.00", currency="GBP"), carrier(), TODAY, 90),
    ]
    release = sums(each)[0]
    assert [m.currency for m in release.saves] == ["EUR", "GBP"]
    assert release.last == date(2026, 12, 26)
    assert sums([]) == []


@given(
    st.integers(0, 400),
    st.integers(-400, 800),
    st.integers(0, 400),
    st.decimals("0.01", "50", places=2),
)
def test_what_is_paid_and_what_is_saved_make_a_year(notice, bound, rest, monthly):
    of = number(TODAY + timedelta(days=bound), str(monthly))
    release, rested, keep = choices(of, carrier(notice), TODAY, rest)
    for choice in (release, rested):
        assert choice.saves.amount >= 0
        assert abs(
            choice.costs.amount + choice.saves.amount - monthly * 365 / Decimal("30.4375")
        ) <= Decimal("0.02")
    assert release.costs.amount <= rested.costs.amount <= keep.costs.amount + Decimal("0.02")
