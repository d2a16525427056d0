"""Several processes on one port: one writes, the others show pages, see at once what it wrote, and
end with it."""

import asyncio
import os
import shutil
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path

import httpx
import pytest
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse
from starlette.routing import Route

from sedge.app import keep_up, open_reading
from sedge.core.access.roles import May
from sedge.passing_on import FromReaders, PassesOn
from sedge.services.ledger import ledger
from sedge.store.database import AskWriter
from tests.services.test_serving import free_port

SEAL = "a-seal"


def write_something(context):
    from sedge.services.workorders import workorders
    from tests.services.test_work_orders import assigned

    _, order = assigned(context)
    workorders.get(context, order.id)


@pytest.fixture
def reading(installation):
    """A second house on the same files, as another process has it."""
    opened = open_reading(installation.settings, "http://127.0.0.1:9")
    yield opened
    opened.close()


def test_what_one_process_writes_the_other_sees_at_once(installation, context, reading):
    theirs = reading.context(context.who)
    before = ledger.change_counter(theirs)
    assert reading.while_unchanged(theirs, "letters", lambda: "old") == "old"
    write_something(context)
    assert ledger.change_counter(theirs) > before
    assert reading.while_unchanged(theirs, "letters", lambda: "new") == "new"


def test_nothing_can_be_written_where_only_reading_is_done(context, reading):
    theirs = reading.context(context.who)
    with pytest.raises(AskWriter), theirs.writing():
        pass
    with pytest.raises(AskWriter):
        reading.process.one_at_a_time("key")
    theirs.require(May.LOOK)


def test_a_reader_takes_over_organisations_and_the_clock(installation, reading):
    from dataclasses import replace
    from datetime import timedelta

    from sedge.services import simulation_clock

    first = next(iter(installation.organisations.values()))
    installation.add_organisation(replace(first, id="reedham", name="Reedham Libraries"))
    installation.clock.advance(timedelta(days=3))
    simulation_clock.keep_offset(installation)
    keep_up(reading)
    assert reading.organisations["reedham"].name == "Reedham Libraries"
    assert reading.clock.offset == installation.clock.offset


async def told(request: Request) -> JSONResponse:
    body = await request.body()
    return JSONResponse(
        {
            "path": request.url.path,
            "query": request.url.query,
            "client": request.client.host if request.client else "",
            "scheme": request.url.scheme,
            "body": body.decode(),
            "sealed": "x-sedge-seal" in request.headers,
        }
    )


async def unknown_here(request: Request) -> PlainTextResponse:
    raise AskWriter


async def read(request: Request) -> PlainTextResponse:
    return PlainTextResponse("read")


@pytest.fixture
def passing():
    """What a reader's own application answers, and a writer that tells what it was asked."""
    writer = FromReaders(Starlette(routes=[Route("/{path:path}", told, methods=METHODS)]), SEAL)
    own = Starlette(routes=[Route("/read", read), Route("/kept", unknown_here)])
    kept_up: list[None] = []
    door = PassesOn(own, Path("unused"), SEAL, lambda: kept_up.append(None))
    door.writer = httpx.AsyncClient(transport=httpx.ASGITransport(writer), base_url="http://writer")
    return door, writer, kept_up


METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE"]


def ask(app, method, path, client=("192.0.2.7", 5000), **named):
    async def once():
        transport = httpx.ASGITransport(app, client=client)
        async with httpx.AsyncClient(transport=transport, base_url="https://sedge.example") as one:
            return await one.request(method, path, **named)

    with ThreadPoolExecutor(1) as aside:  # a browser's tests leave a loop running in this thread
        return aside.submit(asyncio.run, once()).result(30)


def test_what_can_be_read_is_answered_by_the_reader(passing):
    door, _, kept_up = passing
    assert ask(door, "GET", "/read").text == "read"
    assert len(kept_up) == 1


@pytest.mark.parametrize("method", METHODS[1:])
def test_what_changes_something_is_passed_on_with_who_sent_it(passing, method):
    door, _, _ = passing
    answer = ask(door, method, "/read?a=1&b=%2F", content=b"words").json()
    assert answer == {
        "path": "/read",
        "query": "a=1&b=%2F",
        "client": "192.0.2.7",
        "scheme": "https",
        "body": "words",
        "sealed": False,
    }


@pytest.mark.parametrize("path", ["/kept", "/metrics", "/readyz"])
def test_what_only_the_writer_knows_is_passed_on(passing, path):
    door, _, _ = passing
    assert ask(door, "GET", path).json()["path"] == path


def test_a_stranger_cannot_pass_for_somebody_else(passing):
    _, writer, _ = passing
    sender = '{"client": ["127.0.0.1", 1], "scheme": "https"}'
    forged = {"x-sedge-seal": "guessed", "x-sedge-sender": sender}
    assert ask(writer, "GET", "/", headers=forged).json()["client"] == "192.0.2.7"
    through = ask(passing[0], "POST", "/", headers={**forged, "x-sedge-seal": SEAL}).json()
    assert through["client"] == "192.0.2.7"


@contextmanager
def served(seeded: Path, folder: Path):
    """The demo with three processes."""
    data, port = folder / "demo", free_port()
    shutil.copytree(seeded, data)
    command = [sys.executable, "-m", "sedge.cli", "demo", "--data", str(data), "--workers", "3"]
    process = subprocess.Popen(
        [*command, "--port", str(port)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    url = f"http://127.0.0.1:{port}"
    until(lambda: answers(url))
    yield process, url
    process.kill()
    process.wait(20)


def answers(url: str) -> bool:
    try:
        return httpx.get(f"{url}/readyz").status_code == 200
    except httpx.HTTPError:
        return False


def until(holds, seconds=60.0):
    ends = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < ends, "it never came to hold"
        time.sleep(0.05)


def children(process: int) -> list[int]:
    with suppress(FileNotFoundError):
        found = Path(f"/proc/{process}/task/{process}/children").read_text().split()
        return [int(each) for each in found]
    return []


def is_alive(process: int) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


def readers_of(process: int) -> list[int]:
    """The readers that are alive, forked by the keeper."""
    return [p for keeper in children(process) for p in children(keeper) if is_alive(p)]


def test_three_processes_answer_as_one_and_end_together(seeded, tmp_path):
    with served(seeded, tmp_path) as (process, url):
        until(lambda: len(readers_of(process.pid)) == 2)
        _see_what_others_wrote(url)
        first, second = readers_of(process.pid)
        os.kill(first, signal.SIGKILL)
        until(lambda: len(set(readers_of(process.pid)) - {first}) == 2)  # another has begun
        assert second in readers_of(process.pid)
        assert [httpx.get(f"{url}/healthz").status_code for _ in range(12)] == [200] * 12
        readers = readers_of(process.pid)
        process.terminate()
        assert process.wait(20) in {0, -signal.SIGTERM, 143}
        until(lambda: not any(is_alive(each) for each in readers))


def _see_what_others_wrote(url: str) -> None:
    with httpx.Client(base_url=url) as first:
        first.post("/sign-in", data={"who": "rowan"})
        for n in range(24):  # each on a connection of its own, which the system deals out
            with httpx.Client(base_url=url, cookies=first.cookies) as one:
                label = f"label {n}"
                changed = one.post("/numbers/441134960142/facts", data={"label": label})
                assert changed.status_code == 303
            with httpx.Client(base_url=url, cookies=first.cookies) as another:
                page = another.get("/numbers/441134960142")
                assert page.status_code == 200
                assert label in page.text
    figures = httpx.get(f"{url}/metrics").text
    asked = 'route="/numbers/{number}/facts",status="3xx"} 24.0'
    assert asked in figures  # whichever process was asked first


def test_readers_end_with_the_process_that_made_them_however_it_ends(seeded, tmp_path):
    with served(seeded, tmp_path) as (process, _):
        until(lambda: len(readers_of(process.pid)) == 2)
        all_of_them = [*children(process.pid), *readers_of(process.pid)]
        process.kill()
        until(lambda: not any(is_alive(each) for each in all_of_them))
