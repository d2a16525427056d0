"""Unusual calls: made-up weeks with known events."""

from decimal import Decimal
from random import Random

import pytest

from sedge.core.facts import money
from sedge.core.spend.right_sizing import (
    Offer,
    a_year,
    cheapest_bundles,
    cheapest_offer,
    enough_for,
)
from sedge.core.spend.unusual_calls import Alarm, Call, Unusual, find

DAY = 86400
START = 1_790_000_000 - 1_790_000_000 % DAY
ME, OTHER = 441134960142, 441134960143
HOME, GERMANY, FRANCE, PREMIUM = "+441514960001", "+493023125100", "+33199005123", "+449098790001"


def call(day, hour, to=HOME, number=ME, talk=60, minute=0):
    return Call(START + day * DAY + hour * 3600 + minute * 60, number, to, talk, 120, "GBP")


def weeks(first, last, seed=1):
    """Working days of two people: calls at home, a few to Germany."""
    random = Random(seed)
    found = []
    for day in range(first, last):
        if day % 7 > 4:
            continue
        for number in (ME, OTHER):
            for _ in range(random.randrange(2, 9)):
                to = GERMANY if random.random() < 0.15 else HOME
                found.append(
                    call(day, random.randrange(8, 18), to, number, random.randrange(5, 900))
                )
    return sorted(found)


def kinds(alarms):
    return [(alarm.kind, alarm.number, alarm.calls) for alarm in alarms]


def test_a_burst_at_night_is_found_once_with_what_it_cost():
    burst = [call(60, 2, GERMANY, minute=i) for i in range(30)]
    now = sorted([*weeks(56, 70), *burst])
    [alarm] = find(weeks(0, 56), now)
    assert kinds([alarm]) == [(Unusual.BURST, ME, 30)]
    assert (alarm.cost, alarm.currency) == (3600, "GBP")
    assert find(weeks(0, 56), now)[0].id == alarm.id


def test_a_week_of_travel_is_no_alarm():
    travel = [call(day, 9, GERMANY, minute=i * 7) for day in range(56, 61) for i in range(6)]
    assert find(weeks(0, 56), sorted([*weeks(56, 70), *travel])) == []


def test_who_always_calls_abroad_has_to_call_much_more():
    usual = [call(day, 10, GERMANY, minute=i) for day in range(0, 56) for i in range(10)]
    more = [call(60, 10, GERMANY, minute=i) for i in range(25)]
    most = [call(60, 10, GERMANY, minute=i) for i in range(45)]
    assert find(usual, more) == []
    assert kinds(find(usual, most)) == [(Unusual.BURST, ME, 45)]


def test_many_short_calls():
    short = [call(60, 11, HOME, talk=2, minute=i) for i in range(50)]
    assert kinds(find(weeks(0, 56), short)) == [(Unusual.SHORT, ME, 50)]
    assert find(weeks(0, 56), short[:30]) == []


def test_first_calls_to_premium_numbers_and_to_a_country():
    premium = [call(60, 11, PREMIUM, minute=i) for i in range(3)]
    assert kinds(find(weeks(0, 56), premium)) == [(Unusual.PREMIUM, ME, 3)]
    assert find([call(1, 9, PREMIUM)], premium) == []
    france = [call(60, 11, FRANCE, minute=i * 10) for i in range(6)]
    [alarm] = find(weeks(0, 56), france)
    assert (alarm.kind, alarm.about) == (Unusual.NEW_COUNTRY, "FR")
    assert find([], france) == []  # nothing is known yet: every country is new
    burst = [call(60, 2, FRANCE, minute=i) for i in range(30)]
    assert kinds(find(weeks(0, 56), burst)) == [(Unusual.BURST, ME, 30)]


@pytest.mark.parametrize("seed", range(8))
def test_quiet_weeks_raise_at_most_one_alarm_a_week(seed):
    calls = weeks(0, 126, seed)
    false: list[Alarm] = []
    for begins in range(56, 126, 7):
        before = [c for c in calls if c.started < START + begins * DAY]
        now = [c for c in calls if 0 <= c.started - START - begins * DAY < 7 * DAY]
        false += find(before, now)
    assert len(false) <= 10


# ── right-sizing ──


def test_a_quiet_month_does_not_decide():
    months = [Decimal(n) for n in (0, 300, 320, 310, 900)]
    assert enough_for(months) == 320
    assert enough_for([]) == 0
    assert enough_for([Decimal(5)]) == 5


@pytest.mark.parametrize(
    ("months", "best"),
    [([0, 0, 0], 0), ([400, 450, 480], 1), ([900, 950, 1400], 2), ([100, 100, 100], 0)],
)
def test_pooled_bundles_are_bought_up_to_where_the_next_costs_more(months, best):
    used = [Decimal(m) for m in months]
    assert cheapest_bundles(used, 500, Decimal(9), Decimal("0.03"), 10) == best


def test_a_year_is_twelve_months():
    assert a_year(money("0.80", "GBP")) == money("9.60", "GBP")


def test_the_cheapest_offer_counts_what_goes_beyond_its_minutes():
    none, small, large = (
        Offer("none", Decimal(0), 0),
        Offer("s", Decimal(2), 100),
        Offer("l", Decimal(6), 600),
    )
    offers, penny = [none, small, large], Decimal("0.05")
    assert cheapest_offer([Decimal(10)] * 4, offers, penny) == (none, Decimal("0.50"))
    assert cheapest_offer([Decimal(120)] * 4, offers, penny) == (small, Decimal(3))
    assert cheapest_offer([Decimal(500)] * 4, offers, penny) == (large, Decimal(6))
    quiet = [Decimal(500), Decimal(500), Decimal(500), Decimal(500), Decimal(0)]
    assert cheapest_offer(quiet, offers, penny)[0] == large, "one quiet month decides nothing"
    assert cheapest_offer([], offers, penny) == (none, Decimal(0))
    assert cheapest_offer([Decimal(40)] * 3, [small, none], penny)[0] == small, "alike: the first"
