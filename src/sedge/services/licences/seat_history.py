"""How many seats of each product were granted at the end of each of the last months."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, or_, select

from sedge.services.context import Context
from sedge.store.schema import tables

MONTHS = 12


@dataclass(frozen=True)
class SeatHistory:
    """`granted` has a count for each of `moments`, oldest first; the last is now."""

    moments: list[datetime]
    granted: list[int]


def seat_histories(context: Context) -> dict[str, SeatHistory]:
    """By product; only those of which something was ever granted. Remembered until something
    changes, an hour at most."""
    return context.installation.while_unchanged(
        context, "seat histories", lambda: _counted(context), minutes=60
    )


def _counted(context: Context) -> dict[str, SeatHistory]:
    moments = [*_month_begins(context.now()), context.now()]
    found: dict[str, list[int]] = {}
    grant = tables.grant
    with context.reading() as reading:
        for i, moment in enumerate(moments):
            query = (
                select(grant.c.product, func.count())
                .where(
                    grant.c.since <= moment,
                    or_(grant.c.until.is_(None), grant.c.until > moment),
                )
                .group_by(grant.c.product)
            )
            for product, count in reading.connection.execute(query):
                found.setdefault(product, [0] * len(moments))[i] = count
    return {product: SeatHistory(moments, counts) for product, counts in found.items()}


def _month_begins(now: datetime) -> list[datetime]:
    """The first moments of the last `MONTHS` months, oldest first."""
    first = now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    months = [first.year * 12 + first.month - 1 - back for back in range(MONTHS - 1, -1, -1)]
    return [first.replace(year=month // 12, month=month % 12 + 1) for month in months]
