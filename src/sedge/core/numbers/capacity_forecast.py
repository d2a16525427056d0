"""Figures of an estate: utilisation, longest free run, months to exhaustion (47 CFR 52.15(f)(4),
(g))."""

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from sedge.core.numbers.life import ENDED, State
from sedge.core.numbers.ranges import NumberSet

MONTH_DAYS = Fraction(182, 6)


@dataclass(frozen=True)
class Figures:
    """`utilisation` is assigned ÷ all in inventory, 0 to 1; `free_run` the longest run of available
    numbers."""

    total: int
    by_state: Mapping[State, int]
    utilisation: float
    free_run: int


def figures(states: Mapping[int, State]) -> Figures:
    """From E.164 integers and their states; ended lives don't count."""
    held = {number: state for number, state in states.items() if state not in ENDED}
    count = Counter(held.values())
    run = NumberSet.of(n for n, s in held.items() if s is State.AVAILABLE).longest_run()
    return Figures(
        total=len(held),
        by_state=dict(count),
        utilisation=count[State.ASSIGNED] / len(held) if held else 0.0,
        free_run=len(run) if run else 0,
    )


@dataclass(frozen=True)
class Exhaustion:
    """Months until nothing is available, with the range that the months' own spread allows; None:
    not in sight."""

    months: float | None
    soonest: float | None
    latest: float | None
    monthly_demand: float


def months_to_exhaustion(available: int, net_by_month: Sequence[int]) -> Exhaustion:
    """`net_by_month` holds assignments less returns of each of the last 6 months, oldest first."""
    if not net_by_month:
        return Exhaustion(None, None, None, 0.0)
    mean = sum(net_by_month) / len(net_by_month)
    if mean <= 0:
        return Exhaustion(None, None, None, mean)
    spread = math.sqrt(
        sum((m - mean) ** 2 for m in net_by_month) / max(1, len(net_by_month) - 1)
    ) / math.sqrt(len(net_by_month))
    slow = mean - spread
    return Exhaustion(
        available / mean, available / (mean + spread), available / slow if slow > 0 else None, mean
    )


PACE_FROM = 2


def is_a_pace(net_by_month: Sequence[int]) -> bool:
    """Whether the months say how fast numbers go: one month with a change in it is a beginning, and
    no pace."""
    return sum(1 for net in net_by_month if net) >= PACE_FROM


@dataclass(frozen=True)
class Advice:
    """How many numbers to order now, with everything it was worked out from. `order` is 0 where
    enough is there.

    `cover_months` is the carrier's lead time and three months on top; `need` what will be wanted
    until then.
    """

    monthly_demand: float
    lead_days: float
    cover_months: float
    need: int
    available: int
    on_order: int
    out_of_rest: int
    multiple: int
    order: int


COVER_MONTHS = 3


def order_advice(
    monthly_demand: float,
    *,
    lead_days: float,
    available: int,
    on_order: int,
    out_of_rest: int,
    multiple: int = 1,
) -> Advice:
    """Demand over the carrier's lead time and 3 months, less what is there or coming, rounded up to
    what the carrier sells.

    `out_of_rest` counts resting numbers whose rest ends within that time. No demand, or a falling
    one, asks for nothing.
    """
    months = lead_days / float(MONTH_DAYS) + COVER_MONTHS
    need = math.ceil(max(0.0, monthly_demand) * months)
    short = max(0, need - available - on_order - out_of_rest)
    order = -(-short // max(1, multiple)) * max(1, multiple)
    return Advice(
        monthly_demand, lead_days, months, need, available, on_order, out_of_rest, multiple, order
    )
