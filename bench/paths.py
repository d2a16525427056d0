"""Call paths, measured: a trace, endings of two hundred steps, weeks of a path and of ten thousand
numbers, the picture of sixty steps."""

import random
import sys
import time
from datetime import date

from tests.conftest import NOW, EstateBuilder

from bench.__main__ import median_ms
from sedge.core.callpaths.layout import lay_out
from sedge.core.callpaths.openings import calendar_of
from sedge.core.callpaths.steps import Announce, Hours, Mailbox, Menu, Opening, Path, Queue, Ring
from sedge.core.callpaths.tracing.endings import endings_of
from sedge.core.callpaths.tracing.trace import path_of, trace_path
from sedge.core.callpaths.tracing.week import Grader, week_of
from sedge.core.callpaths.tracing.world import Called, World
from sedge.core.records import Answering

MONDAY = date(2026, 11, 23)


def long_path(people: list[str], steps: int, chance: random.Random) -> Path:
    """A path of hours, menus, desks, queues and announcements, each leading to one of the next
    five."""
    made = {}
    for i in range(steps):
        onward = [f"s{j}" for j in range(i + 1, min(steps, i + 6))]
        if not onward:
            made[f"s{i}"] = Mailbox(recipients=(people[0],))
            continue
        near, far, some = onward[0], onward[-1], tuple(chance.sample(people, 3))
        span = Opening(
            weekdays=(0, 1, 2, 3, 4), start=f"{8 + i % 3:02d}:00", end=f"{16 + i % 4:02d}:30"
        )
        made[f"s{i}"] = (
            Hours(
                timezone="Europe/London",
                openings=(span,),
                holidays_of="GB-ENG",
                exits={"open": near, "closed": far, "holiday": far},
            ),
            Menu(
                greeting="For a press 1, for b press 2",
                keys={"1": "a", "2": "b"},
                exits={"1": near, "2": far, "no input": near, "wrong input": near},
            ),
            Ring(people=some, exits={"no answer": near, "busy": far}),
            Queue(people=some, exits={"full": near, "waited too long": far}),
            Announce(text="Please hold the line now", exits={"done": near}),
        )[i % 5]
    return Path(first="s0", steps=made)


def main() -> None:
    chance = random.Random(1)
    builder = EstateBuilder()
    refs = [builder.person(f"Person {i}") for i in range(400)]
    number = builder.given(142, builder.line(), capacity="many")
    for i, ref in enumerate(refs):
        span = Opening(
            weekdays=(0, 1, 2, 3, 4), start=f"{6 + i % 12:02d}:{15 * (i % 4):02d}", end="18:00"
        )
        builder.put(
            builder.records[f"Person/{ref.id}"].copy_with(answering=Answering(openings=(span,)))
        )
        builder.given(1000 + i, ref, carrier="fellgate", capacity="any")
    estate = builder.build()
    called = Called.number(estate.number(number))
    people = [ref.id for ref in refs]
    two_hundred, sixty = long_path(people, 200, chance), long_path(people, 60, chance)
    plain = path_of(estate.number("+441134961000"), estate)
    rows = {
        "trace of one call": median_ms(
            lambda: trace_path(called, two_hundred, NOW, World(), estate), 50
        ),
        "endings of 200 steps": median_ms(lambda: endings_of(called, two_hundred, estate)),
        "week of a path of 60 steps": median_ms(
            lambda: week_of(Grader(called, sixty, estate), MONDAY, "Europe/London")
        ),
        "picture of 60 steps": median_ms(lambda: lay_out(sixty)),
    }
    for name, ms in rows.items():
        sys.stdout.write(f"{name:<32} {ms:9.2f} ms\n")
    calendar_of.cache_clear()
    started = time.perf_counter()
    for i in range(10_000):
        one = Called.number(estate.number(f"+44113496{1000 + i % 400:04d}"))
        week_of(Grader(one, plain, estate), MONDAY, "Europe/London")
    sys.stdout.write(
        f"{'weeks of 10,000 numbers, each worked out':<42} {time.perf_counter() - started:6.1f} s\n"
    )


if __name__ == "__main__":
    main()
