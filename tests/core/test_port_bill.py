"""The account compared with the losing carrier's bill."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.porting.bill import compare
from sedge.core.porting.records import AccountDetails
from tests.asserting import every

BILL = """Old Quay Communications            Invoice 2026-10
Millwheel Gallery Limited
7 Millwheel Yard,
Bristol
BS1 6ZZ
Account number: OQ-1184     PIN for transfers 4471
Total £412.20
"""
TOLD = AccountDetails(
    name="Millwheel Gallery Limited",
    address="7 Millwheel Yard, Bristol, BS1 6ZZ",
    account="OQ-1184",
    pin="4471",
)


def by_field(details, bill=BILL):
    return {c.field: c for c in compare(details, bill)}


def test_what_is_told_as_on_the_bill_is_the_same():
    assert {c.field: c.same for c in compare(TOLD, BILL)} == {
        "name": True,
        "address": True,
        "account": True,
        "pin": True,
    }


@pytest.mark.parametrize(
    ("field", "told", "theirs", "told_apart"),
    [
        (
            "name",
            "Millwheel Gallery Ltd",
            "Millwheel Gallery Limited",
            [("imi", "bill"), ("e", "bill")],
        ),
        ("account", "0Q-1184", "OQ-1184", [("0", "ours"), ("O", "bill"), ("Q-1184", "both")]),
        (
            "address",
            "7 Millwheel Yd, Bristol, BS1 6ZZ",
            "7 Millwheel Yard, Bristol, BS1 6ZZ",
            [("ar", "bill")],
        ),
    ],
)
def test_each_character_that_differs_is_told(field, told, theirs, told_apart):
    found = by_field(TOLD.copy_with(**{field: told}))[field]
    assert (found.same, found.theirs) == (False, theirs)
    pieces = [(p.text, p.of) for p in found.pieces]
    assert every(part in pieces or part[1] == "both" for part in told_apart)
    assert "".join(p.text for p in found.pieces if p.of != "bill") == told
    assert "".join(p.text for p in found.pieces if p.of != "ours") == theirs


def test_what_the_bill_has_nothing_like_is_said():
    found = by_field(TOLD.copy_with(pin="99-88-77"))["pin"]
    assert (found.theirs, found.same, [p.of for p in found.pieces]) == ("", False, ["ours"])
    assert compare(AccountDetails(), BILL) == []


@given(st.text(max_size=40), st.text(max_size=200))
def test_any_text_can_be_compared_and_nothing_is_lost(told, bill):
    for c in compare(AccountDetails(name=told), bill):
        assert "".join(p.text for p in c.pieces if p.of != "bill") == told
        assert c.same == (bool(c.theirs) and c.theirs == told)
