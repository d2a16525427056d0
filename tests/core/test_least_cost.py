"""What calls would have cost over each trunk."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.spend.rates.least_cost import Made, Offer, compare, saved_by_currency
from sedge.core.spend.rates.rate_decks import Rate, deck_of, price_of

A = Offer("a", "A", "fellgate", takes_others=False)
B = Offer("b", "B", "brackwater", takes_others=True)
C = Offer("c", "C", "brackwater", takes_others=False)


def deck(key, currency="GBP", **prices):
    rates = [Rate(prefix[1:], price_of(Decimal(price))) for prefix, price in prices.items()]
    return deck_of(key, key, currency, rates)


DECKS = {
    "a": (deck("a", p44="0.02", p49="0.10"),),
    "b": (deck("b", p44="0.03", p49="0.04"),),
    "c": (deck("c", p49="0.001"),),
}


def decks_of(trunk, _number):
    return DECKS[trunk]


def call(other="+493023125100", talk=60, cost=1000, **more):
    facts = {"number": "441134960142", "carrier": "fellgate", "day": "2026-03-10"}
    facts |= {"trunk": "a", "currency": "GBP"}
    return Made(other=other, talk=talk, cost=cost, **facts | more)


def test_each_call_takes_the_cheapest_trunk_that_takes_its_caller_id():
    [germany] = compare([call(), call(talk=120, cost=2000)], [A, B, C], decks_of)
    assert (germany.name, germany.calls, germany.seconds) == ("Germany", 2, 180)
    assert germany.per_minute("a") == Decimal("0.1")
    assert germany.per_minute("b") == Decimal("0.04")
    assert germany.per_minute("c") is None  # it refuses the caller ID
    assert (germany.cheapest, germany.paid, germany.least) == ("b", 3000, 1200)
    assert saved_by_currency([germany]) == {"GBP": 1800}


def test_what_was_free_stays_where_it_is():
    [germany] = compare([call(cost=0)], [A, B], decks_of)
    assert (germany.paid, germany.least, germany.saved) == (0, 0, 0)
    assert saved_by_currency([germany]) == {}


def test_mobiles_are_told_apart_and_the_longest_calls_come_first():
    calls = [call("+447700900123", talk=30), call(talk=90), call("+441134960199", talk=600)]
    names = [d.name for d in compare(calls, [A], decks_of)]
    assert names == ["United Kingdom", "Germany", "United Kingdom, mobile"]


def test_another_currency_is_not_compared():
    [euro] = compare([call(currency="EUR")], [A, B], decks_of)
    assert (euro.over, euro.cheapest, euro.least) == ({}, "", 1000)
    assert compare([call(currency=""), call(other="anonymous")], [A], decks_of) == []


@given(
    st.lists(
        st.tuples(st.integers(1, 4000), st.integers(0, 90_000), st.sampled_from(["+49", "+44"])),
        max_size=30,
    )
)
def test_the_cheapest_way_never_costs_more(made):
    calls = [call(f"{to}3023125100", talk, cost) for talk, cost, to in made]
    destinations = compare(calls, [A, B, C], decks_of)
    assert sum(d.paid for d in destinations) == sum(cost for _, cost, _ in made)
    for found in destinations:
        assert 0 <= found.least <= found.paid
        assert found.least <= min([c for c, _ in found.over.values()] + [found.paid])
