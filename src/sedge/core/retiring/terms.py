"""What each way of retiring a number costs and from when it saves: notice, minimum term, rest.

A number is paid for until its notice has run and its minimum term is over, whichever is later (the
carriers' agreements).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from sedge.core.facts import Money
from sedge.core.records import Carrier, Number

DAYS_OF_A_YEAR, DAYS_OF_A_MONTH = 365, Decimal("30.4375")  # the mean month of the Gregorian year
# after the end of a contract a number can still be ported (Directive (EU) 2018/1972, Article 106)
PORTABLE_DAYS = 30


@dataclass(frozen=True)
class Choice:
    """One way: `paid_until` the last day that is paid for (None: for ever), `costs` all that is
    paid from today on within a year, `saves` what is not paid within that year, `why` how the day
    comes about."""

    key: str
    name: str
    gone_on: date | None
    paid_until: date | None
    costs: Money
    saves: Money
    why: tuple[str, ...]


def choices(number: Number, carrier: Carrier, today: date, rest_days: int) -> list[Choice]:
    """Release now, release after a rest, keep after a rest; the cheapest is not always the best:
    callers go on calling for weeks."""
    rested = today + timedelta(days=rest_days)
    return [
        _released("release", "Release it now", number, carrier, today, today, ()),
        _released(
            "rest",
            "Let it rest, then release it",
            number,
            carrier,
            today,
            rested,
            (f"It rests {rest_days} days, until {_day(rested)}",),
        ),
        Choice(
            "keep",
            "Let it rest and keep it",
            None,
            None,
            number.monthly.times(12).rounded(),
            number.monthly.times(0).rounded(),
            (
                f"It rests {rest_days} days and is free from {_day(rested)}",
                "It goes on costing the same",
            ),
        ),
    ]


def _released(
    key: str,
    name: str,
    number: Number,
    carrier: Carrier,
    today: date,
    on: date,
    why: tuple[str, ...],
) -> Choice:
    until, reasons = paid_until(number, carrier, on)
    reasons = (
        *why,
        *reasons,
        f"It can be ported for {PORTABLE_DAYS} days more; after that it is lost",
    )
    days = min((until - today).days, DAYS_OF_A_YEAR)
    a_day = Decimal(1) / DAYS_OF_A_MONTH
    costs = number.monthly.times(a_day * days).rounded()
    saves = number.monthly.times(a_day * (DAYS_OF_A_YEAR - days)).rounded()
    return Choice(key, name, on, until, costs, saves, reasons)


def paid_until(number: Number, carrier: Carrier, released: date) -> tuple[date, tuple[str, ...]]:
    """The last day that is paid for a number released on a day, and why."""
    noticed = released + timedelta(days=carrier.notice_days)
    reasons = (
        [f"{carrier.name} has {carrier.notice_days} days of notice: until {_day(noticed)}"]
        if carrier.notice_days
        else [f"{carrier.name} asks no notice"]
    )
    if number.bound_until and number.bound_until > noticed:
        reasons.append(
            f"Its minimum term runs until {_day(number.bound_until)}, and is paid to its end"
        )
        return number.bound_until, tuple(reasons)
    if number.bound_until and number.bound_until > released:
        reasons.append(f"Its minimum term ends before that, on {_day(number.bound_until)}")
    return noticed, tuple(reasons)


@dataclass(frozen=True)
class Sum:
    """Money of many numbers under one choice, a line for each currency; `last` the last day that
    anything is paid."""

    key: str
    name: str
    costs: tuple[Money, ...]
    saves: tuple[Money, ...]
    last: date | None


def sums(of_each: Sequence[Sequence[Choice]]) -> list[Sum]:
    """Each choice over all numbers, in the order of the first number's."""
    found: list[Sum] = []
    for i, first in enumerate(of_each[0] if of_each else ()):
        column = [each[i] for each in of_each]
        days = [c.paid_until for c in column if c.paid_until]
        found.append(
            Sum(
                first.key,
                first.name,
                _together([c.costs for c in column]),
                _together([c.saves for c in column]),
                max(days, default=None),
            )
        )
    return found


def _together(amounts: Sequence[Money]) -> tuple[Money, ...]:
    by: dict[str, Decimal] = {}
    for m in amounts:
        by[m.currency] = by.get(m.currency, Decimal(0)) + m.amount
    return tuple(
        Money(amount=amount, currency=currency).rounded() for currency, amount in sorted(by.items())
    )


def _day(day: date) -> str:
    return f"{day.day} {day:%B %Y}"
