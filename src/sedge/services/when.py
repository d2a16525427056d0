"""Moments as people type them, in the time zone of the organisation's home country."""

from datetime import datetime, time

from sedge.core.errors import NotUnderstood
from sedge.core.moments import local_moment
from sedge.services.context import Context


def moment_of(context: Context, text: str, field: str, *, at: time = time(0, 0)) -> datetime | None:
    """`2026-12-24` (then `at`) or `2026-12-24T22:00`, local; None for ''. Raises NotUnderstood
    naming the field."""
    typed = text.strip()
    if not typed:
        return None
    try:
        local = datetime.fromisoformat(typed)
    except ValueError as error:
        raise NotUnderstood(
            "Type the day as 2026-12-24, or with a time as 2026-12-24T22:00.", field=field
        ) from error
    if len(typed) <= 10:
        local = datetime.combine(local.date(), at)
    if not 2000 <= local.year <= 2200:
        raise NotUnderstood("Type a day of this century.", field=field)
    zone = context.installation.home_zone(context.who.organisation)
    return local if local.tzinfo else local_moment(local, zone, context.now(), field)
