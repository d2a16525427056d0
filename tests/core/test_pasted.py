"""Numbers out of pasted text: every writing, rubbish between, what is none named."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe, is_in_service, read
from sedge.core.numbers.pasted import numbers_in
from sedge.core.numbers.ranges import NumberSet, Span

MAIL = """Hi Rowan, please give 0113 496 0142 and (0113) 496-0150 to Ada,
by 2026-11-25 12:30 for £12.40.
+44 113 496 0100-0109; ext 12 of 0113 496 0160 x12
0113 496 0143 0113 496 0144\t441134960145\trow 12
0113 99 , 01134960170-79, 0113 496 02xx, 999999999999
order BW-2026-10442 call 020 7946 0018 or 020 7946 0019."""
FICTION = st.one_of(
    st.integers(441134960000, 441134960999),
    st.integers(442079460000, 442079460999),
    st.integers(4930231250, 4930231259),
    st.integers(493023125000, 493023125999),
    st.integers(14165550100, 14165550199),
    st.integers(33199000000, 33199009999),
    st.integers(447700900000, 447700900999),
    st.integers(448081570000, 448081570999),
)


def test_a_mail_with_rubbish_gives_exactly_its_numbers():
    found = numbers_in(MAIL, "GB")
    assert found.numbers.written == (
        "441134960100-09,441134960142-45,441134960150,441134960160,441134960170-79,"
        "441134960200-99,442079460018-19"
    )
    assert found.unread == ("999999999999",)
    assert found.is_many


@given(
    st.sets(FICTION, min_size=1, max_size=12),
    st.sampled_from(["\n", ", ", "\t", " and ", "; ", " | ", "\r\n"]),
    st.integers(0, 2),
)
def test_whatever_is_written_is_found_again(numbers, between, how):
    """Any writing of numbers of the demo's countries, joined by anything, gives those numbers and
    no others."""
    forms = [lambda n: f"+{n}", lambda n: describe(f"+{n}").international, lambda n: f"tel:+{n}"]
    text = between.join(forms[how](n) for n in sorted(numbers))
    assert set(numbers_in(text, "GB", ("DE", "US", "CA", "FR")).numbers) == numbers


@given(FICTION)
def test_reading_what_is_written_gives_the_number(number):
    """International form anywhere; the national form at home; the quick way for canonical numbers
    gives the same answer."""
    facts = describe(f"+{number}")
    assert read(facts.international, "GB").candidates[0].e164 == f"+{number}"
    assert f"+{number}" in [c.e164 for c in read(facts.national, facts.country).candidates]
    assert read(f"+{number}", "GB").candidates == (read(f" +{number} ", "GB").candidates[0],)
    assert is_in_service(f"+{number}")
    assert facts.e164 == f"+{number}"
    assert "".join(facts.parts) == str(number)


@given(st.text(max_size=300))
def test_no_text_breaks_it(text):
    found = numbers_in(text, "GB")
    assert all(is_in_service(f"+{n}") for n in found.numbers)


@given(st.sets(FICTION, max_size=60))
def test_a_selection_survives_being_written_and_read(numbers):
    chosen = NumberSet.of(numbers)
    assert NumberSet.parse(chosen.written) == chosen
    assert bool(chosen) == bool(numbers)
    assert all(n in chosen for n in numbers)
    assert 441134961000 not in chosen


@pytest.mark.parametrize(
    "text",
    [
        "x",
        "441134960100-",
        "441134960149-00",
        "0113",
        "441134960100--1",
        "441134960100-1134960149000",
    ],
)
def test_a_mistyped_selection_is_refused_and_named(text):
    with pytest.raises(NotUnderstood) as error:
        NumberSet.parse(text)
    assert error.value.field == "numbers"


def test_a_selection_has_a_limit():
    with pytest.raises(NotUnderstood, match="At most 10,000"):
        NumberSet.parse("441134960000-79999")


def test_a_whole_range_pasted_twice_counts_its_numbers_once():
    found = numbers_in("0113 496 0100-0109, 0113 496 0105", "GB")
    assert found.numbers.spans == [Span(12, 441134960100, 441134960109)]


@pytest.mark.parametrize(
    ("text", "written"),
    [
        ("0117 496-0820 to 0117 496-0829", "441174960820-29"),
        ("0117-496-0820 - 0117-496-0829", "441174960820-29"),
        (
            "0117 496 0806 to 0117 496 0812 (7), 0117 496 0820 to 0117 496 0829 (10)",
            "441174960806-12,441174960820-29",
        ),
        ("0117 496-0820 to 29", "441174960820-29"),
        ("030 23125 100 bis 030 23125 109", "4930231251 00-09"),
        ("0117 496 0820 .. 0117 496 0829", "441174960820-29"),
        ("0117 496 0829 to 0117 496 0820", "441174960820,441174960829"),  # no range: two numbers
    ],
)
def test_from_one_number_to_another_is_a_range_however_each_is_written(text, written):
    home = "DE" if text.startswith("030") else "GB"
    assert numbers_in(text, home).numbers.written == written.replace(" ", "")
