"""A real server process, really killed: nothing is bought twice, nothing is lost, everything goes on.

Known hole: the stand-ins live in the same process and die with it; their book is durable, as a carrier's would be.
"""

import contextlib
import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import httpx
import pytest

KILLS = int(os.environ.get("KILLS", "8"))
MOMENTS = min(KILLS, 10)  # of one life of the server, as many as the demo's seats and people last for
ROUNDS = range(max(1, KILLS // 10))


class Server:
    """`sedge demo` on a folder of its own; can be killed and started again."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.process: subprocess.Popen | None = None
        self.api = httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api/v1", headers={"Authorization": "Bearer demo"}, timeout=60)

    def start(self) -> None:
        env = {**os.environ, "SEDGE_RUNNER_SECONDS": "0.05"}
        command = [sys.executable, "-m", "sedge.cli", "demo", "--port", str(self.port), "--data", str(self.data)]
        self.process = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline:
            try:
                if self.api.get(f"http://127.0.0.1:{self.port}/healthz").status_code == 200:
                    return
            except httpx.HTTPError:
                time.sleep(0.05)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def post(self, path: str, body: dict) -> dict:
        answer = self.api.post(path, json=body)
        assert answer.status_code < 300, answer.text
        return answer.json()

    def get(self, path: str) -> dict:
        answer = self.api.get(path)
        assert answer.status_code == 200, answer.text
        return answer.json()


@pytest.fixture
def server(seeded, tmp_path):
    folder = tmp_path / "killed"
    shutil.copytree(seeded, folder)
    made = Server(folder)
    made.start()
    yield made
    made.kill()
    made.api.close()


@pytest.mark.killing
@pytest.mark.parametrize("round_", ROUNDS)
def test_killed_at_random_moments_orders_and_work_orders_go_on(server, round_):
    chance = random.Random(round_)
    offers = server.get("/supply/offers?country=GB&area=Leeds&quantity=4&consecutive=true&carrier=brackwater")["items"][:MOMENTS]
    people = [p for p in server.get("/people?limit=500")["items"] if p["spot"] and not p["licences"]]
    orders, works = [], []
    for i in range(MOMENTS):
        numbers = offers[i]["numbers"]
        orders.append(
            server.post(
                "/orders",
                {
                    "reference": f"R{i}",
                    "carrier_account": "brackwater-main",
                    "numbers": numbers,
                    "site": "wharf-house",
                    "spot": "WHF-003-G",
                },
            )
        )
        tasks = [
            {"kind": "label_numbers", "numbers": [f"+44113496{150 + 5 * i + k:04d}" for k in range(4)], "label": f"batch {i}"},
            {"kind": "grant_licence", "holder": {"kind": "person", "id": people[i]["id"]}, "product": "staff-seat"},
            {"kind": "set_aside", "number": f"+4411349602{40 + i}", "reason": "killed"},
        ]
        draft = server.post("/work-orders", {"title": f"W{i}", "tasks": tasks})
        works.append(server.post(f"/work-orders/{draft['id']}/run", {}))
        time.sleep(chance.random() * 0.5)
        server.kill()
        server.start()
        if i % 2:
            server.post("/standins/clock", {"advance": "PT20S"})
    server.post("/standins/clock", {"advance": "PT2H"})
    assert {server.get(f"/orders/{o['id']}")["state"] for o in orders} == {"delivered"}
    assert {server.get(f"/work-orders/{w['id']}")["state"] for w in works} == {"done"}
    _nothing_twice(server, offers, orders, works)


@pytest.mark.killing
@pytest.mark.parametrize("round_", ROUNDS)
def test_killed_while_an_order_is_being_asked_for_the_same_key_buys_once(server, round_):
    """Nobody heard the answer; whoever asked asks again with the same key, and it is the same order."""
    chance = random.Random(1000 + round_)
    offers = server.get("/supply/offers?country=GB&area=Leeds&quantity=2&consecutive=true&carrier=brackwater")["items"]
    asked = []
    for i in range(max(3, MOMENTS // 2)):
        body = {"reference": f"K{i}", "carrier_account": "brackwater-main", "numbers": offers[i]["numbers"], "site": "wharf-house"}
        key = {"Idempotency-Key": f"kill-{i}"}
        asking = threading.Thread(target=_ask, args=(server, body, key), daemon=True)
        asking.start()
        time.sleep(chance.random() * 0.12)
        server.kill()
        asking.join(30)
        server.start()
        first = server.api.post("/orders", json=body, headers=key)
        again = server.api.post("/orders", json=body, headers=key)
        assert (first.status_code, again.status_code) == (201, 201), first.text
        assert first.json()["id"] == again.json()["id"]
        asked.append(first.json())
    server.post("/standins/clock", {"advance": "PT2H"})
    assert {server.get(f"/orders/{o['id']}")["state"] for o in asked} == {"delivered"}
    mine = [o for o in server.get("/orders")["items"] if o["reference"].startswith("K")]
    assert sorted(o["reference"] for o in mine) == sorted({o["reference"] for o in asked})
    balance = next(a["balance"]["amount"] for c in server.get("/carriers")["items"] for a in c["accounts"] if a["id"] == "brackwater-main")
    assert float(balance) == 640 - sum(float(offers[i]["setup"]["amount"]) for i in range(len(asked)))


def _ask(server, body, key):
    with contextlib.suppress(httpx.HTTPError):
        server.api.post("/orders", json=body, headers=key)


def _nothing_twice(server, offers, orders, works):
    keys = [o["work_order"] for o in orders]
    assert len(set(keys)) == len(keys)
    found = server.get("/numbers?limit=1000&carrier=brackwater")["items"]
    assert len(found) == 20 + 4 * len(offers)
    assert {n["state"] for n in found if n["e164"] in {e for o in offers for e in o["numbers"]}} == {"available"}
    balance = next(a["balance"]["amount"] for c in server.get("/carriers")["items"] for a in c["accounts"] if a["id"] == "brackwater-main")
    assert float(balance) == 640 - sum(float(o["setup"]["amount"]) for o in offers)
    staff = next(s for s in server.get("/subscriptions")["items"] if s["product"] == "staff-seat")
    assert staff["used"] == 13 + len(works)
    for i in range(len(works)):
        told = [e["action"] for e in server.get(f"/numbers/+4411349602{40 + i}/history")["items"]]
        assert told.count("number.set-aside") == 1
    mails = [(m["to"], m["subject"], m["text"]) for m in server.get("/standins/mailbox")["items"]]
    assert len(mails) == len(set(mails)), "each mail once"
