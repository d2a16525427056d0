"""Digit maps: what they take, in a table of cases and against all sequences of up to six keys."""

import re
from itertools import product

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.outbound.dialling.digit_maps import (
    DIGITS,
    automaton,
    goes_on_from,
    in_common,
    in_words,
    left_over,
    matches,
)

# a map, what it takes, and what it does not
CASES = {
    "112": ("112", "1 11 1122 113 012 211"),
    "999|112": ("999 112", "99 9999 912 111 992"),
    "xxx": ("000 123 999 407", "12 1234 12* #12 +12"),
    "[1-4]xx": ("100 199 250 400 432", "000 500 999 10 1000"),
    "[1357]": ("1 3 5 7", "0 2 4 9 11"),
    "[1-379]x": ("10 25 39 70 91", "40 50 60 80 1 100"),
    "0[1-9]xxxxx.": ("011349 0113496 01134960142 099999", "0 01 0113 001134 1113496"),
    "90[1-9]xxxxx.": ("9011349 901134960142", "901134 011349 9001134"),
    "x.": ("1 12 123456789", "* 1# +1"),
    "0x.": ("0 01 0123456", "1 10 x"),
    "0xx.": ("01 0123 09", "0 1 10"),
    "00[1-9]xxxxx.": ("0015550 0044113 00331990", "00 0011 000113 0012 01155"),
    "+xxxxxxx.": ("+123456 +1134960 +441134960142", "+ 1134960 ++123456 +12345"),
    "*98": ("*98", "98 *9 *981 #98"),
    "*xx#": ("*21# *00#", "*21 21# *2# **1#"),
    "#[ABD]x": ("#A1 #B0 #D9", "#C1 #1 A1 #AA"),
    "12.": ("1 12 122 1222", "2 11 13 121"),
    "1.2.3": ("3 13 23 123 11223", "12 21 31 33 132"),
    "1x.9": ("19 109 1999 12349", "1 9 190 91"),
    "[2-9]xx[2-9]xxxxxx": ("6175550199 2125550100", "1175550199 6171550199 617555019 61755501999"),
    "911|1[2-9]xxxxxxxxx": ("911 16175550199", "91 9110 11175550199 1617555019"),
    "7[1-4]xx|75x": ("7100 7499 750 759", "700 7500 71 76 7500 76x"),
    "8xxxxxxx|9xxxxxxT": ("81234567 9123456", "8123456 91234567 7123456"),
    "0|00|0[1-2]": ("0 00 01 02", "03 000 1 010"),
    "A|B|*|#": ("A B * #", "C D 0 AB"),
    "(11x|12x)": ("110 119 120 129", "11 130 1200 012"),
    "0 1 1 3": ("0113", "01 13 011 01130"),
}
SPOILT = {
    "": "at least one digit",
    "9[1": "not closed",
    "[]": "holds no digit",
    "[5-2]": "no range",
    "9x..": "repeats",
    ".1": "repeats",
    "1||2": "too many",
    "|1": "too many",
    "9T1": "pause",
    "1+2": "in front",
    "12Q": "neither",
    "T": "no digit at all",
    "|".join("1" * 101): "alternatives",
    "1" * 500: "at most",
}
BRUTE = [
    "0[1-9]xx.",
    "x.",
    "[1-3]x[4-6].",
    "1.2.3",
    "0x.0|12x",
    "9[0-4].[5-9]x.",
    "12x|1[2-4]x.5",
    "x.x",
]


def brute(text):
    """The same as a regular expression, put together on another way."""
    parts = []
    for part in text.split("|"):
        part = part.replace(".", "*").replace("x", "[0-9]").replace("T", "")
        parts.append(part)
    return re.compile("|".join(f"(?:{part})" for part in parts))


def test_the_table_has_200_cases():
    assert sum(len(yes.split()) + len(no.split()) for yes, no in CASES.values()) >= 200


@pytest.mark.parametrize("text", CASES)
def test_a_map_takes_what_it_says(text):
    takes, not_ = CASES[text]
    assert [keys for keys in takes.split() if not matches(text, keys)] == []
    assert [keys for keys in not_.split() if matches(text, keys)] == []


@pytest.mark.parametrize("text", SPOILT)
def test_a_spoilt_map_is_refused_by_name(text):
    with pytest.raises(NotUnderstood, match=SPOILT[text]) as refused:
        automaton(text)
    assert refused.value.field == "pattern"


@pytest.fixture(scope="module")
def every_sequence():
    return ["".join(keys) for n in range(1, 7) for keys in product(DIGITS, repeat=n)]


def taken_up_to(text, most):
    """All keys of at most `most` digits that a map takes, walking its states."""
    found, machine = set(), automaton(text)
    ends = [("", machine.start)]
    for _ in range(most):
        ends = [
            (keys + key, states)
            for keys, before in ends
            for key in DIGITS
            if (states := machine.step(before, key))
        ]
        found |= {keys for keys, states in ends if states & machine.accepting}
    return found


@pytest.mark.parametrize("text", BRUTE)
def test_walking_agrees_with_trying_everything(text, every_sequence):
    pattern = brute(text)
    assert taken_up_to(text, 6) == {keys for keys in every_sequence if pattern.fullmatch(keys)}


def test_what_two_have_in_common_agrees_with_trying_everything():
    taken = {text: taken_up_to(text, 5) for text in BRUTE}
    for one, other in product(BRUTE, repeat=2):
        shared = taken[one] & taken[other]
        found = in_common(one, other)
        if shared:
            assert found is not None
            assert len(found) == min(len(keys) for keys in shared)
            assert found in shared
        else:
            assert found is None or len(found) > 5


def test_what_is_left_over_agrees_with_trying_everything():
    taken = {text: taken_up_to(text, 5) for text in BRUTE}
    for one, other, third in product(BRUTE, repeat=3):
        left = taken[one] - taken[other] - taken[third]
        found = left_over(one, [other, third])
        if left:
            assert found in left
        else:
            assert found is None or len(found) > 5


def test_a_map_that_goes_on_is_told_with_an_example():
    assert goes_on_from("1xx.", "112") == "1120"
    assert goes_on_from("112", "112") is None
    assert goes_on_from("9[1-8]x", "99") is None
    assert goes_on_from("112x", "112") == "1120"


def test_maps_are_read_aloud():
    assert in_words("90[1-9]xxxxx.") == "90, then a digit of 1 to 9, then 4 digits or more"
    assert in_words("112|[279]x") == "112; or a digit of 2, 7 or 9, then 1 digit"
    assert in_words("0x.") == "0, then any digits, or none"
