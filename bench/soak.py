"""Half an hour of thirty people against a real process whose services outside fail again and again:
memory stays flat, no answer is an error, no work order is lost, the ledger holds.

`SOAK_MINUTES` (environment; 30 if not given), `USERS` (30), `WORKERS` (2)."""

import asyncio
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from bench.figures import say
from bench.load import WORKERS, Counted, free_port, megabytes, person
from sedge.demo.running import ready_data
from sedge.settings import Settings

MINUTES = float(os.environ.get("SOAK_MINUTES", "30"))
USERS = int(os.environ.get("USERS", "30"))
TENTH = 0.1  # by which memory may grow
DEMO = {"Authorization": "Bearer demo"}
FAILING = ("brackwater", "fellgate", "telephony", "register", "mail")
FAULTS = ("timeout", "error", "slow", "reject")
OVER = {"done", "failed", "partly done", "stopped", "draft", "discarded", "undone"}
PATIENCE = httpx.Timeout(120.0)


@dataclass
class Soaked:
    """What was seen: answers to people who look and change, work orders that were taken, memory in
    megabytes with the seconds since the beginning."""

    counted: Counted = field(default_factory=Counted)
    orders: list[str] = field(default_factory=list)
    memory: list[tuple[float, float]] = field(default_factory=list)


async def worker(url: str, seed: int, until: float, soaked: Soaked) -> None:
    """Somebody whose program writes work orders and runs them."""
    chance = random.Random(seed)
    async with httpx.AsyncClient(base_url=url, headers=DEMO, timeout=PATIENCE) as api:
        while time.monotonic() < until:
            number = f"+44113496{chance.randrange(210, 300):04d}"
            task = chance.choice(
                [
                    {"kind": "set_aside", "number": number},
                    {"kind": "return_number", "number": number},
                    {"kind": "label_numbers", "numbers": [number], "label": f"by {seed}"},
                    {"kind": "place_test_call", "number": "+441134960100"},
                ]
            )
            began = time.perf_counter()
            made = await api.post("/api/v1/work-orders", json={"title": "soak", "tasks": [task]})
            soaked.counted.take(time.perf_counter() - began, made.status_code, "work order")
            if made.status_code == 201:
                soaked.orders.append(made.json()["id"])
                ran = await api.post(f"/api/v1/work-orders/{soaked.orders[-1]}/run", json={})
                soaked.counted.take(time.perf_counter() - began, ran.status_code, "run")
            await asyncio.sleep(chance.random())


async def trouble(url: str, until: float) -> None:
    """Something outside fails every few seconds."""
    chance = random.Random(7)
    async with httpx.AsyncClient(base_url=url, headers=DEMO, timeout=PATIENCE) as api:
        while time.monotonic() < until:
            fault = {"service": chance.choice(FAILING), "fault": chance.choice(FAULTS)}
            await api.post(
                "/api/v1/standins/faults", json=fault | {"count": chance.randrange(1, 4)}
            )
            await asyncio.sleep(chance.uniform(2, 8))


async def weigh(process: int, until: float, soaked: Soaked) -> None:
    began = time.monotonic()
    while time.monotonic() < until:
        soaked.memory.append((time.monotonic() - began, megabytes(process)))
        await asyncio.sleep(5)


async def soak(url: str, process: int) -> Soaked:
    soaked, until = Soaked(), time.monotonic() + MINUTES * 60
    lookers = [person(url, n, until, soaked.counted) for n in range(USERS - 4)]
    workers = [worker(url, n, until, soaked) for n in range(4)]
    await asyncio.gather(*lookers, *workers, trouble(url, until), weigh(process, until, soaked))
    return soaked


async def unfinished(url: str, orders: list[str]) -> list[str]:
    """Of these work orders those that are lost, or not over once the clocks have moved on."""
    async with httpx.AsyncClient(base_url=url, headers=DEMO, timeout=PATIENCE) as api:
        for fault in FAULTS:
            for service in FAILING:
                none = {"service": service, "fault": fault, "count": 0}
                await api.post("/api/v1/standins/faults", json=none)
        await api.post("/api/v1/standins/clock", json={"advance": "PT2H"})
        left = []
        for key in orders:
            found = await api.get(f"/api/v1/work-orders/{key}")
            if found.status_code != 200 or found.json()["state"] not in OVER:
                left.append(f"{key} {found.status_code} {found.text[:80]}")
        return left


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        data, port = Path(folder) / "demo", free_port()
        ready_data(Settings(data=data, demo=True))
        command = [sys.executable, "-m", "sedge.cli", "demo", "--data", str(data)]
        process = subprocess.Popen(  # noqa: S603  our own command
            [*command, "--workers", WORKERS, "--port", str(port)],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        try:
            _measure(f"http://127.0.0.1:{port}", process.pid)
        finally:
            process.terminate()
            process.wait(30)
        verified = subprocess.run(  # noqa: S603  our own command
            [sys.executable, "-m", "sedge.cli", "verify", "--data", str(data)],
            capture_output=True,
            text=True,
            check=False,
        )
        holds = verified.stdout.count("all hold")
        say("organisations whose ledger holds", holds, "", verified.stderr.strip())
        if verified.returncode:
            raise SystemExit("the ledger does not hold")


def _measure(url: str, process: int) -> None:
    while True:
        try:
            if httpx.get(f"{url}/readyz").status_code == 200:
                break
        except httpx.HTTPError:
            time.sleep(0.1)
    soaked = asyncio.run(soak(url, process))
    spent = sorted(soaked.counted.spent)
    say(f"answers to {USERS} users with faults outside", len(spent) / MINUTES / 60, "answers/s")
    say("  their 95th", spent[int(len(spent) * 0.95)] * 1000, "ms")
    left = asyncio.run(unfinished(url, soaked.orders))
    say(f"work orders lost of {len(soaked.orders)}", len(left), "", f"{left[:3] or ''}")
    first, last = _quarters(soaked.memory)
    say("memory in the second quarter", first, "MB")
    say("memory in the last quarter", last, "MB", f"({last / first - 1:+.0%}, at most +10%)")
    if soaked.counted.wrong or left or last > first * (1 + TENTH):
        raise SystemExit(f"not as it should be: {soaked.counted.wrong} {left[:3]} {first} {last}")


def _quarters(memory: list[tuple[float, float]]) -> tuple[float, float]:
    """The medians of the second and the last quarter; in the first all is read for the first
    time."""
    whole = memory[-1][0]
    second = [held for at, held in memory if whole / 4 < at <= whole / 2]
    fourth = [held for at, held in memory if at > whole * 3 / 4]
    return statistics.median(second), statistics.median(fourth)


if __name__ == "__main__":
    main()
