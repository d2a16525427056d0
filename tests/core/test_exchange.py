"""Exchange rates as people type them, and sums in one currency."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.facts import money
from sedge.core.spend.rates.exchange import Exchange, ExchangeRate, read_rates

TODAY = date(2026, 11, 30)
OCTOBER, NOVEMBER = date(2026, 10, 31), date(2026, 11, 15)
EXCHANGE = Exchange("GBP").with_rates(
    [
        ExchangeRate("EUR", OCTOBER, Decimal("0.86")),
        ExchangeRate("EUR", NOVEMBER, Decimal("0.88")),
        ExchangeRate("JPY", OCTOBER, Decimal("0.0052")),
    ]
)


@pytest.mark.parametrize(
    ("day", "rate"),
    [
        (date(2026, 10, 30), None),
        (OCTOBER, "0.86"),
        (date(2026, 11, 14), "0.86"),
        (NOVEMBER, "0.88"),
        (date(2030, 1, 1), "0.88"),
    ],
)
def test_the_latest_rate_of_a_day_or_before_counts(day, rate):
    found = EXCHANGE.rate_of("EUR", day)
    assert (found and str(found.rate)) == rate


def test_a_sum_says_its_rates_and_what_it_leaves_out():
    amounts = [money("10.00", "GBP"), money("100.00", "EUR"), money("7", "CHF")]
    found = EXCHANGE.convert([*amounts, money("1000", "JPY")], NOVEMBER)
    assert found.total == money("103.20", "GBP")  # 10 + 88 + 5.20
    assert [(r.currency, str(r.rate)) for r in found.by] == [("EUR", "0.88"), ("JPY", "0.0052")]
    assert found.left_out == (money("7", "CHF"),)


@given(st.lists(st.integers(-10_000, 10_000), max_size=12))
def test_a_sum_of_one_currency_is_the_sum(pennies):
    amounts = [money(Decimal(p) / 100, "GBP") for p in pennies]
    assert EXCHANGE.convert(amounts, TODAY).total.amount == Decimal(sum(pennies)) / 100


def test_rates_are_pasted_in_any_order_of_their_parts():
    text = (
        "day;currency;rate\n2026-10-31;EUR;0,8612\nUSD 0.74 2026-11-01\n"
        "0.0052\tjpy\t2026-11-01\nGBP/2026-11-02 EUR 0.87".replace("GBP/", "GBP ")
    )
    found = read_rates(text, "GBP", TODAY)
    assert [(r.currency, str(r.rate)) for r in found] == [
        ("EUR", "0.8612"),
        ("USD", "0.74"),
        ("JPY", "0.0052"),
        ("EUR", "0.87"),
    ]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "Type a rate a line"),
        ("EUR 0.86", "Line 1: give the day"),
        ("2026-11-01 EUR 0.86\n2026-11-31 EUR 0.86", "Line 2: 2026-11-31 is no day"),
        ("2026-11-01 XXQ 0.86", "is no currency"),
        ("2027-01-01 EUR 0.86", "still to come"),
        ("2026-11-01 EUR 0", "a rate is"),
        ("2026-11-01 EUR 99999999", "a rate is"),
        ("2026-11-01 GBP 1", "give the day, the currency"),
    ],
)
def test_what_is_no_rate_is_named_by_its_line(text, says):
    with pytest.raises(NotUnderstood) as refused:
        read_rates(text, "GBP", TODAY)
    assert says in refused.value.message
    assert refused.value.field == "rates"


def test_a_rate_of_the_same_day_takes_the_place_of_the_one_before():
    again = EXCHANGE.with_rates([ExchangeRate("EUR", OCTOBER, Decimal("0.85"))])
    assert len(again.rates) == len(EXCHANGE.rates)
    assert str(again.rate_of("EUR", OCTOBER).rate) == "0.85"
