"""Dial rules as CSV: written as they are read, columns found by their headers, mistakes named."""

import pytest

from sedge.core.errors import NotUnderstood
from sedge.formats.dial_rules_csv import DIALLED, MOST_BYTES, RuleLine, read_rules, write_rules

WORKSHOPS = RuleLine(2, "Workshops", "7[1-4]xx", "1", "+44", "number", "national")
STORES = RuleLine(3, 'Stores, "old"', "8xx", "0", "", "extension", "")


def test_what_is_written_is_read():
    text = write_rules([WORKSHOPS, STORES])
    assert text.splitlines()[0] == ",".join(DIALLED)
    assert text.endswith("\r\n")
    assert read_rules(text) == [WORKSHOPS, STORES]


@pytest.mark.parametrize(
    "text",
    [
        "name,pattern\nWorkshops,7xx",
        "\ufeffname;pattern\r\nWorkshops;7xx\r\n",
        "  Pattern , NAME \n 7xx , Workshops ",
        "colour,pattern,name\nred,7xx,Workshops",
        "name,pattern\n\n,,\nWorkshops,7xx\n\n",
        "name,pattern\nWorkshops,7xx,more,than,titles",
    ],
)
def test_columns_are_found_by_their_headers(text):
    (rule,) = read_rules(text)
    assert (rule.name, rule.pattern, rule.strip) == ("Workshops", "7xx", "")


def test_a_line_keeps_its_number_behind_empty_ones():
    found = read_rules("name,pattern\n\nA,1\n\n\nB,2")
    assert [rule.line for rule in found] == [3, 6]


def test_a_line_that_is_too_short_has_empty_cells():
    assert read_rules("pattern,name\n12") == [RuleLine(2, "", "12")]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "nothing to read"),
        ("\ufeff \n ", "nothing to read"),
        ("pattern\n7xx", "first line names the columns: name, pattern"),
        ("Workshops,7xx", "first line names the columns"),
        ("name,pattern\n" + "x" * (MOST_BYTES + 1), "longer than 200 kB"),
        ("name,pattern\nA," + "9" * 140_000, "This is no CSV"),
        ("x" * 140_000 + ",pattern\nA,9", "This is no CSV"),
    ],
)
def test_what_is_no_list_of_rules_is_said(text, words):
    with pytest.raises(NotUnderstood, match=words) as refused:
        read_rules(text)
    assert refused.value.field == "text"
