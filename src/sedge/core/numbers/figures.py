"""Figures of an estate: utilisation, longest free run, months to exhaustion (47 CFR 52.15(f)(4), (g))."""

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
    """`utilisation` is assigned ÷ all in inventory, 0 to 1; `free_run` the longest run of available numbers."""

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
    """Months until nothing is available, with the range that the months' own spread allows; None: not in sight."""

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
    spread = math.sqrt(sum((m - mean) ** 2 for m in net_by_month) / max(1, len(net_by_month) - 1)) / math.sqrt(len(net_by_month))
    slow = mean - spread
    return Exhaustion(available / mean, available / (mean + spread), available / slow if slow > 0 else None, mean)
