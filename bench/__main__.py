"""Measured work: reading numbers, checking a work order, tracing calls. Medians of several rounds,
printed."""

import statistics
import time
from collections.abc import Callable

from tests.conftest import NOW, EstateBuilder

from bench.figures import say
from sedge.core.callpaths.tracing.trace import World, trace_inbound
from sedge.core.enums import Role
from sedge.core.numbers.e164 import read
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check


def median_ms(work: Callable[[], object], rounds: int = 7) -> float:
    spent = []
    for _ in range(rounds):
        started = time.perf_counter()
        work()
        spent.append((time.perf_counter() - started) * 1000)
    return statistics.median(spent)


def main() -> None:
    builder = EstateBuilder()
    people = [builder.person(f"Person {i}") for i in range(300)]
    for i, person in enumerate(people):
        builder.number(300 + i, carrier="fellgate", capacity="any")
        builder.granted(person)
    builder.given(100, people[0])
    estate = builder.build()
    tasks = [
        t.AssignNumber(number=f"+44113496{300 + i:04d}", holder=p, role=Role.EXTRA)
        for i, p in enumerate(people)
    ]
    rows = {
        "read 1,000 typed numbers": median_ms(
            lambda: [read(f"0113 496 0{i:03d}", "GB") for i in range(1000)]
        ),
        "check 300 tasks": median_ms(lambda: check(tasks, estate), 3),
        "trace one call": median_ms(lambda: trace_inbound("+441134960100", NOW, World(), estate)),
    }
    for name, ms in rows.items():
        say(name, ms, "ms")


if __name__ == "__main__":
    main()
