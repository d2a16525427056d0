"""Months, shares, rates and prices: made by hand, and what holds for all of them."""

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.spend.call_legs import Direction, identity, shortened
from sedge.core.spend.forecast import share_by, whole_month
from sedge.core.spend.months import Month, days_within, shared_out, to_minor_unit
from sedge.core.spend.rates.deck_rows import DeckReader, missing, recognised
from sedge.core.spend.rates.rate_decks import (
    Rate,
    amount_of,
    deck_of,
    money_of,
    overlaps,
    per_minute,
    price_of,
    replaced_from,
)
from sedge.core.spend.rates.rating import (
    NO_RATE,
    Leg,
    Pool,
    Reach,
    billed_seconds,
    charge,
    price,
    rate_all,
    reach_of,
)


def at(text):
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


# ── months and shares ──


def test_a_month_knows_its_days_and_its_neighbours():
    month = Month.read("2024-02")
    assert (month.days, str(month.later(1)), str(month.later(-14))) == (29, "2024-03", "2022-12")
    assert (month.name, month.last) == ("February 2024", date(2024, 2, 29))
    assert at("2024-02-29T23:59") in month
    assert at("2024-03-01T00:00") not in month
    for wrong in ("2024-13", "feb", "2024-2", "", "1999-01"):
        with pytest.raises(NotUnderstood):
            Month.read(wrong)


@pytest.mark.parametrize(
    ("since", "until", "days"),
    [
        ("2026-10-20", None, 30),
        ("2026-11-10T09:00", None, 21),
        ("2026-11-10T09:00", "2026-11-12T08:00", 2),
        ("2026-11-10T09:00", "2026-11-10T17:00", 0),
        ("2026-12-01", None, 0),
        ("2026-09-01", "2026-11-01T00:00", 0),
    ],
)
def test_days_are_counted_for_whoever_had_it_at_their_end(since, until, days):
    ends = at(until) if until else None
    assert days_within(at(since), ends, Month.read("2026-11")) == days


@pytest.mark.parametrize(
    ("total", "weights", "currency", "parts"),
    [
        ("1.00", [1, 1, 1], "GBP", ["0.34", "0.33", "0.33"]),
        ("0.02", [1, 1, 1], "GBP", ["0.01", "0.01", "0.00"]),
        ("-1.00", [1, 1, 1], "GBP", ["-0.34", "-0.33", "-0.33"]),
        ("5", [2, 1], "JPY", ["3", "2"]),
        ("7.00", [0, 0], "GBP", ["7.00", "0"]),
    ],
)
def test_money_is_shared_out_to_the_penny(total, weights, currency, parts):
    assert shared_out(Decimal(total), weights, currency) == [Decimal(p) for p in parts]


@given(total=st.integers(-(10**7), 10**7), weights=st.lists(st.integers(0, 10**6), min_size=1))
def test_parts_add_up_to_the_whole_and_are_near_their_share(total, weights):
    amount = Decimal(total) / 100
    parts = shared_out(amount, weights, "GBP")
    assert sum(parts) == amount
    if whole := sum(weights):
        for part, weight in zip(parts, weights, strict=True):
            assert abs(part - amount * weight / whole) < Decimal("0.01")


def test_a_currency_without_a_minor_unit_is_rounded_to_whole_ones():
    assert to_minor_unit(Decimal("10.5"), "JPY") == Decimal(11)
    assert to_minor_unit(Decimal("0.125"), "GBP") == Decimal("0.13")


def test_a_month_is_forecast_by_the_pace_of_earlier_ones():
    months = [[Decimal(1)] * 10 + [Decimal(0)] * 20, [Decimal(2)] * 30]
    share = share_by(10, months)
    assert share == (1 + Decimal(1) / 3) / 2
    assert whole_month(Decimal(20), 10, 30, share).quantize(Decimal("0.01")) == Decimal("30.00")
    assert round(whole_month(Decimal(20), 10, 30, None), 6) == 60
    assert share_by(10, [[Decimal(0)] * 30]) is None


# ── decks ──


def test_the_longest_prefix_in_force_on_the_day_counts():
    deck = deck_of(
        "d",
        "Deck",
        "GBP",
        [
            Rate("44", 12_000),
            Rate("447", 31_000, until="2026-10-31"),
            Rate("447", 33_000, since="2026-11-01"),
            Rate("49", 20_000, since="2026-11-01"),
        ],
    )
    assert deck.find("441134960100", "2026-11-05").price == 12_000
    assert deck.find("447700900123", "2026-10-31").price == 31_000
    assert deck.find("447700900123", "2026-11-01").price == 33_000
    assert deck.find("493012345", "2026-10-31") is None
    assert deck.find("33123", "2026-11-01") is None


def test_two_prices_on_one_day_are_named():
    clash = [Rate("44", 1, until="2026-11-10"), Rate("44", 2, since="2026-11-10"), Rate("49", 1)]
    assert [o.prefix for o in overlaps(clash)] == ["44"]
    assert list(overlaps([clash[0], clash[1]._replace(since="2026-11-11")])) == []


def test_a_new_deck_leaves_the_old_prices_for_the_calls_of_before():
    kept = replaced_from(
        [Rate("44", 1), Rate("44", 9, since="2027-01-01")], [Rate("44", 2)], date(2026, 12, 1)
    )
    deck = deck_of("d", "Deck", "GBP", kept)
    assert deck.find("44", "2026-11-30").price == 1
    assert deck.find("44", "2026-12-01").price == 2
    assert deck.find("44", "2027-02-01").price == 2


def test_rows_of_any_deck_are_read():
    header = ["Vorwahl", "Ziel", "Preis", "Takt", "Verbindungsentgelt", "ab"]
    reader = DeckReader(recognised(header), "EUR")
    rate = reader.read(["+49 15", "Mobil", "0,058", "60/1", "0,10", "2026-12-01"])
    assert rate == Rate("4915", 58_000, 1000, 0, 60, 1, "2026-12-01", "9999-12-31", "Mobil")
    assert per_minute(rate) == Decimal("0.058")
    assert missing(recognised(["Ziel"])) == ["Prefix", "Price a minute"]


@pytest.mark.parametrize(
    ("row", "field"),
    [
        ({"prefix": ""}, "prefix"),
        ({"prefix": "0"}, "prefix"),
        ({"prefix": "1234567890123456"}, "prefix"),
        ({"price": "-1"}, "price"),
        ({"price": "1e9"}, "price"),
        ({"price": "dear"}, "price"),
        ({"steps": "0/1"}, "steps"),
        ({"steps": "a"}, "steps"),
        ({"since": "2026-12-02", "until": "2026-12-01"}, "until"),
        ({"since": "1 Dec"}, "since"),
        ({"currency": "USD"}, "currency"),
    ],
)
def test_what_is_no_rate_is_refused_with_its_field(row, field):
    names = ["prefix", "price", "steps", "since", "until", "currency"]
    cells = {"prefix": "44", "price": "0.01", "steps": "", "since": "", "until": "", "currency": ""}
    reader = DeckReader({name: i for i, name in enumerate(names)}, "GBP")
    with pytest.raises(NotUnderstood) as refused:
        reader.read([(cells | row)[name] for name in names])
    assert refused.value.field == field


# ── prices ──


@pytest.mark.parametrize(
    ("talk", "first", "step", "seconds"),
    [
        (0, 60, 60, 0),
        (1, 1, 1, 1),
        (1, 60, 1, 60),
        (61, 60, 1, 61),
        (61, 60, 60, 120),
        (60, 6, 6, 60),
        (62, 6, 6, 66),
    ],
)
def test_increments(talk, first, step, seconds):
    assert billed_seconds(talk, Rate("44", 1, first=first, step=step)) == seconds


@pytest.mark.parametrize(
    ("seconds", "rate", "cost"),
    [
        (60, Rate("44", price_of(Decimal("0.012"))), "0.0120"),
        (1, Rate("44", price_of(Decimal("0.012"))), "0.0002"),
        (30, Rate("44", price_of(Decimal("0.0125"))), "0.0063"),
        (10, Rate("44", price_of(Decimal("0.012")), minimum=money_of(Decimal("0.05"))), "0.0500"),
        (60, Rate("44", price_of(Decimal("0.012")), fee=money_of(Decimal("0.02"))), "0.0320"),
    ],
)
def test_charges(seconds, rate, cost):
    assert amount_of(charge(seconds, rate)) == Decimal(cost)


GB, ABROAD = "+441134960100", "+493023125100"


def leg(key=1, talk=60, other=GB, holder="person:a", direction="out", day="2026-11-05"):
    return Leg(key, 1_762_300_000 + key, "+441134960142", other, direction, "t", holder, talk, day)


DECK = deck_of("d", "Deck", "GBP", [Rate("44", 10_000), Rate("49", 20_000)])


def found(deck=DECK):
    return lambda trunk, number: [deck] if deck else []


def test_included_minutes_are_used_up_in_the_order_of_the_calls():
    pool = Pool("p", "Pack", frozenset({Reach.HOME}), 100, 100)
    legs = [leg(1, 60), leg(2, 60), leg(3, 60, other=ABROAD), leg(4, 60)]
    rated = list(rate_all(legs, found(), {"person:a": [pool]}))
    assert [r.included for r in rated] == [60, 40, 0, 0]
    assert [amount_of(r.cost) for r in rated] == [
        Decimal(0),
        Decimal("0.0033"),
        Decimal("0.0200"),
        Decimal("0.0100"),
    ]
    assert (rated[0].by, rated[2].by, pool.used) == ("+44, Pack", "+49", 100)


def test_a_forward_uses_no_included_minutes_and_a_call_without_a_rate_says_so():
    pool = Pool("p", "Pack", frozenset(Reach), 600, 600)
    forward = price(leg(direction=Direction.FORWARD), found(), [pool])
    assert (forward.included, amount_of(forward.cost)) == (0, Decimal("0.0100"))
    unknown = price(leg(other="+33123456789"), found(), [])
    assert (unknown.by, unknown.cost, unknown.currency) == (NO_RATE, 0, "GBP")
    assert price(leg(), found(None), []).by == NO_RATE


@given(st.lists(st.integers(0, 4000), max_size=30), st.integers(0, 20_000))
def test_no_pool_gives_more_than_it_has_and_nothing_is_billed_twice(talks, seconds):
    pool = Pool("p", "Pack", frozenset({Reach.HOME}), seconds, seconds)
    legs = [leg(i, talk) for i, talk in enumerate(talks)]
    rated = list(rate_all(legs, found(), {"person:a": [pool]}))
    assert sum(r.included for r in rated) == min(seconds, sum(talks))
    alone = [price(one, found(), []) for one in legs]
    paid = sum(r.cost for r in rated)
    assert paid <= sum(r.cost for r in alone)


@given(st.lists(st.integers(0, 4000), max_size=20), st.integers(0, 19))
def test_the_price_of_a_whole_is_the_sum_of_its_parts(talks, cut):
    legs = [leg(i, talk) for i, talk in enumerate(talks)]
    pools = {"person:a": [Pool("p", "Pack", frozenset({Reach.HOME}), 900, 900)]}
    whole = list(rate_all(legs, found(), pools))
    again = {"person:a": [Pool("p", "Pack", frozenset({Reach.HOME}), 900, 900)]}
    parts = [*rate_all(legs[:cut], found(), again), *rate_all(legs[cut:], found(), again)]
    assert whole == parts


@pytest.mark.parametrize(
    ("other", "reach"),
    [
        (GB, Reach.HOME),
        (ABROAD, Reach.ABROAD),
        ("+449098790123", Reach.PREMIUM),
        ("+448081570123", Reach.FREE),
        ("1234", Reach.HOME),
        ("+999123456", Reach.ABROAD),
        ("+0", Reach.ABROAD),
    ],
)
def test_where_a_call_goes(other, reach):
    assert reach_of("+441134960142", other) is reach


def test_a_record_is_the_same_whenever_it_comes_and_others_can_be_shortened():
    assert identity("a", "1") == identity("a", "1") != identity("b", "1")
    assert 0 <= identity("a", "1") < 2**63
    assert shortened("+447700900123") == "+447700900…"
    assert shortened(shortened("+447700900123")) == "+447700900…"
    assert shortened("anonymous") == "anonymous"
