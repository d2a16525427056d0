"""Closed months: lines to the penny that add up to what the carrier charges, and corrections."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.spend.closing import corrections, rounded
from sedge.core.spend.costs import CostKind, CostLine, Owner
from sedge.core.spend.months import to_minor_unit
from sedge.core.spend.usage import Use, erlangs


def line(amount, *, thing="+441134960100", account="main", currency="GBP", kind=CostKind.NUMBERS):
    owner = Owner(site="leeds")
    return CostLine(kind, thing, owner, "fellgate", account, "", currency, D(amount))


def amounts(lines):
    return [str(x.amount) for x in lines]


def test_thirds_of_a_penny_are_shared_out_and_add_up():
    lines = [line("0.333", thing=str(n)) for n in range(3)]
    assert sorted(amounts(rounded(lines))) == ["0.33", "0.33", "0.34"]


def test_each_account_is_rounded_once_and_for_itself():
    lines = [line("0.005"), line("0.005", account="other"), line("0.004", account="other")]
    found = rounded(lines)
    assert sum(x.amount for x in found if x.account == "other") == D("0.01")
    assert sum(x.amount for x in found if x.account == "main") == to_minor_unit(D("0.005"), "GBP")


def test_a_currency_without_a_minor_unit_has_none():
    assert amounts(rounded([line("100.4", currency="JPY")])) == ["100"]


def test_what_is_given_back_stays_as_it_is():
    lines = [line("-0.333"), line("1.5")]
    assert rounded(lines) == lines


def test_no_lines_are_no_lines():
    assert rounded([]) == []


@given(
    st.lists(
        st.tuples(
            st.decimals(0, 50, places=4),
            st.sampled_from(["a", "b"]),
            st.sampled_from(["GBP", "EUR"]),
        ),
        max_size=30,
    )
)
def test_whatever_the_parts_an_account_is_its_carriers_rounded_sum(parts):
    lines = [line(amount, account=account, currency=code) for amount, account, code in parts]
    found = rounded(lines)
    assert [x._replace(amount=D(0)) for x in found] == [x._replace(amount=D(0)) for x in lines]
    for key in {(x.currency, x.account) for x in lines}:
        exact = sum((x.amount for x in lines if (x.currency, x.account) == key), D(0))
        told = sum((x.amount for x in found if (x.currency, x.account) == key), D(0))
        assert told == to_minor_unit(exact, key[0])
    assert all(abs(a.amount - b.amount) < D("0.01") for a, b in zip(found, lines, strict=True))


def test_a_closed_month_that_was_right_has_no_corrections():
    told = [line("1.20"), line("0.80", thing="+441134960101")]
    assert corrections(told, list(reversed(told))) == []


def test_what_was_told_too_much_comes_back_and_too_little_is_added():
    told = [line("1.20"), line("0.80", thing="+441134960101")]
    now = [line("1.00"), line("0.80", thing="+441134960101"), line("2.00", thing="seat")]
    found = {x.thing: x.amount for x in corrections(told, now)}
    assert found == {"+441134960100": D("-0.20"), "seat": D("2.00")}


def test_a_thing_that_is_no_longer_there_is_given_back_whole():
    [back] = corrections([line("1.20")], [])
    assert (back.amount, back.units, back.owner.site) == (D("-1.20"), D(0), "leeds")


def test_parts_of_the_same_thing_are_corrected_as_one():
    told = [line("0.60"), line("0.60")]
    assert corrections(told, [line("1.20")]) == []


def test_another_currency_is_another_thing():
    found = corrections([line("1.00")], [line("1.00", currency="EUR")])
    assert {(x.currency, x.amount) for x in found} == {("GBP", D("-1.00")), ("EUR", D("1.00"))}


@given(st.lists(st.integers(0, 500), max_size=8), st.lists(st.integers(0, 500), max_size=8))
def test_corrections_lead_from_what_was_told_to_what_is_known(told, now):
    before = [line(D(n) / 100, thing=str(i)) for i, n in enumerate(told)]
    after = [line(D(n) / 100, thing=str(i)) for i, n in enumerate(now)]
    moved = sum((x.amount for x in corrections(before, after)), D(0))
    assert sum((x.amount for x in before), D(0)) + moved == sum((x.amount for x in after), D(0))


# ── what is counted of calls ──


def test_uses_add_up_field_by_field():
    one = Use(calls=2, answered=1, talk=61, ring=10, included=1, cost=120)
    assert one + one == Use(4, 2, 122, 20, 2, 240)
    assert one + Use() == one


@pytest.mark.parametrize(("talk", "minutes"), [(0, 0), (1, 1), (60, 1), (61, 2), (3600, 60)])
def test_a_begun_minute_counts(talk, minutes):
    assert Use(talk=talk).minutes == minutes


def test_nobody_called_is_no_bad_share():
    assert Use().answered_share is None
    assert Use().usual_wait is None
    assert Use(calls=4, answered=3, ring=40).answered_share == 0.75
    assert Use(calls=4, answered=3, ring=40).usual_wait == 10


def test_an_hour_of_two_taken_channels_is_two_erlangs():
    assert erlangs(7200) == 2
    assert erlangs(0) == 0
