"""Why not, and what would make it work: the fewest tasks, and of those the cheapest a month, that
leave no stop.

The search goes from one set of tasks to the next by the remedies of its first stop, the smallest
sets first; so the first set without a stop is the shortest that remedies lead to.
"""

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from sedge.core.estate import Estate
from sedge.core.workorders.checks import Report, check, replaced
from sedge.core.workorders.findings import Finding, Level, Remedy

MOST_TASKS, MOST_LOOKED_AT, MOST_WAYS = 8, 300, 4


@dataclass(frozen=True)
class WhyNot:
    """`findings` are all verdicts on the task alone. `tasks` is the shortest set that would make it
    work, the task among them; None where remedies lead nowhere: then `elsewhere` are the ways out
    that somebody must go first. `monthly` is by currency.
    """

    findings: list[Finding]
    tasks: list[Any] | None
    monthly: dict[str, Decimal] = field(default_factory=dict)
    elsewhere: list[Remedy] = field(default_factory=list)

    @property
    def works_already(self) -> bool:
        return not any(f.level is Level.STOP for f in self.findings)


def why_not(task: Any, estate: Estate) -> WhyNot:
    """Everything that stands in the way of one task, and the shortest way round it. The estate must
    hold choices for remedies."""
    alone = check([task], estate)
    outside: dict[str, Remedy] = {}
    waiting: list[tuple[int, Decimal, int, list[Any]]] = [(1, Decimal(0), 0, [task])]
    seen: set[str] = set()
    turn = 0
    while waiting and turn < MOST_LOOKED_AT:
        _, _, _, tasks = heapq.heappop(waiting)
        known = repr(sorted(map(repr, tasks)))
        if known in seen or len(tasks) > MOST_TASKS:
            continue
        seen.add(known)
        report = alone if tasks == [task] else check(tasks, estate)
        if report.runnable:
            return WhyNot(alone.findings, tasks, _monthly(tasks, estate))
        for following in _ways_on(tasks, report, outside):
            turn += 1
            cost = sum(_monthly(following, estate).values(), Decimal(0))
            heapq.heappush(waiting, (len(following), cost, turn, following))
    return WhyNot(alone.findings, None, {}, list(outside.values()))


def _ways_on(
    tasks: Sequence[Any], report: Report, outside: dict[str, Remedy]
) -> Iterator[list[Any]]:
    """The sets of tasks that a remedy of the first stop leads to."""
    stop = report.stops[0]
    for remedy in stop.remedies:
        if remedy.leads_to:
            outside.setdefault(remedy.words, remedy)
    for remedy in [r for r in stop.remedies if not r.leads_to][:MOST_WAYS]:
        if remedy.replaces:
            yield [*replaced(tasks, stop.task, remedy.tasks[0])]
        else:
            added = [x for x in remedy.tasks if x not in tasks]
            if added:
                yield [*tasks[: stop.task], *added, *tasks[stop.task :]]


def _monthly(tasks: Sequence[Any], estate: Estate) -> dict[str, Decimal]:
    found: dict[str, Decimal] = {}
    for task in tasks:
        monthly = task.resolved(tasks).costs(estate).monthly
        if monthly is not None:
            found[monthly.currency] = found.get(monthly.currency, Decimal(0)) + monthly.amount
    return found
