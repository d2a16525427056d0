"""Patterns of other notations: converted where that means the same, else refused with why."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.digit_maps import matches
from sedge.core.outbound.dialling.trade_patterns import Notation, convert, notation_of

U, B, R, M = Notation.UNDERSCORE, Notation.BAR, Notation.REGEX, Notation.DIGIT_MAP
CONVERTED = [
    ("9|0.", B, ("90xx.", 1)),
    ("9|Zxx", B, ("9[1-9]xx", 1)),
    ("NXX", B, ("[2-9]xx", 0)),
    ("_9XXX.", U, ("9xxxxx.", 0)),
    ("_NXXNXXXXXX", U, ("[2-9]xx[2-9]xxxxxx", 0)),
    ("_0[1-3]!", U, ("0[1-3]x.", 0)),
    (r"^011(\d+)$", R, ("011xx.", 0)),
    (r"^9(0\d{9,10})$", R, ("90xxxxxxxxx|90xxxxxxxxxx", 0)),
    (r"^\+?44\d{2}$", R, ("44xx|+44xx", 0)),
    (r"^(?:1|2)[3-5]*$", R, ("1[3-5].|2[3-5].", 0)),
    (r"^\d{3}$", R, ("xxx", 0)),
    ("7[1-4]xx", M, ("7[1-4]xx", 0)),
]
REFUSED = [
    ("9|1|2", B, "more than one bar"),
    ("_[^1]X", U, "excludes"),
    ("_9.0", U, "follows"),
    ("_9[1", U, "closed"),
    ("_9Q", U, "no meaning"),
    (r"011\d+", R, "merely contain"),
    (r"^(?=9)\d+$", R, "looks ahead"),
    ("^.*$", R, "any character"),
    ("^(12)+$", R, "repeated without end"),
    ("^(1|2)+$", R, "repeated without end"),
    ("^[^0]1$", R, "excludes"),
    (r"^\w+$", R, "no meaning"),
    (r"^\d{1,30}$", R, "more than 20"),
    (r"^\d{2$", R, "how often"),
    (r"^(1$", R, "not closed"),
    (r"^1)$", R, "not opened"),
    (r"^\d+?$", R, "greedy"),
    (r"^[0-9]{0,2}$", R, "empty number"),
    ("^" + "(1|2)" * 8 + "$", R, "alternatives"),
]


@pytest.mark.parametrize(("text", "notation", "wanted"), CONVERTED)
def test_a_pattern_is_converted(text, notation, wanted):
    assert convert(text, notation) == wanted


@pytest.mark.parametrize(("text", "notation", "why"), REFUSED)
def test_what_has_no_equivalent_is_refused_with_the_reason(text, notation, why):
    with pytest.raises(NotUnderstood, match=why):
        convert(text, notation)


def test_the_notation_is_recognised_where_it_can_be():
    assert notation_of("_9X") is U
    assert notation_of("^9$") is R
    assert notation_of("9x|8") is M


PIECES = st.sampled_from(
    ["0", "7", r"\d", "[2-5]", r"\d{2}", "(1|23)", "9?", "(?:4[0-2])?", r"\d{1,2}"]
)


@given(st.lists(PIECES, min_size=1, max_size=4), st.text("01234579", min_size=1, max_size=7))
def test_a_converted_expression_takes_the_same_keys(pieces, keys):
    text = "^" + "".join(pieces) + "$"
    try:
        found = convert(text, R)
    except NotUnderstood as refused:
        assert "empty number" in str(refused) or "alternatives" in str(refused)
        return
    assert matches(found.pattern, keys) == bool(re.fullmatch("".join(pieces), keys))
