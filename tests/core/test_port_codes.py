"""The code that each number has in some countries, and the parts of countries whose holidays
count."""

from datetime import date

import pytest

from sedge.core.errors import NotUnderstood
from sedge.core.porting.dates import holiday_parts, no_working_day, part_of, usual_subdivision
from sedge.core.porting.lead_times import LEADS
from tests.asserting import every


@pytest.mark.parametrize(
    ("code", "length"),
    [
        ("01P101QUAI3Z", 0),
        ("01 p 101-quai3z", 0),
        ("01P101QUAI3", 11),
        ("01P101QUAI3ZZ", 13),
        ("", 0),
        ("---", 0),
    ],
)
def test_a_code_is_measured_by_its_letters_and_digits(code, length):
    said = LEADS["FR"].code_problem(code)
    assert said == (f"a RIO has 12 letters and digits, this one has {length}." if length else said)
    assert bool(said) == (sum(map(str.isalnum, code)) != 12)


@pytest.mark.parametrize("country", ["GB", "DE", "US", "CA"])
def test_countries_without_codes_find_nothing_wrong_with_one(country):
    assert LEADS[country].code_problem("anything") == ""


def test_a_part_is_one_of_its_own_country():
    assert (part_of("GB", " sct "), part_of("FR", "57"), part_of("DE", ""), part_of("XX", "")) == (
        "SCT",
        "57",
        "",
        "",
    )
    for country, part, said in (
        ("DE", "ENG", "BW (Baden"),
        ("GB", "Zone A", "ENG (England)"),
        ("XX", "ENG", "XX has no parts"),
    ):
        with pytest.raises(NotUnderstood) as wrong:
            part_of(country, part)
        assert wrong.value.field == "subdivision"
        assert said in wrong.value.message


def test_parts_have_names_and_codes_that_fit_the_record():
    for country in ("GB", "DE", "FR", "US", "CA", "AU"):
        parts = holiday_parts(country)
        assert parts == sorted(parts, key=lambda part: part[1])
        assert every(1 <= len(code) <= 3 and name for code, name in parts), country
    assert ("SCT", "Scotland") in holiday_parts("GB")
    assert holiday_parts("XX") == []


def test_a_clock_tells_a_part_of_its_own_country_only():
    assert (usual_subdivision("GB", "Europe/London"), usual_subdivision("DE", "Europe/London")) == (
        "ENG",
        "",
    )


def test_a_part_that_nobody_knows_has_the_holidays_of_all():
    assert no_working_day(date(2026, 12, 25), "DE-ENG")
    assert no_working_day(date(2026, 11, 30), "GB-SCT")
    assert not no_working_day(date(2026, 11, 30), "GB-ENG")
