"""Amounts: what is typed is read by the locale, the other separator where it cannot be misread, and
what could be two is asked back."""

from decimal import Decimal

import pytest
from babel.numbers import format_currency, format_decimal
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.amounts import as_typed, locale_of, read_amount
from sedge.core.errors import NotUnderstood
from sedge.core.facts import digits_of, in_words, money
from sedge.core.numbers.plan import COUNTRIES

LOCALES = sorted(
    {locale_of(country) for country in COUNTRIES} | {"de_CH", "sv_SE", "en_IN", "pt_PT", "nl_NL"}
)
amounts = st.integers(0, 10**9).map(lambda n: Decimal(n) / 100)


@pytest.mark.parametrize(
    ("typed", "currency", "locale", "amount"),
    [
        ("5,00", "GBP", "en_GB", "5.00"),
        ("5.00", "EUR", "de_DE", "5.00"),
        ("1.000,50", "GBP", "en_GB", "1000.50"),
        ("1,000.50", "EUR", "de_DE", "1000.50"),
        ("1,250", "GBP", "en_GB", "1250"),
        ("1.250", "EUR", "de_DE", "1250"),
        ("£50", "GBP", "en_GB", "50"),
        ("50 £", "GBP", "en_GB", "50"),
        ("GBP 50", "GBP", "en_GB", "50"),
        ("$1", "USD", "en_US", "1"),
        ("1 250,00 €", "EUR", "fr_FR", "1250.00"),
        ("1'250.00", "CHF", "de_CH", "1250.00"),
        ("500", "JPY", "en_GB", "500"),
        ("1,234,567.8", "GBP", "en_GB", "1234567.8"),
        ("−3", "GBP", "en_GB", "-3"),
        ("£-3.50", "GBP", "en_GB", "-3.50"),
        (".5", "GBP", "en_GB", "0.5"),
        ("１２", "GBP", "en_GB", "12"),
    ],
)
def test_what_is_typed_is_what_is_read(typed, currency, locale, amount):
    assert read_amount(typed, currency, locale, field="amount") == Decimal(amount)


@pytest.mark.parametrize(
    ("typed", "currency", "locale", "words"),
    [
        ("1.250", "GBP", "en_GB", "£1.25 or £1,250.00"),
        ("1,250", "EUR", "de_DE", "€1.25 or €1,250.00"),
        ("1.250", "EUR", "fr_FR", "€1.25 or €1,250.00"),
        ("$1", "GBP", "en_GB", "which is GBP"),
        ("€1", "GBP", "en_GB", "which is GBP"),
        ("5e3", "GBP", "en_GB", "no amount"),
        ("1,2,3", "GBP", "en_GB", "do not fit"),
        ("1.2.3,4.5", "GBP", "en_GB", "do not fit"),
        ("12 34", "GBP", "en_GB", "three digits"),
        ("5.5", "JPY", "en_GB", "no places"),
        ("0,500", "EUR", "de_DE", "2 places"),
        ("٣", "GBP", "en_GB", "no amount"),
        ("", "GBP", "en_GB", "such as"),
        ("-", "GBP", "en_GB", "no amount"),
        ("NaN", "GBP", "en_GB", "no amount"),
        ("1" * 50, "GBP", "en_GB", "such as"),
    ],
)
def test_what_could_mean_two_or_nothing_is_asked_back(typed, currency, locale, words):
    with pytest.raises(NotUnderstood, match=words) as refused:
        read_amount(typed, currency, locale, field="opening")
    assert refused.value.field == "opening"


@given(amounts, st.sampled_from(LOCALES), st.sampled_from(["GBP", "EUR", "USD", "CHF"]))
def test_an_amount_written_by_a_locale_reads_back_there(amount, locale, currency):
    for written in (
        format_decimal(amount, format="#,##0.00", locale=locale),
        format_currency(amount, currency, locale=locale),
        f"{currency} {amount:.2f}",
    ):
        assert read_amount(written, currency, locale, field="x") == amount, (written, locale)


@given(amounts, st.sampled_from(LOCALES), st.sampled_from(["GBP", "JPY", "EUR"]))
def test_what_a_field_shows_reads_back_in_every_locale(amount, locale, currency):
    amount = round(amount, digits_of(currency))
    assert read_amount(as_typed(amount, currency), currency, locale, field="x") == amount


@given(st.text(alphabet="0123456789.,' -−€£$e", max_size=12), st.sampled_from(LOCALES))
def test_whatever_is_typed_is_read_as_one_of_its_readings_or_refused(text, locale):
    """Never another amount: the digits stay, and only a separator that stands there divides
    them."""
    try:
        value = read_amount(text, "GBP", locale, field="x")
    except NotUnderstood:
        return
    digits = "".join(ch for ch in text if ch.isdigit())
    whole, _, rest = f"{abs(value):f}".partition(".")
    assert (whole + rest).lstrip("0") == digits.lstrip("0")


def test_currencies_are_rounded_and_shown_by_their_own_rules():
    assert [
        in_words(money("1234.5", code)) for code in ("GBP", "EUR", "USD", "JPY", "CHF", "KWD")
    ] == [
        "£1,234.50",
        "€1,234.50",
        "$1,234.50",
        "¥1,235",
        "CHF 1,234.50",
        "KWD 1,234.500",
    ]
    assert in_words(money("-0.5", "GBP")) == "−£0.50"
