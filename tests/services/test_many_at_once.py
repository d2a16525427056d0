"""Thirty administrators at the same hundred numbers, over loopback: no number twice, no ledger
entry lost, no error page, conflicts explained.

`BUSY_SECONDS` says for how long; the measured run is 120.
"""

import os
import random
import shutil
import threading
import time
from collections import Counter

import httpx
import pytest
import uvicorn

from sedge.app import create_app, open_installation
from sedge.core.numbers.life import State
from sedge.core.records import Number
from sedge.demo.seed import MEMBERS
from sedge.services.ledger import ledger
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.standins.app import StandinServer
from sedge.store.schema import projected, tables, workorders
from tests.asserting import every

BUSY = float(os.environ.get("BUSY_SECONDS", "8"))
ADMINISTRATORS, NUMBERS = (
    30,
    [f"+44113496{n:04d}" for n in range(210, 300)] + [f"+44113496{n:04d}" for n in range(150, 160)],
)


@pytest.fixture
def busy(seeded, tmp_path):
    folder = tmp_path / "busy"
    shutil.copytree(seeded, folder)
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(
        Settings(data=folder, demo=True, durable=False, runner_seconds=0.1), standins.url
    )
    server = uvicorn.Server(
        uvicorn.Config(create_app(installation), host="127.0.0.1", port=0, log_level="error")
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    yield installation, f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}/api/v1"
    server.should_exit = True
    thread.join(10)
    installation.close()
    standins.stop()


def work(api, people, seed, until, seen):
    r = random.Random(seed)
    while time.monotonic() < until:
        number, person = r.choice(NUMBERS), r.choice(people)
        holder = {"kind": "person", "id": person}
        task = r.choice(
            [
                {
                    "kind": "assign_number",
                    "number": number,
                    "holder": holder,
                    "role": "extra",
                    "spot": "CNL-001-Y",
                },
                {"kind": "unassign_number", "number": number, "rest": 0},
                {"kind": "set_aside", "number": number},
                {"kind": "return_number", "number": number},
                {"kind": "label_numbers", "numbers": [number], "label": f"by {seed}"},
            ]
        )
        made = api.post("/work-orders", json={"title": f"{seed}", "tasks": [task]})
        seen.append((made.status_code, made.json().get("detail", "")))
        if made.status_code == 201:
            ran = api.post(f"/work-orders/{made.json()['id']}/run")
            seen.append((ran.status_code, ran.json().get("detail", "")))


def test_thirty_at_once_leave_a_true_estate(busy):
    installation, url = busy
    context = installation.context(MEMBERS[0])
    with context.reading() as reading:
        person = tables.person
        people = list(
            reading.connection.execute(
                tables.person.select()
                .with_only_columns(person.c.id)
                .where(person.c.site == "canal-museum")
            ).scalars()
        )
    seen: list[tuple[int, str]] = []
    until = time.monotonic() + BUSY
    with httpx.Client(
        base_url=url,
        headers={"Authorization": "Bearer demo"},
        timeout=60,
        limits=httpx.Limits(max_connections=ADMINISTRATORS),
    ) as api:
        threads = [
            threading.Thread(target=work, args=(api, people, i, until, seen))
            for i in range(ADMINISTRATORS)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    for _ in range(200):
        if runner.tick(installation) == 0:
            break
    counts = Counter(status for status, _ in seen)
    assert len(seen) > ADMINISTRATORS
    assert set(counts) <= {200, 201, 409, 422}, counts
    assert every(detail for status, detail in seen if status >= 400), "every refusal says why"
    with context.reading() as reading:
        rows = reading.connection.execute(
            tables.life.select().where(tables.life.c.number.in_([int(n) for n in NUMBERS]))
        )
        open_lives = Counter(
            row.number for row in rows if row.state not in {"released", "ported out", "closed"}
        )
        numbers = reading.records.many(Number, NUMBERS)
        stuck = [
            row
            for row in reading.connection.execute(
                workorders.task.select().where(workorders.task.c.state.in_(["running", "waiting"]))
            )
        ]
    assert set(open_lives.values()) == {1}
    assert every((n.state is State.ASSIGNED) == (n.assignment is not None) for n in numbers)
    assert stuck == []
    assert ledger.verify(context)[1] is None
    assert_spans_agree(context)


def assert_spans_agree(context):
    """Of each number exactly one span is open, and it says what the number is."""
    with context.reading() as reading:
        span, life = projected.span, tables.life
        rows = reading.connection.execute(
            span.select().where(
                span.c.until.is_(None), span.c.number.in_([int(n) for n in NUMBERS])
            )
        ).all()
        states = {
            row.number: row.state
            for row in reading.connection.execute(
                life.select().where(life.c.number.in_([int(n) for n in NUMBERS]))
            )
        }
    assert Counter(row.number for row in rows).most_common(1)[0][1] == 1
    assert {row.number: row.state for row in rows} == states
