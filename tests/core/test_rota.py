"""Who is on duty: the round, its hour of change, clock changes, swaps, what is told and rung
first."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from sedge.core.callpaths.rota import coming, on_duty
from sedge.core.callpaths.steps import Ring, Rota, Swap
from sedge.standins.following import on_duty as as_the_phones_do
from tests.conftest import NOW

LEEDS = ZoneInfo("Europe/London")
WEEKLY = Rota(begins=date(2026, 1, 5), timezone="Europe/London")  # a Monday
THREE = ("amara", "ifeoma", "piet")


def leeds(*moment):
    return datetime(*moment, tzinfo=LEEDS)


@pytest.mark.parametrize(
    ("at", "who"),
    [
        (leeds(2026, 1, 5, 7, 59), 2),
        (leeds(2026, 1, 5, 8), 0),
        (leeds(2026, 1, 12, 7, 59), 0),
        (leeds(2026, 1, 12, 8), 1),
        (leeds(2026, 1, 19, 8), 2),
        (leeds(2026, 1, 26, 8), 0),
        (leeds(2025, 12, 29, 8), 2),
        (leeds(2026, 3, 30, 7, 59), 2),
        (leeds(2026, 3, 30, 8), 0),
        (leeds(2026, 10, 26, 7, 59), 2),
    ],
)
def test_duty_goes_round_and_changes_at_its_hour_on_both_sides_of_the_clock_changes(at, who):
    assert on_duty(WEEKLY, THREE, at).who == who


def test_a_duty_says_from_when_until_when():
    duty = on_duty(WEEKLY, THREE, leeds(2026, 3, 27, 12))
    assert (duty.since, duty.until) == (leeds(2026, 3, 23, 8), leeds(2026, 3, 30, 8))
    assert duty.until - duty.since == timedelta(days=7)
    assert duty.until.astimezone(UTC) - duty.since.astimezone(UTC) == timedelta(days=7, hours=-1), (
        "the clocks go forward in it"
    )


def test_a_swap_takes_days_out_of_a_duty():
    swapped = WEEKLY.copy_with(
        swaps=(
            Swap(first=date(2026, 1, 7), last=date(2026, 1, 8), person="piet"),
            Swap(first=date(2026, 1, 7), last=date(2026, 1, 9), person="gone"),
        )
    )
    found = coming(swapped, THREE, leeds(2026, 1, 5, 9), 4)
    assert [(THREE[d.who], d.since.day, d.swapped) for d in found] == [
        ("amara", 5, False),
        ("piet", 7, True),
        ("amara", 9, False),
        ("ifeoma", 12, False),
    ]


def test_one_alone_is_always_on_duty_and_told_once():
    assert [d.who for d in coming(WEEKLY, ("amara",), leeds(2026, 1, 5, 9))] == [0]


def test_a_rota_needs_its_beginning_and_a_swap_an_order():
    with pytest.raises(ValidationError, match="the day on which the rota begins"):
        Ring(order="by rota")
    with pytest.raises(ValidationError, match="ends before it begins"):
        Swap(first=date(2026, 1, 8), last=date(2026, 1, 7), person="piet")


rotas = st.builds(
    Rota,
    begins=st.dates(date(2020, 1, 1), date(2030, 1, 1)),
    days=st.integers(1, 40),
    change=st.sampled_from(["00:00", "08:00", "17:30"]),
    timezone=st.sampled_from(["Europe/London", "America/New_York", "Australia/Sydney"]),
    swaps=st.lists(
        st.builds(
            Swap,
            first=st.just(date(2026, 3, 28)),
            last=st.just(date(2026, 4, 6)),
            person=st.sampled_from([*THREE, "gone"]),
        ),
        max_size=2,
    ).map(tuple),
)


moments = st.integers(-200_000, 400_000)  # minutes before and after


@given(rotas, moments, st.integers(1, 3))
def test_the_telephone_system_counts_the_same_and_duties_follow_each_other_without_a_gap(
    rota, moment, count
):
    at, keys = NOW + timedelta(minutes=moment), THREE[:count]
    assert on_duty(rota, keys, at).who == as_the_phones_do(
        rota.model_dump(mode="json"), list(keys), at
    )
    found = coming(rota, keys, at, 4)
    assert found[0].since <= at < found[0].until
    assert all(a.until == b.since for a, b in zip(found, found[1:], strict=False))
