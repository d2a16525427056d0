"""Holders and work orders at size: checks of a thousand tasks, the planner, the nightly checks, the
pages beside them."""

import logging
import os
import tempfile
import time
from pathlib import Path

import structlog
from tests.core.test_planner import best_by_trying, made, worth

from bench.estate import answered, fill
from bench.figures import say
from bench.pages import signed_in
from sedge.app import open_installation
from sedge.core.enums import HolderKind, Role
from sedge.core.holding import HolderRef
from sedge.core.numbers.life import State
from sedge.core.records import Number, Person
from sedge.core.workorders import tasks as t
from sedge.core.workorders.planner.solve import solve
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.services.workorders.checking import check_catalogue
from sedge.settings import Settings
from sedge.standins.app import StandinServer
from sedge.store.schema import tables

TASKS = 1000


def main() -> None:
    count = int(os.environ.get("NUMBERS", "170000"))
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.WARNING))
    plan(5000, 8000, sites=1)
    plan(5000, 8000, sites=10)
    problem = made(800, 1200, sites=3)
    given = [(g.person, g.number) for g in solve(problem).given if g.number]
    say(
        "planner, 800 against 1,200: share of the undivided optimum",
        100 * worth(problem, given) / best_by_trying(problem),
        "%",
    )
    folder = Path(tempfile.mkdtemp())
    ready_data(Settings(data=folder, demo=True, durable=False, runner=False))
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(
        Settings(data=folder, demo=True, durable=False, runner=False), standins.url
    )
    context = installation.context(MEMBERS[0])
    fill(context, count, people=count * 6 // 10, phones=True)
    checks(context)
    started = time.perf_counter()
    found = check_catalogue.check_everything(context)
    say(
        f"nightly checks over {count * 6 // 10:,} holders ({found:,} findings)",
        time.perf_counter() - started,
        "s",
    )
    with signed_in(installation) as client:
        for address in (
            "/",
            "/licences",
            "/licences/home-calling",
            "/checks",
            "/checks/assignment.line-has-path",
            "/holders/groups",
            "/holders/directory",
            "/holders/people/person-ifeoma-okafor",
            "/holders/lines",
            "/holders/sites",
            "/supply/joiners",
            "/work-orders/planner",
            "/work-orders/templates/joiner",
        ):
            say(f"{address}: 95th", answered(client, [address] * 20), "ms")
    installation.close()
    standins.stop()


def plan(people: int, numbers: int, *, sites: int) -> None:
    problem = made(people, numbers, sites=sites)
    started = time.perf_counter()
    solve(problem)
    say(
        f"planner, {people:,} people against {numbers:,} numbers at {sites}"
        f" site{'s' if sites > 1 else ''}",
        time.perf_counter() - started,
        "s",
    )


def checks(context: Context) -> None:
    """A thousand tasks: people given numbers, each with a test call."""
    life, person = tables.life, tables.person
    with context.reading() as reading:
        free = reading.records.where(
            Number, life.c.state == State.AVAILABLE.value, order_by=life.c.number, limit=TASKS // 2
        )
        people = reading.records.where(
            Person, person.c.departed.is_(False), order_by=person.c.id, limit=TASKS // 2
        )
    pairs = list(zip(free, people, strict=False))
    tasks = [
        t.AssignNumber(
            number=n.e164, holder=HolderRef(kind=HolderKind.PERSON, id=p.id), role=Role.EXTRA
        )
        for n, p in pairs
    ]  # type: ignore[arg-type]
    tasks += [t.PlaceTestCall(number=n.e164) for n, _ in pairs]  # type: ignore[misc]
    started = time.perf_counter()
    report = workorders.preview(context, tasks)
    say(
        f"checks of {len(tasks):,} tasks ({len(report.findings):,} verdicts)",
        time.perf_counter() - started,
        "s",
    )


if __name__ == "__main__":
    main()
