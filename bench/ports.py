"""Ports at size: ten thousand numbers planned, and their mandate."""

import time
from datetime import UTC, datetime

from bench.figures import say
from sedge.core.porting.planning import Served, plan
from sedge.formats.porting.mandate import MandateFacts, mandate

COUNT = 10_000
AT = datetime(2026, 11, 24, 11, 20, tzinfo=UTC)


def main() -> None:
    served = {
        f"+1617555{n:04d}": Served(f"+1617555{n:04d}", "Old Quay Communications", f"OQ-{n % 40}")
        for n in range(COUNT)
    }
    accounts: dict[str, list[Served]] = {}
    for s in served.values():
        accounts.setdefault(s.account, []).append(s)
    started = time.perf_counter()
    found = plan(
        served,
        served,
        lambda _, account: accounts[account],
        ours={},
        serves=lambda _: "",
        submitted=AT,
    )
    say(
        f"a port of {COUNT:,} numbers planned ({len(found.ports)} ports)",
        time.perf_counter() - started,
        "s",
    )
    started = time.perf_counter()
    paper = mandate(
        MandateFacts(
            "US",
            "Us",
            "Old Quay Communications",
            "Fellgate Voice",
            "port 1",
            AT.date(),
            (("account", "OQ-1"),),
            tuple(served),
        )
    )
    say(f"its mandate ({len(paper):,} bytes)", time.perf_counter() - started, "s")


if __name__ == "__main__":
    main()
