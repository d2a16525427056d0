"""Moments in words, in the time zone of the organisation's home country; times of day as people
type them."""

import re
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from babel.dates import format_timedelta

from sedge.core.errors import NotUnderstood
from sedge.core.facts import ENGLISH
from sedge.core.numbers.plan import COUNTRIES

TIME_OF_DAY = re.compile(
    r"(?P<hour>\d{1,2})(?:[:.h ]?(?P<minute>\d{2}))?\s*(?:h|uhr)?\s*(?P<half>[ap]\.?m\.?)?",
    re.ASCII,
)
NAMED_TIMES = {"midnight": "00:00", "noon": "12:00", "midday": "12:00"}


def read_time_of_day(text: str, field: str) -> str:
    """A time of day as typed, `9`, `9.30`, `0930`, `5pm`, `17 Uhr`, `noon`, as `HH:MM`; `24:00` is
    the end of the day. Raises NotUnderstood naming the field."""
    typed = text.strip().lower()
    if typed in NAMED_TIMES:
        return NAMED_TIMES[typed]
    found = TIME_OF_DAY.fullmatch(typed)
    hour, minute = (int(found["hour"]), int(found["minute"] or 0)) if found else (99, 0)
    if found and found["half"]:
        is_half = 1 <= hour <= 12
        hour = hour % 12 + (12 if found["half"][0] == "p" else 0) if is_half else 99
    if minute > 59 or hour * 60 + minute > 24 * 60:
        raise NotUnderstood(
            "Type the time as 09:00, 9.30 or 5pm. An end before the start is on the next day.",
            field=field,
        )
    return f"{hour:02d}:{minute:02d}"


def local_moment(typed: datetime, zone: ZoneInfo, now: datetime, field: str) -> datetime:
    """A moment as typed; without an offset it is local. Of an hour that comes twice it is the first
    that is not over by `now`, to the minute, else the second. Raises NotUnderstood for one that the
    clocks leave out."""
    if typed.tzinfo is not None:
        return typed.astimezone(zone)
    first, second = (typed.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
    if first.utcoffset() == second.utcoffset():
        return first
    if first.astimezone(UTC).astimezone(zone).replace(tzinfo=None, fold=0) != typed:
        message = f"{typed:%H:%M} does not exist on {typed:%Y-%m-%d}: the clocks go forward."
        raise NotUnderstood(message, field=field, reason="no-such-hour")
    minute = now.astimezone(UTC).replace(second=0, microsecond=0)
    return first if first.astimezone(UTC) >= minute else second


def clock(moment: datetime, now: datetime, home: str = "GB") -> str:
    """`11:20` on the same day, else `24 Nov 11:20`, in the home country's time zone."""
    zone = ZoneInfo(COUNTRIES[home].timezone)
    local, today = moment.astimezone(zone), now.astimezone(zone)
    return f"{local:%H:%M}" if local.date() == today.date() else f"{local:%-d %b %H:%M}"


def lasting(span: timedelta) -> str:
    """How long something takes, as people say it: minutes, or hours and days from two on."""
    at_least = max(span, timedelta(minutes=1))
    return format_timedelta(at_least, granularity="minute", threshold=2, locale=ENGLISH)


def away(then: datetime, now: datetime) -> str:
    """`5 min ago`, `in 5 min`: for moments within an hour."""
    distance = max(abs(then - now), timedelta(minutes=1))
    return format_timedelta(
        distance if then > now else -distance,
        granularity="minute",
        threshold=60,
        add_direction=True,
        format="short",
        locale=ENGLISH,
    )
