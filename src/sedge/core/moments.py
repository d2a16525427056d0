"""Moments in words: in the time zone of the organisation's home country, the only place where the
core tells local time."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from babel.dates import format_timedelta

from sedge.core.facts import ENGLISH
from sedge.core.numbers.plan import COUNTRIES


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
