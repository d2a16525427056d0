"""Safety at size: the emergency test of a hundred thousand numbers in use, and the pages beside
it."""

import logging
import os
import tempfile
import time
from pathlib import Path

import structlog

from bench.estate import answered, fill
from bench.figures import say
from bench.pages import signed_in
from sedge.app import open_installation
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.safety import emergency_reports
from sedge.settings import Settings
from sedge.standins.app import StandinServer


def main() -> None:
    count = int(os.environ.get("NUMBERS", "170000"))
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.WARNING))
    folder = Path(tempfile.mkdtemp())
    ready_data(Settings(data=folder, demo=True, durable=False, runner=False))
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(
        Settings(data=folder, demo=True, durable=False, runner=False), standins.url
    )
    context = installation.context(MEMBERS[0])
    fill(context, count, people=count * 6 // 10, phones=True)
    started = time.perf_counter()
    report = emergency_reports.run(context)
    say(f"emergency test of {report.numbers:,} numbers in use", time.perf_counter() - started, "s")
    with signed_in(installation) as client:
        for address in (
            "/safety",
            "/safety?site=s-77",
            "/safety/sites/wharf-house",
            "/safety/tests",
            f"/safety/tests/{report.id}",
        ):
            say(
                f"{address.replace(report.id, 'report')}: 95th",
                answered(client, [address] * 20),
                "ms",
            )
    installation.close()
    standins.stop()


if __name__ == "__main__":
    main()
