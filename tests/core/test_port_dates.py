"""The earliest day of a port, against a table made by hand from the published calendars of public
holidays."""

import csv
from datetime import UTC, date, datetime, time
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.porting.dates import Blackout, Size, earliest, no_working_day, refused_day, size_of
from sedge.core.porting.lead_times import LEADS

CASES = list(
    csv.DictReader((Path(__file__).parent / "data" / "port_dates.csv").read_text().splitlines())
)


def local(country, text):
    return datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(COUNTRIES[country].timezone))


def test_the_table_is_of_sixty_cases_over_five_countries_and_two_years():
    assert len(CASES) >= 60
    assert {c["country"] for c in CASES} == set(LEADS)
    assert {c["submitted"][:4] for c in CASES} == {"2026", "2027"}


@pytest.mark.parametrize(
    "case", CASES, ids=lambda c: f"{c['country']}{c['subdivision']} {c['submitted']} {c['numbers']}"
)
def test_the_earliest_day_is_the_tables(case):
    found = earliest(
        case["country"],
        local(case["country"], case["submitted"]),
        subdivision=case["subdivision"],
        numbers=int(case["numbers"]),
        sites=int(case["sites"]),
        toll_free=bool(case["kind"]),
    )
    assert found.day.isoformat() == case["earliest"], found.reasons


def test_every_reason_is_told_in_order():
    found = earliest("GB", local("GB", "2026-12-23T09:00"), subdivision="ENG", numbers=40)
    assert [r.split(":")[0] for r in found.reasons] == [
        "Asked for on Wednesday 23 December 2026 at 09",
        "40 numbers are a complex port",
        "Friday 25 December 2026 doesn't count",
        "Monday 28 December 2026 doesn't count",
        "Friday 1 January 2027 doesn't count",
        "Numbers are switched between 10",
    ]
    assert (found.opens, found.closes, found.size, found.lead) == (
        time(10),
        time(16),
        Size.COMPLEX,
        15,
    )
    assert found.moment == datetime(2027, 1, 18, 10, tzinfo=UTC)


def test_days_that_are_kept_free_are_passed_over_and_said():
    free = [
        Blackout(date(2026, 4, 10), date(2026, 4, 12), "the gallery moves"),
        Blackout(date(2026, 4, 13), date(2026, 4, 13), "stock taking"),
    ]
    found = earliest("GB", local("GB", "2026-03-30T10:00"), subdivision="ENG", blackouts=free)
    assert found.day == date(2026, 4, 14)
    assert [r for r in found.reasons if "kept free" in r] == [
        "Friday 10 April 2026 is kept free: the gallery moves",
        "Monday 13 April 2026 is kept free: stock taking",
    ]
    with pytest.raises(NotUnderstood, match="Every day"):
        earliest(
            "GB",
            local("GB", "2026-03-30T10:00"),
            blackouts=[Blackout(date(2026, 1, 1), date(2029, 1, 1), "closed")],
        )


def test_a_country_without_a_table_says_so():
    with pytest.raises(NotUnderstood, match="Australia"):
        earliest("AU", datetime(2026, 3, 2, tzinfo=UTC))


@pytest.mark.parametrize(
    ("at", "why"),
    [
        ("2026-12-25T11:00", "Christmas Day"),
        ("2026-12-26T11:00", "weekend"),
        ("2026-12-22T17:30", "between 10:00 and 16:00"),
        ("2026-12-23T11:00", "kept free: stock taking"),
        ("2026-12-22T11:00", ""),
        ("2026-12-22T16:00", ""),
    ],
)
def test_a_moment_that_is_named_is_refused_with_the_reason(at, why):
    said = refused_day(
        "GB",
        "ENG",
        local("GB", at),
        [Blackout(date(2026, 12, 23), date(2026, 12, 23), "stock taking")],
    )
    assert (why in said) if why else said == ""


@given(
    st.sampled_from(sorted(LEADS)), st.integers(0, 700_000), st.integers(1, 300), st.integers(1, 3)
)
def test_the_day_is_a_working_one_and_waiting_never_makes_it_earlier(
    country, minutes, numbers, sites
):
    at = datetime(2026, 1, 1, tzinfo=UTC).timestamp() + 60 * minutes
    first, later = (datetime.fromtimestamp(at + more, UTC) for more in (0, 26 * 3600))
    found = earliest(country, first, numbers=numbers, sites=sites)
    assert no_working_day(found.day, country) == ""
    assert found.day_zero >= first.astimezone(ZoneInfo(found.timezone)).date()
    assert earliest(country, later, numbers=numbers, sites=sites).day >= found.day
    assert found.size is size_of(country, numbers, sites)
