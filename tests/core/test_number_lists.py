"""The other side's list of numbers as it comes, and how it differs from ours."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.trunks.number_lists import MOST_UNREAD, difference, read_list
from sedge.core.trunks.records import NumberFormat, TrunkSettings

OURS = [f"+44113496{n:04d}" for n in range(100, 200)]
PLUS = TrunkSettings()
LAST = TrunkSettings(expects=NumberFormat.LAST_DIGITS, last_digits=4)


def numbers(text, settings=PLUS, country="GB"):
    return list(read_list(text, OURS, settings, country).numbers)


@pytest.mark.parametrize(
    ("line", "settings", "found"),
    [
        ("+441134960100", PLUS, ["+441134960100"]),
        ("441134960100", PLUS, ["+441134960100"]),
        ("00441134960100", PLUS, ["+441134960100"]),
        ("0113 496 0100", PLUS, ["+441134960100"]),
        ("(0113) 496-0100", PLUS, ["+441134960100"]),
        ("1134960100", PLUS, ["+441134960100"]),
        ("0100", LAST, ["+441134960100"]),
        ("0100,Main desk", LAST, ["+441134960100"]),
        ('"0113 496 0100";"Main desk";"2019"', PLUS, ["+441134960100"]),
        ("7;+441134960100;active", PLUS, ["+441134960100"]),
        ("0113 496 0100 - 0113 496 0102", PLUS, [f"+44113496010{n}" for n in range(3)]),
        ("0113 496 0100 to 02", PLUS, [f"+44113496010{n}" for n in range(3)]),
        ("+441134960100–+441134960101", PLUS, ["+441134960100", "+441134960101"]),
        ("+49 30 23125 100", PLUS, ["+493023125100"]),
        (
            "0113 496 0100, 0113 496 0101, +493023125100",
            PLUS,
            ["+441134960100", "+441134960101", "+493023125100"],
        ),
        ("0113 496 0100;forward;0131 496 0500", PLUS, ["+441134960100"]),
        ("0131 496 0500", PLUS, ["+441314960500"]),  # not ours, and a number all the same
    ],
)
def test_a_line_is_read_in_any_form(line, settings, found):
    assert numbers(line, settings) == found


def test_heads_and_remarks_are_passed_over_and_what_is_odd_is_named():
    text = "Number;Name\n\n0113 496 0100;Desk\n1234567890123456789012;odd\nsince 3 May\nend"
    read = read_list(text, OURS, PLUS, "GB")
    assert (read.numbers, read.unread) == (("+441134960100",), ("1234567890123456789012;odd",))
    many = "0113 496 0100\n" + "12345678901234567890\n" * 400
    assert len(read_list(many, OURS, PLUS, "GB").unread) == MOST_UNREAD


@pytest.mark.parametrize(
    "text",
    ["", "nothing here", "0113 496 0199 - 0113 496 0100", "x" * 4_000_001],
)
def test_what_is_no_list_is_refused(text):
    with pytest.raises(NotUnderstood) as wrong:
        read_list(text, OURS, PLUS, "GB")
    assert wrong.value.field == "text"


@given(st.sets(st.sampled_from(OURS)), st.sets(st.sampled_from(OURS)))
def test_a_difference_has_each_number_on_one_side(here, there):
    found = difference(here, there)
    assert set(found.missing) == here - there
    assert set(found.extra) == there - here
    assert found.count == len(here ^ there)


@given(
    st.sets(st.sampled_from(OURS), min_size=1),
    st.sampled_from(list(NumberFormat)),
    st.sampled_from([";", ",", "\t"]),
)
def test_a_list_that_we_wrote_comes_back_whole(listed, way, between):
    from sedge.core.trunks.settings import as_written

    settings = TrunkSettings(expects=way, last_digits=5)
    text = "\n".join(f"{as_written(n, way, 5)}{between}name" for n in sorted(listed))
    assert numbers(text, settings) == sorted(listed)
