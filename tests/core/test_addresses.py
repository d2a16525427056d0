"""Addresses against the register: a table of written variants with the verdict each must get, and
what holds for all of them.

A wrong match is worse than none: the near misses of the table must never be accepted.
"""

import csv
from functools import cache
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.records import CivicElements, Verdict
from sedge.core.safety.address_spelling import postcode_area, same_street, telling
from sedge.core.safety.addresses import Segment, match, what_is_wrong
from sedge.standins.register import Index, Typed
from sedge.standins.streets import stretches

FIELDS = ("country", "region", "city", "street", "house_number", "postcode")
TABLE = list(
    csv.DictReader((Path(__file__).parent / "data" / "addresses.csv").read_text().splitlines())
)
ACCEPTED = {Verdict.EXACT, Verdict.CORRECTED}


@cache
def register():
    return Index(stretches())


def judged(typed):
    asked = Typed(
        country=typed.country, city=typed.city, street=typed.street, postcode=typed.postcode
    )
    return match(typed, [Segment(**s.plain()) for s in register().candidates(asked)])


def elements(row):
    return CivicElements(**{name: row[name].strip() for name in FIELDS})


def test_the_table_is_large_enough_and_has_enough_near_misses():
    assert len(TABLE) >= 300
    assert sum(row["verdict"] in {"ambiguous", "unknown"} for row in TABLE) >= 100


@pytest.mark.parametrize(
    "row", TABLE, ids=lambda r: f"{r['street']} {r['house_number']}, {r['city']} {r['postcode']}"
)
def test_each_writing_gets_its_verdict(row):
    found = judged(elements(row))
    assert found.verdict.value == row["verdict"], row["why"]
    if found.verdict is Verdict.CORRECTED:
        assert found.differences
    if found.verdict is Verdict.EXACT:
        assert not found.differences


EVERY = list(stretches())
some = st.sampled_from(EVERY)


def of(stretch, number=None, **changes):
    plain = {
        name: getattr(stretch, name) for name in ("country", "region", "city", "street", "postcode")
    }
    return CivicElements(**{**plain, "house_number": str(number or stretch.first), **changes})


@given(some)
def test_the_registers_own_text_is_exact(stretch):
    found = judged(of(stretch))
    assert found.verdict is Verdict.EXACT
    assert (found.candidates[0].elements.street, found.candidates[0].psap) == (
        stretch.street,
        stretch.psap,
    )


@given(some, st.sampled_from([str.upper, str.lower, str.title, str.swapcase]), st.integers(1, 4))
def test_a_verdict_never_depends_on_case_or_blanks(stretch, case, blanks):
    typed = of(stretch)
    other = typed.copy_with(
        street=case(typed.street).replace(" ", " " * blanks),
        city=" " + case(typed.city) + " ",
        postcode=case(typed.postcode).replace(" ", ""),
    )
    assert judged(other).verdict is Verdict.EXACT


@given(some)
def test_a_verdict_never_depends_on_marks(stretch):
    marks = str.maketrans("äöüéèêÉÈÎîâç", "aoueeeEEIiac")
    typed = of(stretch)
    assert (
        judged(
            typed.copy_with(
                street=typed.street.translate(marks).replace("ß", "ss"),
                city=typed.city.translate(marks),
            )
        ).verdict
        is Verdict.EXACT
    )


@given(some, st.integers(0, 99_999))
def test_a_house_number_outside_every_range_is_never_accepted_for_its_street(stretch, number):
    sides = [
        s
        for s in EVERY
        if (s.street, s.city, s.postcode) == (stretch.street, stretch.city, stretch.postcode)
    ]
    found = judged(of(stretch, number or "0"))
    if any(Segment(**s.plain()).has(str(number)) for s in sides):
        assert found.verdict is Verdict.EXACT
    else:
        assert (
            found.verdict not in ACCEPTED or found.candidates[0].elements.street != stretch.street
        )


@given(some, some)
def test_no_street_is_taken_for_another_of_the_register(one, other):
    if one.country != other.country or same_street(one.street, other.street, one.country):
        return
    found = judged(of(one).copy_with(street=other.street))
    if found.verdict in ACCEPTED:
        assert same_street(found.candidates[0].elements.street, other.street, one.country)


@pytest.mark.parametrize(
    ("typed", "field", "says"),
    [
        ({"street": "PO Box 12"}, "street", "post box"),
        ({"street": "Postfach 1199"}, "street", "post box"),
        ({"street": "Boîte postale 4"}, "street", "post box"),
        ({"city": "P.O. Box 7, Leeds"}, "city", "post box"),
        ({"street": "53.79710, -1.54820"}, "street", "Coordinates alone"),
        ({"street": "🚑🚒"}, "street", "no letters"),
        ({"city": "12345"}, "city", "no letters"),
        ({"house_number": "Flat 2, 12"}, "house_number", "house number alone"),
        ({"house_number": "twelve"}, "house_number", "house number alone"),
        ({"house_number": "-3"}, "house_number", "house number alone"),
    ],
)
def test_what_no_register_could_match_is_named_with_its_field(typed, field, says):
    plain = CivicElements(
        country="GB",
        city="Leeds",
        street="Lanternfield Wharf",
        house_number="12",
        postcode="LS1 4ZZ",
    )
    assert what_is_wrong(plain) is None
    wrong = what_is_wrong(plain.copy_with(**typed))
    assert wrong is not None
    assert wrong[0] == field
    assert says in wrong[1]


def test_an_unknown_house_number_says_which_ones_the_street_has():
    found = judged(
        CivicElements(
            country="GB",
            city="Leeds",
            street="Millrace Ave",
            house_number="240",
            postcode="LS2 3ZZ",
        )
    )
    assert found.verdict is Verdict.UNKNOWN
    assert (
        found.why
        == "Millrace Avenue has no number 240; it has 1 to 219, odd ones and 2 to 218, even ones."
    )


@pytest.mark.parametrize(
    ("country", "postcode", "area"),
    [
        ("GB", "ls1 4zz", "LS1"),
        ("GB", "LS", "LS"),
        ("DE", "10 999", "109"),
        ("CA", "m5v 0z1", "M5V"),
        ("US", "02118", "021"),
    ],
)
def test_a_postcodes_district(country, postcode, area):
    assert postcode_area(postcode, country) == area


@pytest.mark.parametrize(
    ("street", "country", "tells"),
    [
        ("St Anne's Ct", "GB", ("saint", "annes", "court")),
        ("Kranich-Str.", "DE", ("strasse",)),
        ("Upper 2nd Ave N", "US", ("upper", "2nd", "avenue", "north")),
        ("Bd du Moulin", "FR", ("boulevard", "du")),
        ("Station Road", "GB", ("road",)),
        ("Rue Ste-Foy", "FR", ("rue", "sainte", "foy")),
    ],
)
def test_what_tells_streets_apart(street, country, tells):
    assert telling(street, country) == tells


SEGMENTS = [
    Segment(
        "Lanternfield Wharf", 1, 40, "all", "Leeds", "West Yorkshire", "LS1 4ZZ", "GB", "Leeds"
    ),
    Segment("Towpath Row", 1, 19, "odd", "Leeds", "West Yorkshire", "LS1 5ZZ", "GB", "Leeds"),
    Segment("Towpath Road", 2, 60, "even", "Leeds", "West Yorkshire", "LS1 6ZZ", "GB", "Leeds"),
    Segment("Towpath Rowe", 1, 19, "odd", "Leeds", "West Yorkshire", "LS1 5ZX", "GB", "Leeds"),
]


@pytest.mark.parametrize(
    ("street", "number", "postcode", "verdict"),
    [
        ("Lanternfield Wharf", "12", "LS1 4ZZ", "exact"),
        ("lanternfield whf", "12", "ls14zz", "exact"),
        ("Lanternfeld Wharf", "12", "LS1 4ZZ", "corrected"),
        ("Lanternfield Wharf", "99", "LS1 4ZZ", "unknown"),
        ("Towpath Ro", "3", "LS1 5ZZ", "ambiguous"),
        ("Harbour Steps", "3", "ZZ9 9ZZ", "unknown"),
        ("Towpath Row", "4", "LS1 5ZZ", "unknown"),
        ("Lanternfeld Wharf", "12", "LS9 4ZZ", "ambiguous"),
    ],
)
def test_the_registers_verdict(street, number, postcode, verdict):
    typed = CivicElements(
        country="GB", city="Leeds", street=street, house_number=number, postcode=postcode
    )
    assert match(typed, SEGMENTS).verdict == verdict


def test_a_correction_shows_what_it_changes():
    typed = CivicElements(
        country="GB",
        region="West Yorkshire",
        city="Leeds",
        street="Lanternfeld Wharf",
        house_number="12",
        postcode="LS1 4ZZ",
    )
    found = match(typed, SEGMENTS)
    assert found.verdict is Verdict.CORRECTED
    assert found.differences == {"street": ("Lanternfeld Wharf", "Lanternfield Wharf")}
