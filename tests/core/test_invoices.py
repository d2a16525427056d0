"""Invoices held against what was expected, by hand and by properties."""

from decimal import Decimal
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.spend.invoice_rows import InvoiceReader, amount_in, missing, recognised
from sedge.core.spend.invoices import (
    IN_ORDER,
    NEXT_STATES,
    BilledFor,
    BilledLine,
    Expected,
    LineState,
    Verdict,
    judge,
    sums,
)

ONE, TWO, GONE, STRANGE = "+441134960142", "+441134960143", "+441134960144", "+441134960999"
OWED = Expected(
    fees={ONE: Decimal("0.80"), TWO: Decimal("1.20")},
    calls={ONE: Decimal("3.1249"), TWO: Decimal("0.0012")},
    seats={"home calling": (Decimal("12.80"), Decimal(2))},
    once={"front desk": Decimal("6.00")},
    released=frozenset({GONE}),
)


def line(about, number="", amount="0", *, words="", quantity=0, at=1):
    return BilledLine(at, about, number, words, Decimal(quantity), Decimal(amount))


@pytest.mark.parametrize(
    ("billed", "verdict", "expected"),
    [
        (line(BilledFor.NUMBER, ONE, "0.80"), Verdict.RIGHT, "0.80"),
        (line(BilledFor.NUMBER, ONE, "0.81"), Verdict.ROUNDING, "0.80"),
        (line(BilledFor.NUMBER, ONE, "0.95"), Verdict.WRONG_PRICE, "0.80"),
        (line(BilledFor.NUMBER, ONE, "1.60", quantity=2), Verdict.WRONG_QUANTITY, "0.80"),
        (line(BilledFor.NUMBER, STRANGE, "0.80"), Verdict.NOT_OURS, "0"),
        (line(BilledFor.NUMBER, GONE, "0.80"), Verdict.AFTER_RELEASE, "0"),
        (line(BilledFor.CALLS, ONE, "3.12"), Verdict.RIGHT, "3.12"),
        (line(BilledFor.CALLS, "", "3.13", words="Calls"), Verdict.RIGHT, "3.13"),
        (line(BilledFor.CALLS, "", "4.00", words="Calls"), Verdict.WRONG_PRICE, "3.13"),
        (line(BilledFor.SEATS, "", "12.80", words="Home calling"), Verdict.RIGHT, "12.80"),
        (line(BilledFor.SEATS, "", "9.00", words="Recording"), Verdict.NOT_OURS, "0"),
        (
            line(BilledFor.SEATS, "", "19.20", words="Home calling", quantity=3),
            Verdict.WRONG_QUANTITY,
            "12.80",
        ),
        (line(BilledFor.ONCE, "", "6.00", words="Set-up Front desk"), Verdict.RIGHT, "6.00"),
        (line(BilledFor.OTHER, "", "2.00", words="Postage"), Verdict.UNKNOWN, None),
    ],
)
def test_each_verdict(billed, verdict, expected):
    judged = next(judge([billed], OWED, "GBP"))
    assert judged.verdict is verdict
    assert judged.expected == (None if expected is None else Decimal(expected))


def test_twice_is_twice_and_a_credit_of_the_same_is_not():
    fee = line(BilledFor.NUMBER, ONE, "0.80")
    found = list(
        judge(
            [fee, fee._replace(line=2), fee._replace(line=3, amount=Decimal("-0.80"))], OWED, "GBP"
        )
    )
    assert [j.verdict for j in found[:2]] == [Verdict.RIGHT, Verdict.TWICE]
    assert found[1].too_much == Decimal("0.80")
    assert found[2].verdict is not Verdict.TWICE


def test_what_is_ours_and_was_left_out_is_told():
    found = list(judge([line(BilledFor.NUMBER, ONE, "0.80")], OWED, "GBP"))
    left = [(j.billed.about, j.billed.number, j.expected) for j in found[1:]]
    assert left == [
        (BilledFor.NUMBER, TWO, Decimal("1.20")),
        (BilledFor.CALLS, "", Decimal("3.13")),
    ]
    assert {j.verdict for j in found[1:]} == {Verdict.NOT_BILLED}
    by_number = [line(BilledFor.CALLS, ONE, "3.12", at=7)]
    assert [j.billed.line for j in judge(by_number, OWED, "GBP")] == [7, 8, 9]


@given(
    st.lists(
        st.tuples(
            st.sampled_from(list(BilledFor)),
            st.sampled_from(["", ONE, TWO, GONE, STRANGE]),
            st.integers(-500, 2000),
        ),
        max_size=12,
    )
)
def test_every_line_is_judged_once_and_the_sums_hold_them_all(rows):
    lines = [
        line(about, number, Decimal(pence) / 100, at=i)
        for i, (about, number, pence) in enumerate(rows, 1)
    ]
    judged = list(judge(lines, OWED, "GBP"))
    assert [j.billed for j in judged[: len(lines)]] == lines
    found = sums(judged)
    assert sum(count for count, _ in found.values()) == len(judged)
    assert sum(amount for _, amount in found.values()) == sum(j.too_much for j in judged)
    for one in judged:
        if one.verdict in IN_ORDER:
            assert abs(one.too_much) <= Decimal("0.01")


def test_only_some_steps_lead_on():
    for state, to in product(LineState, LineState):
        assert (to in NEXT_STATES[state]) == (
            (state, to)
            in {
                (LineState.OPEN, LineState.DISPUTED),
                (LineState.OPEN, LineState.ACCEPTED),
                (LineState.DISPUTED, LineState.CREDITED),
                (LineState.DISPUTED, LineState.ACCEPTED),
                (LineState.DISPUTED, LineState.OPEN),
                (LineState.CREDITED, LineState.DISPUTED),
                (LineState.ACCEPTED, LineState.OPEN),
            }
        )


# ── rows ──


@pytest.mark.parametrize(
    ("text", "amount"),
    [
        ("12.40", "12.40"),
        ("12,40", "12.40"),
        ("1,234.56", "1234.56"),
        ("1.234,56", "1234.56"),
        ("£3.10", "3.10"),
        ("EUR 3.10", "3.10"),
        ("-0.80", "-0.80"),
        ("(0.80)", "-0.80"),
    ],
)
def test_amounts_of_all_kinds(text, amount):
    assert amount_in(text, "amount") == Decimal(amount)


@pytest.mark.parametrize("text", ["", "dear", "1e400", "NaN", "1.2.3"])
def test_what_is_no_amount_is_refused(text):
    with pytest.raises(NotUnderstood):
        amount_in(text, "amount")


def test_what_a_line_is_about_is_told_by_its_words():
    header = ["Rufnummer", "Beschreibung", "Menge", "Betrag"]
    reader = InvoiceReader(recognised(header), home="GB", currency="EUR", products=["Home calling"])

    def about(number, words):
        read = reader.read(1, [number, words, "1", "2,50"])
        return read.about, read.number, read.words

    assert about("0113 496 0142", "Grundpreis") == (BilledFor.NUMBER, ONE, "Grundpreis")
    assert about("0113 496 0142", "Verbindungen")[0] is BilledFor.CALLS
    assert about("", "3 x Home Calling (monthly)") == (BilledFor.SEATS, "", "Home calling")
    assert about("", "Einrichtung Front desk")[0] is BilledFor.ONCE
    assert about("", "Postage")[0] is BilledFor.OTHER
    assert missing(recognised(["x"])) == ["Amount", "Number or Description"]
    other = InvoiceReader({"amount": 0, "currency": 1}, home="GB", currency="EUR", products=[])
    with pytest.raises(NotUnderstood, match="this account is in EUR"):
        other.read(1, ["2", "USD"])
