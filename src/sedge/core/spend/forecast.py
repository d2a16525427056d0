"""What a month will have cost by its end."""

from collections.abc import Sequence
from decimal import Decimal

ONE = Decimal(1)


def share_by(day: int, months: Sequence[Sequence[Decimal]]) -> Decimal | None:
    """The share of a whole month's money that was spent by the end of a day, in the mean of earlier
    months; each is its days' money from the 1st on. None where none of them has any."""
    shares = [
        sum(days[:day], Decimal(0)) / total for days in months if (total := sum(days, Decimal(0)))
    ]
    return sum(shares, Decimal(0)) / len(shares) if shares else None


def whole_month(so_far: Decimal, day: int, days: int, share: Decimal | None) -> Decimal:
    """What is spent in a month at the pace so far: by the share that earlier months had spent by
    now, or evenly by days where there are none."""
    part = share if share else Decimal(day) / days
    return so_far / max(min(part, ONE), Decimal(1) / days)
