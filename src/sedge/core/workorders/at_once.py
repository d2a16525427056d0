"""Which work orders may run from the form they were asked for in, and which are reviewed first."""

from collections.abc import Sequence
from enum import StrEnum

from sedge.core.workorders.checks import Costs, Report
from sedge.core.workorders.task_base import Task


class Review(StrEnum):
    """Why a work order is looked at before it runs."""

    STOPPED = "a check stops it"
    WARNED = "a check warns"
    SPENDS = "it changes what is paid"
    FOR_GOOD = "it can't be undone"
    ASKS_AGAIN = "it asks who you are"
    OVERLAPS = "another work order concerns the same"


def review_needed(
    tasks: Sequence[Task], report: Report, costs: Costs, *, overlaps: bool = False
) -> Review | None:
    """The first reason to look before it runs; None for what passes every check, costs nothing more
    or less and can be undone."""
    spends = any(m.amount for m in (*costs.monthly.values(), *costs.once.values()))
    reasons = {
        Review.STOPPED: bool(report.stops),
        Review.WARNED: bool(report.warnings),
        Review.SPENDS: spends or bool(costs.later),
        Review.FOR_GOOD: any(task.for_good for task in tasks),
        Review.ASKS_AGAIN: any(task.asks_again for task in tasks),
        Review.OVERLAPS: overlaps,
    }
    return next((reason for reason, holds in reasons.items() if holds), None)
