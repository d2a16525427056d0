"""Times of day as people type them, and moments as they say them."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sedge.core.errors import NotUnderstood
from sedge.core.moments import away, clock, lasting, local_moment, read_time_of_day

NOON = datetime(2026, 11, 24, 12, tzinfo=UTC)


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("9", "09:00"),
        ("09", "09:00"),
        ("9:30", "09:30"),
        ("9.30", "09:30"),
        ("17.30", "17:30"),
        ("0930", "09:30"),
        ("930", "09:30"),
        ("5pm", "17:00"),
        ("5 PM", "17:00"),
        ("5 p.m.", "17:00"),
        ("5:45pm", "17:45"),
        ("12am", "00:00"),
        ("12pm", "12:00"),
        ("12:30 am", "00:30"),
        ("17 Uhr", "17:00"),
        ("17h", "17:00"),
        ("17h30", "17:30"),
        ("noon", "12:00"),
        (" Midnight ", "00:00"),
        ("24:00", "24:00"),
        ("00:00", "00:00"),
    ],
)
def test_a_time_is_read_as_people_type_it(typed, read):
    assert read_time_of_day(typed, "from1") == read


@pytest.mark.parametrize(
    "typed",
    ["", "nine", "25:00", "24:01", "9:60", "13pm", "0am", "9:3", "-9", "٩", "9:30:15", "9am-5pm"],
)
def test_what_is_no_time_is_refused_beside_its_field(typed):
    with pytest.raises(NotUnderstood, match="Type the time as") as refused:
        read_time_of_day(typed, "from1")
    assert refused.value.field == "from1"


@given(st.integers(0, 23), st.integers(0, 59))
def test_however_a_time_is_written_it_is_the_same_time(hour, minute):
    half = "am" if hour < 12 else "pm"
    written = (
        f"{hour}:{minute:02d}",
        f"{hour:02d}.{minute:02d}",
        f"{hour:02d}{minute:02d}",
        f"{hour}h{minute:02d}",
        f"{(hour - 1) % 12 + 1}:{minute:02d} {half}",
    )
    assert {read_time_of_day(text, "from") for text in written} == {f"{hour:02d}:{minute:02d}"}


@given(st.text(max_size=12))
def test_whatever_is_typed_is_a_time_or_refused(text):
    try:
        read = read_time_of_day(text, "from")
    except NotUnderstood:
        return
    assert "00:00" <= read <= "24:00"
    assert len(read) == 5


def test_a_moment_of_today_has_no_date():
    assert clock(NOON, NOON) == "12:00"
    assert clock(NOON - timedelta(days=1), NOON) == "23 Nov 12:00"
    assert clock(NOON, NOON, home="DE") == "13:00"


@pytest.mark.parametrize(
    ("span", "words"),
    [
        (timedelta(seconds=4), "1 minute"),
        (timedelta(minutes=5), "5 minutes"),
        (timedelta(hours=3), "3 hours"),
        (timedelta(days=2), "2 days"),
    ],
)
def test_how_long_something_takes(span, words):
    assert lasting(span) == words


def test_how_far_away_a_moment_is():
    assert away(NOON, NOON + timedelta(minutes=5)) == "5 min ago"
    assert away(NOON + timedelta(minutes=5), NOON) == "in 5 min"


LONDON = ZoneInfo("Europe/London")


@pytest.mark.parametrize(
    ("typed", "now", "is_"),
    [
        ("2026-11-24T09:30", "2026-11-24T12:00", "2026-11-24T09:30"),
        ("2026-07-01T09:30", "2026-11-24T12:00", "2026-07-01T08:30"),
        ("2026-10-25T01:21", "2026-10-24T12:00", "2026-10-25T00:21"),
        ("2026-10-25T01:21", "2026-10-25T00:21:40", "2026-10-25T00:21"),
        ("2026-10-25T01:21", "2026-10-25T00:22", "2026-10-25T01:21"),
        ("2026-10-25T01:21", "2026-10-25T01:21:30", "2026-10-25T01:21"),
        ("2026-10-25T01:21", "2026-11-24T12:00", "2026-10-25T01:21"),
        ("2026-10-25T01:21+01:00", "2026-11-24T12:00", "2026-10-25T00:21"),
    ],
)
def test_a_local_time_is_one_moment(typed, now, is_):
    found = local_moment(
        datetime.fromisoformat(typed), LONDON, datetime.fromisoformat(f"{now}+00:00"), "at"
    )
    assert found.astimezone(UTC) == datetime.fromisoformat(f"{is_}+00:00")


def test_a_time_that_the_clocks_leave_out_is_refused():
    typed, now = datetime(2026, 3, 29, 1, 30), datetime(2026, 3, 1, tzinfo=UTC)  # noqa: DTZ001
    with pytest.raises(NotUnderstood, match="01:30 does not exist on 2026-03-29") as refused:
        local_moment(typed, LONDON, now, "at")
    assert (refused.value.field, refused.value.reason) == ("at", "no-such-hour")
