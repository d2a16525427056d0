"""An address in one line: read into its parts in each country, and what the register has for it."""

import pytest

from sedge.core.safety.address_line import (
    AddressParts,
    likeliest,
    read_line,
    suggest,
)
from sedge.core.safety.addresses import Segment
from sedge.core.safety.countries import FORMS, line_example


@pytest.mark.parametrize(
    ("country", "line", "parts"),
    [
        ("GB", "12 Lanternfield Wharf, Leeds LS1 4ZZ", ("12", "Lanternfield Wharf", "Leeds")),
        ("GB", "12 Lanternfield Wharf\nLeeds\nLS1 4ZZ", ("12", "Lanternfield Wharf", "Leeds")),
        ("GB", "12-14 Lanternfield Wharf, Leeds", ("12-14", "Lanternfield Wharf", "Leeds")),
        ("GB", "12b, Lanternfield Wharf, Leeds", ("12b", "Lanternfield Wharf", "Leeds")),
        ("DE", "Speicherufer 8, 10999 Berlin", ("8", "Speicherufer", "Berlin")),
        ("DE", "Speicherufer 8a 10999 Berlin", ("8a", "Speicherufer", "Berlin")),
        ("DE", "Speicherufer 8 Berlin", ("8", "Speicherufer", "Berlin")),
        (
            "FR",
            "21 bis Rue du Faubourg Saint-Aubin, 69002 Lyon",
            ("21 bis", "Rue du Faubourg Saint-Aubin", "Lyon"),
        ),
        ("US", "33 Printers Row, Boston, MA 02118", ("33", "Printers Row", "Boston")),
        ("US", "10999 Main St, Boston", ("10999", "Main St", "Boston")),
        ("CA", "240 Laketide Avenue, Toronto, ON M5V 0Z1", ("240", "Laketide Avenue", "Toronto")),
        ("AU", "15 Heronry Parade, Sydney NSW 2000", ("15", "Heronry Parade", "Sydney")),
        ("AU", "2000 George Street, Sydney", ("2000", "George Street", "Sydney")),
    ],
)
def test_a_line_has_its_parts_where_the_country_writes_them(country, line, parts):
    (found,) = read_line(line, country)
    assert (found.house_number, found.street, found.city) == parts


@pytest.mark.parametrize(
    ("country", "line", "postcode", "region"),
    [
        ("GB", "12 Lanternfield Wharf, Leeds, West Yorkshire, ls14zz", "LS14ZZ", "West Yorkshire"),
        ("DE", "Speicherufer 8, 10999 Berlin", "10999", ""),
        ("US", "33 Printers Row, Boston, MA 02118-1234", "02118-1234", "MA"),
        ("CA", "240 Laketide Avenue, Toronto on m5v 0z1", "M5V 0Z1", "ON"),
        ("AU", "15 Heronry Parade, Sydney NSW 2000", "2000", "NSW"),
    ],
)
def test_postcode_and_region_are_told_apart_from_the_town(country, line, postcode, region):
    (found,) = read_line(line, country)
    assert (found.postcode, found.region) == (postcode, region)
    assert found.is_whole


@pytest.mark.parametrize(
    ("country", "line", "building", "rest"),
    [
        ("GB", "Flat 3, 12 Lanternfield Wharf, Leeds LS1 4ZZ", "Flat 3", "12 Lanternfield Wharf"),
        ("GB", "12 Lanternfield Wharf, Flat 3, Leeds LS1 4ZZ", "Flat 3", "12 Lanternfield Wharf"),
        ("GB", "flat 3b 12 Lanternfield Wharf, Leeds", "flat 3b", "12 Lanternfield Wharf"),
        (
            "GB",
            "Flat 3, Wharf House, 12 Lanternfield Wharf, Leeds",
            "Flat 3, Wharf House",
            "12 Lanternfield Wharf",
        ),
        ("GB", "2nd floor, 12 Lanternfield Wharf, Leeds", "2nd floor", "12 Lanternfield Wharf"),
        ("US", "33 Printers Row Apt. 4B, Boston, MA 02118", "Apt. 4B", "33 Printers Row"),
        ("US", "33 Printers Row #4, Boston, MA 02118", "#4", "33 Printers Row"),
        ("DE", "Speicherufer 8, 3. OG, 10999 Berlin", "3. OG", "8 Speicherufer"),
        ("DE", "Speicherufer 8, Whg. 12, 10999 Berlin", "Whg. 12", "8 Speicherufer"),
        ("FR", "4 rue du Port, appt 12, 69002 Lyon", "appt 12", "4 rue du Port"),
        ("GB", "12 Flat Street, Leeds", "", "12 Flat Street"),
        ("GB", "Unit Road 5, Leeds", "", "5 Unit Road"),
        ("GB", "12 Level 3 Road, Leeds", "", "12 Level 3 Road"),
    ],
)
def test_a_flat_or_a_floor_is_part_of_the_building_and_no_street(country, line, building, rest):
    (found,) = read_line(line, country)
    assert (found.building, f"{found.house_number} {found.street}") == (building, rest)
    assert found.city in {"Leeds", "Boston", "Berlin", "Lyon"}


def test_a_flat_alone_is_no_address():
    assert read_line("Flat 3", "GB") == []


def test_a_building_may_stand_in_front():
    (found,) = read_line("Wharf House, 12 Lanternfield Wharf, Leeds LS1 4ZZ", "GB")
    assert (found.building, found.house_number) == ("Wharf House", "12")


def test_without_a_comma_the_town_may_be_any_of_the_last_words():
    found = read_line("12 lanternfield wharf leeds ls1 4zz", "GB")
    assert [(p.street, p.city) for p in found] == [
        ("lanternfield wharf leeds", ""),
        ("lanternfield wharf", "leeds"),
        ("lanternfield", "wharf leeds"),
    ]
    assert {p.postcode for p in found} == {"LS1 4ZZ"}
    assert not found[0].is_whole


@pytest.mark.parametrize("line", ["", "12", "Leeds", "LS1 4ZZ", ",,,", "   \n  ", "12 , Leeds"])
def test_without_a_house_number_and_a_street_there_is_nothing_to_look_for(line):
    assert read_line(line, "GB") == []


@pytest.mark.parametrize("country", sorted(FORMS))
def test_the_example_of_each_country_is_read_as_it_is_meant(country):
    examples = {field.name: field.example for field in FORMS[country]}
    (found,) = read_line(line_example(country), country)
    for name in ("house_number", "street", "city", "postcode"):
        assert getattr(found, name) == examples[name], (country, name)


@pytest.mark.parametrize(
    "line", ["9" * 500, "a" * 500 + " 1", "(((", "\\d+ [x", "\u202e12 x, y", "１２ x"]
)
def test_no_line_is_too_odd(line):
    assert isinstance(read_line(line, "GB"), list)


def segment(street, city="Leeds", postcode="LS1 4ZZ", first=1, last=40, country="GB"):
    return Segment(street, first, last, "all", city, "", postcode, country, "Leeds")


STREETS = [
    segment("Lanternfield Wharf"),
    segment("Lanternfield Wharf", city="Hull", postcode="HU1 1ZZ"),
    segment("Lantern Road", postcode="LS7 6ZZ"),
    segment("Tern Street", postcode="LS2 2ZZ"),
    segment("Lanternfield Wharf", first=100, last=140, postcode="LS1 5ZZ"),
    segment("Lanternfield Wharf", country="IE"),
]


def found_for(**parts):
    typed = AddressParts(house_number="12", **parts)
    return [a.one_line for a in likeliest(suggest(typed, STREETS, "GB"))]


def test_the_street_that_is_meant_comes_first_and_one_elsewhere_after_it():
    assert found_for(street="lanternfield wharf", city="leeds") == [
        "12 Lanternfield Wharf, Leeds LS1 4ZZ",
        "12 Lanternfield Wharf, Hull HU1 1ZZ",
    ]
    first, *_ = found_for(street="lanternfield wharf", city="hull")
    assert first == "12 Lanternfield Wharf, Hull HU1 1ZZ"


def test_a_street_that_is_only_begun_is_found():
    assert "12 Lanternfield Wharf, Leeds LS1 4ZZ" in found_for(street="lanternf", city="Leeds")


def test_a_postcode_that_is_typed_tells_streets_apart():
    first, *_ = found_for(street="lantern", postcode="LS7 6ZZ")
    assert first == "12 Lantern Road, Leeds LS7 6ZZ"


def test_a_house_number_that_a_street_has_not_is_not_offered():
    assert list(suggest(AddressParts("77", "Lanternfield Wharf", "Leeds"), STREETS, "GB")) == []


def test_nothing_alike_is_nothing():
    assert found_for(street="Quarry Hill", city="Leeds") == []
    assert likeliest([]) == []
