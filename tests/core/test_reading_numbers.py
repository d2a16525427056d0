"""Reading telephone numbers as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotOneNumber
from sedge.core.numbers.e164 import describe, ending, is_in_service, read, read_one
from sedge.core.numbers.finding import SearchKind, understand
from sedge.core.numbers.plan import FICTION, Kind, areas_called, fiction_range


@pytest.mark.parametrize(
    "text",
    [
        "+44 113 496 0142",
        "0113 4960142",
        "0113 496-0142",
        "441134960142",
        "+44(0)113 4960142",
        "0044 113 496 0142",
        "011 44 113 496 0142",
        "(0113) 496-0142",
        "tel:+44-113-496-0142",
        "tel:+44-113-496-0142;ext=12",
        "０１１３ ４９６ ０１４２",
        "0113.496.0142",
        "0113/496/0142",
        " 441134960142",
        "+44 0113 496 0142",
        "0113 496 0142 x12",
        "0113 496 0142 ext. 12",
        "٠١١٣ ٤٩٦ ٠١٤٢",
        "113 496 0142",
    ],
)
def test_every_usual_writing_of_a_number_is_read(text):
    assert read(text, "GB").candidates[0].e164 == "+441134960142"


@pytest.mark.parametrize(
    "text", ["0113 496 0142 x12", "0113 496 0142 ext. 12", "tel:+44-113-496-0142;ext=12"]
)
def test_an_extension_is_kept_apart(text):
    assert read(text, "GB").candidates[0].extension == "12"


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("", "empty"),
        ("hello", "not-a-number"),
        ("0113 49", "too-short"),
        ("0113 496 01423333", "too-long"),
        ("+999 123 4567", "no-such-area"),
        ("0113 496 0100-0149", "a-range"),
        ("0000 000 0000", "not-in-service"),
        ("1" * 40, "too-long"),
        ("9" * 300, "too-long"),
    ],
)
def test_what_is_not_a_number_has_a_named_problem(text, code):
    reading = read(text, "GB")
    assert (reading.candidates, reading.problem.code) == ((), code)
    assert reading.problem.sentence.endswith(".")


def test_all_candidates_are_given_most_likely_first():
    """`030 23125147` is a Berlin number for who has a site there, and possible in Britain."""
    readings = [c.e164 for c in read("030 23125147", "GB", ("DE",)).candidates]
    assert "+493023125147" in readings


def test_one_number_is_wanted_and_the_field_is_named():
    with pytest.raises(NotOneNumber) as raised:
        read_one("0113 49", "GB", field="number")
    assert (raised.value.field, raised.value.reason) == ("number", "too-short")


@pytest.mark.parametrize(
    "e164",
    [
        "+441154960001",
        "+447700900123",
        "+441632960999",
        "+33639980001",
        "+14165550101",
        "+18005550199",
        "+4922147100",
    ],
)
def test_ranges_reserved_for_fiction_count_as_in_service(e164):
    assert is_in_service(e164)


def test_only_the_reserved_toll_free_number_is_accepted_in_north_america():
    assert is_in_service("+18005550199")
    assert not is_in_service("+18005550100") or fiction_range("18005550100") is None


def test_facts_of_a_number():
    facts = describe("+442920180601")
    assert (facts.country, facts.area, facts.kind, facts.national, facts.parts) == (
        "GB",
        "Cardiff",
        Kind.GEOGRAPHIC,
        "029 2018 0601",
        ("44", "29", "20180601"),
    )
    assert describe("+14165550101").country == "CA"
    assert describe("+447700900123").kind is Kind.MOBILE


@given(st.sampled_from(FICTION), st.data())
def test_reading_what_was_formatted_gives_the_number_back(reserved, data):
    number = data.draw(st.integers(reserved.first, reserved.last))
    e164 = f"+{number}"
    facts = describe(e164)
    assert read(facts.international, "GB").candidates[0].e164 == e164
    assert e164 in [c.e164 for c in read(facts.national, facts.country).candidates]


@given(st.text(max_size=60), st.sampled_from(["GB", "DE", "US", "FR", "XX"]))
def test_any_text_is_answered_with_candidates_or_a_problem(text, country):
    reading = read(text, country)
    assert bool(reading.candidates) != bool(reading.problem)


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("0113 496 0142", SearchKind.EXACT),
        ("*0142", SearchKind.ENDING),
        ("496 01", SearchKind.FRAGMENT),
        ("0113 496 0100-0149", SearchKind.RANGE),
        ("+44 113 496 01xx", SearchKind.RANGE),
        ("okafor", SearchKind.WORDS),
        ("Wharf House", SearchKind.WORDS),
        ("", SearchKind.NOTHING),
        ("0142", SearchKind.FRAGMENT),
        ("0800 LANTERN", SearchKind.EXACT),
        ("ext 12", SearchKind.EXTENSION),
        ("+441134960100-+441134960199", SearchKind.RANGE),
    ],
)
def test_what_the_finder_understands(text, kind):
    assert understand(text, "GB").kind is kind


def test_a_range_and_a_pattern_mean_their_numbers():
    between, pattern = understand("0113 496 0100-0149", "GB"), understand("+44 113 496 01xx", "GB")
    assert (between.first, between.last) == (441134960100, 441134960149)
    assert (pattern.first, pattern.last) == (441134960100, 441134960199)


@pytest.mark.parametrize(
    "text",
    [
        "Tel.: 0113 4960142 (mobile)",
        "M: +44 113 496 0142",
        "0113-496-O142",
        "0113 496 O142",
        "0l13 496 0142",
    ],
)
def test_labels_asides_and_letters_that_look_like_digits_hide_no_number(text):
    assert understand(text, "GB").exact == ("+441134960142",)


def test_letters_of_the_keypad_are_still_digits():
    assert understand("0800 LANTERN", "GB").exact == ("+448005268376",)


def test_an_extension_typed_with_a_number_is_told_apart():
    assert understand("0113 496 0142 ext 3", "GB").extension == "3"
    assert understand("x 421", "GB").extension == "421"


@pytest.mark.parametrize(
    ("text", "leads"),
    [
        ("leeds", ("44113",)),
        ("Lee", ("44113",)),
        ("north-w france", ("332",)),
        ("no", ()),
        ("xyz", ()),
    ],
)
def test_towns_are_known_by_the_beginnings_of_their_words(text, leads):
    assert set(leads) <= set(areas_called(text))
    assert bool(areas_called(text)) is bool(leads)


def test_a_fragment_is_tried_without_its_trunk_prefix():
    assert "44113496" in understand("0113 496", "GB").leading


@pytest.mark.parametrize(
    ("first", "last", "told"),
    [
        ("0113 496 0100", "0113 496 0149", "0149"),
        ("01 99 00 56 77", "01 99 00 56 79", "79"),
        ("01 99 00 56 99", "01 99 00 57 01", "57 01"),
        ("(617) 555-0140", "(617) 555-0142", "0142"),
        ("030 23125100", "030 23125199", "23125199"),
        ("0113 496 0100", "0113 496 0100", ""),
    ],
)
def test_the_end_of_a_range_is_told_in_whole_groups(first, last, told):
    assert ending(first, last) == told
