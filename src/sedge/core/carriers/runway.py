"""How long a prepaid balance lasts: what the numbers cost a month, taken on the first, and nothing
paid in meanwhile."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from sedge.core.facts import Money

MONTHS = 12


@dataclass(frozen=True)
class Runway:
    """`low_on` is the first day at or under the low mark, `empty_on` the first on which a charge is
    not covered, `suspended_on` when the carrier stops service after that; None where that lies
    beyond the months looked at. `steps` are the balances from today on, one for each charge."""

    monthly: Money
    low_on: date | None
    empty_on: date | None
    suspended_on: date | None
    steps: tuple[tuple[date, Decimal], ...]


def runway(
    balance: Money,
    low_mark: Money,
    monthly: Money,
    today: date,
    suspends_days: int,
    *,
    months: int = MONTHS,
) -> Runway:
    """The coming months of a prepaid account. Amounts are of one currency."""
    steps = [(today, balance.amount)]
    for day in _firsts(today, months):
        steps.append((day, steps[-1][1] - monthly.amount))
    low_on = next((day for day, left in steps if left <= low_mark.amount), None)
    empty_on = next((day for day, left in steps if left < 0), None)
    suspended_on = empty_on + timedelta(days=suspends_days) if empty_on else None
    return Runway(monthly, low_on, empty_on, suspended_on, tuple(steps))


def _firsts(after: date, count: int) -> Iterator[date]:
    """The first days of the months after a day."""
    day = after
    for _ in range(count):
        day = (day.replace(day=1) + timedelta(days=32)).replace(day=1)
        yield day
