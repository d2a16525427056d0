"""Moments in words: in the time zone of the organisation's home country, the only place where the
core tells local time."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sedge.core.facts import counted
from sedge.core.numbers.plan import COUNTRIES


def clock(moment: datetime, now: datetime, home: str = "GB") -> str:
    """`11:20` on the same day, else `24 Nov 11:20`, in the home country's time zone."""
    zone = ZoneInfo(COUNTRIES[home].timezone)
    local, today = moment.astimezone(zone), now.astimezone(zone)
    return f"{local:%H:%M}" if local.date() == today.date() else f"{local:%-d %b %H:%M}"


def lasting(span: timedelta) -> str:
    """How long something takes, as people say it: minutes, or hours from two on."""
    minutes = max(1, round(span.total_seconds() / 60))
    return counted(minutes, "minute") if minutes < 120 else f"{round(minutes / 60)} hours"
