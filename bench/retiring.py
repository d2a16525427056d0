"""Retiring and drift at size: what depends on one number among `NUMBERS` (environment; 100,000 if
not given), and a carrier's list of 100,000 held against the estate."""

import os
import statistics
import tempfile
import time
from decimal import Decimal
from pathlib import Path

from bench.estate import FIRST, fill
from bench.figures import say
from sedge.app import open_installation
from sedge.core.records import Account
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.outside.carrier import ListedNumber
from sedge.services.carriers import reconciliation
from sedge.services.context import Context
from sedge.services.retiring import cleanup_review, retiring
from sedge.settings import Settings
from sedge.standins.app import StandinServer

LISTED = 100_000
ROUNDS = 15


class Listing:
    """A carrier that answers at once with a list of its own: one number in a hundred dearer, one in
    five hundred not on it."""

    name = "measured"

    def __init__(self, ours: list[str]) -> None:
        self.ours = ours

    def close(self) -> None:
        """There is nothing to close."""

    def listed(self) -> list[ListedNumber]:
        kept = [n for i, n in enumerate(self.ours) if i % 500]
        return [
            ListedNumber(
                n, Decimal("0.90") if i % 100 == 7 else Decimal("0.80"), None, "in service"
            )
            for i, n in enumerate(kept)
        ]


def spent_on_one(context: Context, count: int) -> list[float]:
    spent = []
    for i in range(ROUNDS):
        started = time.perf_counter()
        retiring.depends_on(context, f"+{FIRST + (i * 7919 + 1) % count}")
        spent.append((time.perf_counter() - started) * 1000)
    return spent


def main() -> None:
    count = int(os.environ.get("NUMBERS", "100000"))
    folder = Path(tempfile.mkdtemp())
    settings = Settings(data=folder, demo=True, durable=False, runner=False)
    ready_data(settings)
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(settings, standins.url)
    context = installation.context(MEMBERS[0])
    fill(context, count)
    spent = spent_on_one(context, count)
    say(
        f"what depends on a number of the site, among {count:,} (median)",
        statistics.median(spent),
        "ms",
    )
    say("the same, slowest", max(spent), "ms")
    started = time.perf_counter()
    cleanup_review.tidy_up(context)
    say("the tidy-up", time.perf_counter() - started, "s")
    with context.reading() as reading:
        account = reading.records.the(Account, "fellgate-main")
        ours = sorted(reconciliation._ours(reading, account))[:LISTED]
    installation.outside.carriers["fellgate"] = Listing(ours)  # type: ignore[assignment]
    object.__setattr__(
        context, "at_carrier", lambda _account: installation.outside.carriers["fellgate"]
    )
    started = time.perf_counter()
    reconciliation.compare_one(context, account)
    say(f"a carrier's list of {len(ours):,} compared", time.perf_counter() - started, "s")
    started = time.perf_counter()
    reconciliation.compare_one(context, account)
    say("the same again, nothing new", time.perf_counter() - started, "s")
    installation.close()
    standins.stop()


if __name__ == "__main__":
    main()
