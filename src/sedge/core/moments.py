"""Moments in words: in the time zone of the organisation's home country, the only place where the core tells local time."""

from datetime import datetime
from zoneinfo import ZoneInfo

from sedge.core.numbers.plan import COUNTRIES


def clock(moment: datetime, now: datetime, home: str = "GB") -> str:
    """`11:20` on the same day, else `24 Nov 11:20`, in the home country's time zone."""
    zone = ZoneInfo(COUNTRIES[home].timezone)
    local, today = moment.astimezone(zone), now.astimezone(zone)
    return f"{local:%H:%M}" if local.date() == today.date() else f"{local:%-d %b %H:%M}"
