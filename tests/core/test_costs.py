"""What months cost, by cases made by hand."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from sedge.core.spend.costs import (
    CostKind,
    FeeSpan,
    GrantSpan,
    Owner,
    SeatSpan,
    differences,
    number_lines,
    seat_lines,
    summed,
)
from sedge.core.spend.months import Month

NOVEMBER = Month(2026, 11)
LEEDS, HULL = Owner("leeds", "person", "a", "100"), Owner("hull", "person", "b", "200")


def at(text):
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def fee(since, until=None, owner=LEEDS, monthly="0.80", number=441, account="x"):
    ends = at(until) if until else None
    return FeeSpan(number, owner, "c", account, "GBP", Decimal(monthly), at(since), ends)


def amounts(spans):
    return [(x.owner.site, x.amount, x.units) for x in number_lines(spans, NOVEMBER)]


def test_a_number_that_was_there_costs_its_month():
    assert amounts([fee("2026-01-01")]) == [("leeds", Decimal("0.80"), 1)]
    assert amounts([fee("2026-01-01", "2026-11-03")]) == [("leeds", Decimal("0.80"), 1)]
    assert amounts([fee("2026-01-01", "2026-10-31T23:00")]) == []
    assert amounts([fee("2026-12-01")]) == []


def test_one_that_came_within_the_month_costs_its_days():
    # 21 of 30 days, the 10th included: 0.56
    assert amounts([fee("2026-11-10T15:00")]) == [("leeds", Decimal("0.56"), 1)]


def test_who_had_it_shares_its_month_by_days_and_the_last_one_counts_it():
    spans = [fee("2026-01-01", "2026-11-11T09:00"), fee("2026-11-11T09:00", owner=HULL)]
    assert amounts(spans) == [("leeds", Decimal("0.27"), 0), ("hull", Decimal("0.53"), 1)]


def test_a_price_that_changes_within_the_month_counts_from_the_next_one_on():
    spans = [
        fee("2026-01-01", "2026-11-11"),
        fee("2026-11-11", monthly="1.20"),
    ]
    assert sum(amount for _, amount, _ in amounts(spans)) == Decimal("0.80")
    later = list(number_lines(spans, NOVEMBER.later(1)))
    assert [x.amount for x in later] == [Decimal("1.20")]


def test_a_number_that_comes_back_is_charged_twice():
    spans = [fee("2026-01-01", "2026-11-03"), fee("2026-11-16")]
    assert [amount for _, amount, _ in amounts(spans)] == [Decimal("0.80"), Decimal("0.40")]


moments = st.integers(0, 120 * 86400).map(lambda s: at("2026-09-01") + timedelta(seconds=s))


@given(st.lists(moments, min_size=1, max_size=6, unique=True), st.integers(1, 9999))
def test_whoever_has_it_in_between_the_month_costs_the_same(cuts, pence):
    cuts.sort()
    monthly = Decimal(pence) / 100
    owners = [Owner(str(i)) for i in range(len(cuts))]
    spans = [
        FeeSpan(1, owner, "c", "x", "GBP", monthly, since, until)
        for owner, since, until in zip(owners, cuts, [*cuts[1:], None], strict=True)
    ]
    whole = [spans[0]._replace(until=None)]
    for month in (NOVEMBER, NOVEMBER.later(-1), NOVEMBER.later(1)):
        split = sum((x.amount for x in number_lines(spans, month)), Decimal(0))
        assert split == sum((x.amount for x in number_lines(whole, month)), Decimal(0))


# ── seats ──


def seats(since, until=None, count=3, price="6.00"):
    ends = at(until) if until else None
    return SeatSpan("home", count, Decimal(price), "GBP", at(since), ends)


def test_seats_are_those_who_have_them_and_the_rest_is_nobodys():
    grants = [
        GrantSpan("home", LEEDS, at("2026-01-01"), None),
        GrantSpan("home", HULL, at("2026-11-16"), None),
    ]
    lines = list(seat_lines([seats("2026-01-01")], grants, NOVEMBER))
    assert [(x.owner.site, x.amount) for x in lines] == [
        ("hull", Decimal("3.00")),
        ("leeds", Decimal("6.00")),
        ("", Decimal("9.00")),
    ]


def test_seats_bought_within_the_month_cost_their_days():
    spans = [seats("2026-01-01", "2026-11-16", count=1), seats("2026-11-16", count=3)]
    lines = list(seat_lines(spans, [], NOVEMBER))
    assert sum(x.amount for x in lines) == Decimal("12.00")
    assert list(seat_lines([seats("2026-12-01")], [], NOVEMBER)) == []


# ── sums ──


def test_currencies_are_kept_apart_and_groups_sorted_by_what_they_cost():
    euro = fee("2026-01-01", owner=HULL, number=442)._replace(currency="EUR")
    lines = [*number_lines([fee("2026-01-01"), euro, fee("2026-01-01", number=443)], NOVEMBER)]
    found = summed(lines, "site")
    assert [(row.key, row.total, row.numbers) for row in found["GBP"]] == [
        ("leeds", Decimal("1.60"), 2)
    ]
    assert [(row.key, row.total) for row in found["EUR"]] == [("hull", Decimal("0.80"))]


def test_why_a_month_differs_is_told_by_kind_and_group():
    before = summed(number_lines([fee("2026-01-01")], NOVEMBER), "site")["GBP"]
    more = [fee("2026-01-01"), fee("2026-01-01", number=442)]
    after = summed(number_lines(more, NOVEMBER), "site")["GBP"]
    [step] = differences(before, after, Decimal("0.01"))
    assert (step.kind, step.key, step.money, step.count) == (
        CostKind.NUMBERS,
        "leeds",
        Decimal("0.80"),
        1,
    )
    assert differences(after, after, Decimal("0.01")) == []
    gone = differences(after, [], Decimal("0.01"))
    assert gone[0].money == Decimal("-1.60")


def test_spans_of_a_second_are_nobodys_and_break_nothing():
    spans = [
        fee("2026-11-05", "2026-11-05T00:00:01"),
        FeeSpan(
            441,
            HULL,
            "c",
            "x",
            "GBP",
            Decimal("0.80"),
            at("2026-11-05") + timedelta(seconds=1),
            None,
        ),
    ]
    assert [(site, units) for site, _, units in amounts(spans)][-1] == ("hull", 1)
