"""Fifty people at once against a real process: nine of ten look, one of ten changes something. Says
how many pages a second, how long they took, what went wrong, and what the process weighs; then what
it costs when nobody does anything, and with many pages open that wait for changes.

`SECONDS_LOADED` (environment; 30 if not given), `USERS` (50), `OPEN_PAGES` (200), `WORKERS` (2)."""

import asyncio
import os
import random
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx

from bench.figures import say
from sedge.demo.running import ready_data
from sedge.settings import Settings

SECONDS = float(os.environ.get("SECONDS_LOADED", "30"))
USERS = int(os.environ.get("USERS", "50"))
WORKERS = os.environ.get("WORKERS", "2")
OPEN_PAGES = int(os.environ.get("OPEN_PAGES", "200"))
PEOPLE = ("rowan", "leila", "marta", "gethin", "noor", "olive", "declan")
PAGES = (
    "/",
    "/numbers",
    "/numbers?view=list",
    "/numbers/441134960100",
    "/holders",
    "/holders/people/person-ifeoma-okafor",
    "/safety",
    "/paths",
    "/work-orders",
    "/find?q=0113+496",
    "/find?q=okafor",
    "/licences",
)
TICKS = os.sysconf("SC_CLK_TCK")


class Counted:
    def __init__(self) -> None:
        self.spent: list[float] = []
        self.wrong: dict[str, int] = {}

    def take(self, seconds: float, status: int, what: str) -> None:
        self.spent.append(seconds)
        if status >= 500 or status in {401, 404}:
            key = f"{status} {what}"
            self.wrong[key] = self.wrong.get(key, 0) + 1


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def family(process: int) -> list[int]:
    """A process and those that it forked."""
    forked = Path(f"/proc/{process}/task/{process}/children").read_text().split()
    return [process, *(each for one in forked for each in family(int(one)))]


def cpu_seconds(process: int) -> float:
    ticks = 0
    for each in family(process):
        fields = Path(f"/proc/{each}/stat").read_text().rpartition(")")[2].split()
        ticks += int(fields[11]) + int(fields[12])
    return ticks / TICKS


def megabytes(process: int) -> float:
    """What they hold together: of memory that several share, each its part."""
    held = 0
    for each in family(process):
        for line in Path(f"/proc/{each}/smaps_rollup").read_text().splitlines():
            if line.startswith("Pss:"):
                held += int(line.split()[1])
    return held / 1024


async def person(url: str, number: int, until: float, counted: Counted) -> None:
    chance = random.Random(number)
    who = PEOPLE[number % len(PEOPLE)]
    async with httpx.AsyncClient(base_url=url, timeout=60) as browser:
        await browser.post("/sign-in", data={"who": who})
        may_write = who in {"rowan", "leila"}
        while time.monotonic() < until:
            began = time.perf_counter()
            if may_write and chance.random() < 0.35:  # of 15 of 50 users: one of ten altogether
                what, body = "change", {"label": f"label {chance.randrange(1000)}"}
                path = f"/numbers/44113496{chance.randrange(100, 200):04d}/facts"
                answer = await browser.post(path, data=body)
            else:
                what = chance.choice(PAGES)
                answer = await browser.get(what)
                if what not in {"/find?q=okafor"} and answer.status_code == 403:
                    what = "refused"
            counted.take(time.perf_counter() - began, answer.status_code, what)


async def load(url: str) -> Counted:
    counted, until = Counted(), time.monotonic() + SECONDS
    await asyncio.gather(*(person(url, n, until, counted) for n in range(USERS)))
    return counted


async def wait_for_changes(url: str, process: int) -> float:
    """The share of a core that open pages cost in which nothing happens."""
    async with httpx.AsyncClient(
        base_url=url, timeout=httpx.Timeout(None), limits=httpx.Limits(max_connections=None)
    ) as browser:
        await browser.post("/sign-in", data={"who": "rowan"})

        async def opened() -> None:
            async with browser.stream("GET", "/events") as stream:
                async for _ in stream.aiter_raw():
                    pass

        waiting = [asyncio.create_task(opened()) for _ in range(OPEN_PAGES)]
        await asyncio.sleep(6)
        before, began = cpu_seconds(process), time.monotonic()
        await asyncio.sleep(15)
        share = (cpu_seconds(process) - before) / (time.monotonic() - began)
        for task in waiting:
            task.cancel()
        await asyncio.gather(*waiting, return_exceptions=True)
    return share


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "demo"
        ready_data(Settings(data=data, demo=True))
        port = free_port()
        command = [sys.executable, "-m", "sedge.cli", "demo", "--data", str(data)]
        command += ["--workers", WORKERS]
        process = subprocess.Popen(  # noqa: S603  our own command
            [*command, "--port", str(port)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        try:
            _measure(f"http://127.0.0.1:{port}", process.pid)
        finally:
            process.terminate()
            process.wait(20)


def _measure(url: str, process: int) -> None:
    began = time.monotonic()
    while True:
        try:
            if httpx.get(f"{url}/readyz").status_code == 200:
                break
        except httpx.HTTPError:
            time.sleep(0.05)
    say(f"start with data, {WORKERS} processes", time.monotonic() - began, "s", "(wanted 4)")
    time.sleep(10)
    before = cpu_seconds(process)
    time.sleep(15)
    share = (cpu_seconds(process) - before) / 15
    say("idle, stand-ins included", share * 100, "% core", "(wanted 1)")
    say("memory, stand-ins included", megabytes(process), "MB", "(wanted 250)")
    counted = asyncio.run(load(url))
    spent = sorted(counted.spent)
    say(f"answers to {USERS} users", len(spent) / SECONDS, "answers/s", "(wanted 150)")
    say("  their median", statistics.median(spent) * 1000, "ms", f"wrong: {counted.wrong or 0}")
    say("  their 95th", spent[int(len(spent) * 0.95)] * 1000, "ms", "(wanted 250)")
    say("memory afterwards", megabytes(process), "MB")
    share = asyncio.run(wait_for_changes(url, process))
    say(f"{OPEN_PAGES} open pages that wait for changes", share * 100, "% core", "(wanted 5)")


if __name__ == "__main__":
    main()
