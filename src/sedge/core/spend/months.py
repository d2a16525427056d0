"""Months of bills, and money shared out so that its parts add up."""

import calendar
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import ROUND_HALF_UP, Decimal
from typing import Self

from sedge.core.errors import NotUnderstood
from sedge.core.facts import digits_of

WRITTEN = re.compile(r"(\d{4})-(\d{2})", re.ASCII)


@dataclass(frozen=True, order=True)
class Month:
    """A calendar month in UTC, in which carriers bill."""

    year: int
    month: int

    @classmethod
    def of(cls, moment: datetime | date) -> Self:
        if isinstance(moment, datetime):
            moment = moment.astimezone(UTC).date()
        return cls(moment.year, moment.month)

    @classmethod
    def read(cls, text: str, field: str = "month") -> Self:
        """`2026-11`. Raises NotUnderstood."""
        found = WRITTEN.fullmatch(text.strip())
        if not found or not 1 <= int(found[2]) <= 12 or not 2000 <= int(found[1]) <= 2200:
            message = f"“{text[:20]}” is no month: type one such as 2026-11."
            raise NotUnderstood(message, field=field, reason="month")
        return cls(int(found[1]), int(found[2]))

    def __str__(self) -> str:
        return f"{self.year}-{self.month:02d}"

    @property
    def name(self) -> str:
        return f"{self.first:%B %Y}"

    @property
    def days(self) -> int:
        return calendar.monthrange(self.year, self.month)[1]

    @property
    def first(self) -> date:
        return date(self.year, self.month, 1)

    @property
    def last(self) -> date:
        return date(self.year, self.month, self.days)

    @property
    def starts(self) -> datetime:
        return datetime(self.year, self.month, 1, tzinfo=UTC)

    @property
    def ends(self) -> datetime:
        return self.later(1).starts

    def later(self, months: int) -> "Month":
        count = self.year * 12 + self.month - 1 + months
        return Month(count // 12, count % 12 + 1)

    def __contains__(self, moment: object) -> bool:
        return isinstance(moment, datetime) and self.starts <= moment < self.ends


def to_minor_unit(amount: Decimal, currency: str) -> Decimal:
    """Rounded half up to the currency's minor unit (ISO 4217)."""
    return amount.quantize(Decimal(1).scaleb(-digits_of(currency)), ROUND_HALF_UP)


def days_within(since: datetime, until: datetime | None, month: Month) -> int:
    """Days of a month that something lasted, each counted for whoever had it at the day's end."""
    begins = max(since, month.starts)
    ends = min(until or month.ends, month.ends)
    if ends <= begins:
        return 0
    return _nights(ends) - _nights(begins)


def _nights(moment: datetime) -> int:
    midnight = moment.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    return midnight.toordinal()


def shared_out(total: Decimal, weights: Sequence[int | Decimal], currency: str) -> list[Decimal]:
    """A total in the currency's minor unit, shared by weights so that the parts add up to it: the
    largest remainders get the units left over (Hamilton's method). With no weight at all the first
    part gets everything."""
    if not weights:
        return []
    unit = Decimal(1).scaleb(-digits_of(currency))
    whole = sum((Decimal(w) for w in weights), Decimal(0))
    if not whole:
        return [total, *(Decimal(0) for _ in weights[1:])]
    exact = [total * Decimal(w) / whole for w in weights]
    sign = -1 if total < 0 else 1
    parts = [(abs(part) // unit) * unit for part in exact]
    left = int((abs(total) - sum(parts, Decimal(0))) / unit)
    order = sorted(range(len(parts)), key=lambda i: (parts[i] - abs(exact[i]), i))
    for i in order[:left]:
        parts[i] += unit
    return [sign * part for part in parts]


def last_months(now: datetime, count: int) -> list[Month]:
    """The last months, oldest first; the one of `now` is the last."""
    this = Month.of(now)
    return [this.later(-back) for back in range(count - 1, -1, -1)]
