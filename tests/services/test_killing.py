"""A real server process, really killed: nothing is bought twice, nothing is lost, everything goes
on.

Known hole: the stand-ins live in the same process and die with it; their book is durable, as a
carrier's would be.
"""

import contextlib
import os
import random
import shutil
import socket
import subprocess
import sys
import threading
import time
from datetime import datetime
from pathlib import Path

import httpx
import pytest

KILLS = int(os.environ.get("KILLS", "4"))
MOMENTS = min(
    KILLS, 10
)  # of one life of the server, as many as the demo's seats and people last for
ORDERS, ORDER_KILLS = 20, int(os.environ.get("ORDER_KILLS", "4"))
TASK_KILLS = int(os.environ.get("TASK_KILLS", "3"))
ROUNDS = range(max(1, KILLS // 10))


# Imports once and forks a process for each life of a server, so that fifty of them take a minute
# and not five.
FORKING = """
import os, signal, sys
from pathlib import Path
from sedge.demo.running import run_demo
from sedge.settings import Settings
child = 0
for line in sys.stdin:
    if line.startswith("start "):
        _, port, standins, data = line.strip().split(" ", 3)
        child = os.fork()
        if child == 0:
            os.close(1)
            os.open(os.devnull, os.O_WRONLY)
            os.environ["SEDGE_STANDINS_PORT"] = standins
            run_demo(Settings(data=Path(data), port=int(port), demo=True))
            os._exit(0)
    elif child:
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        child = 0
    print("done", flush=True)
if child:  # whoever started this is gone
    os.kill(child, signal.SIGKILL)
"""


class Forking:
    """The process of which each life of a server is a fork."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-c", FORKING],
            env={**os.environ, "SEDGE_RUNNER_SECONDS": "0.05"},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )

    def tell(self, what: str) -> None:
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(f"{what}\n")
        self.process.stdin.flush()
        assert self.process.stdout.readline() == "done\n"

    def end(self) -> None:
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()
        self.process.kill()
        self.process.wait()


class Server:
    """The demo's server on a folder of its own; can be killed and started again."""

    def __init__(self, data: Path, forking: Forking) -> None:
        self.data, self.forking = data, forking
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.standins_port = s.getsockname()[1]
        self.api = httpx.Client(
            base_url=f"http://127.0.0.1:{self.port}/api/v1",
            headers={"Authorization": "Bearer demo"},
            timeout=60,
        )

    def start(self) -> None:
        self.forking.tell(f"start {self.port} {self.standins_port} {self.data}")
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline:
            try:
                if self.api.get(f"http://127.0.0.1:{self.port}/healthz").status_code == 200:
                    return
            except httpx.HTTPError:
                time.sleep(0.03)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        """SIGKILL to the server's process; it is gone when this returns."""
        self.forking.tell("kill")

    def books(self) -> dict:
        """What the carriers themselves say was bought, and what each account holds."""
        return httpx.get(f"http://127.0.0.1:{self.standins_port}/control/orders", timeout=30).json()

    def post(self, path: str, body: dict) -> dict:
        answer = self.api.post(path, json=body)
        assert answer.status_code < 300, answer.text
        return answer.json()

    def get(self, path: str) -> dict:
        answer = self.api.get(path)
        assert answer.status_code == 200, answer.text
        return answer.json()


@pytest.fixture(scope="module")
def forking():
    made = Forking()
    yield made
    made.end()


@pytest.fixture
def server(seeded, tmp_path, forking):
    folder = tmp_path / "killed"
    shutil.copytree(seeded, folder)
    made = Server(folder, forking)
    made.start()
    yield made
    made.kill()
    made.api.close()


@pytest.mark.killing
@pytest.mark.parametrize("round_", ROUNDS)
def test_killed_at_random_moments_orders_and_work_orders_go_on(server, round_):
    chance = random.Random(round_)
    offers = server.get(
        "/supply/offers?country=GB&area=Leeds&quantity=4&consecutive=true&carrier=brackwater"
    )["items"][:MOMENTS]
    people = [
        p for p in server.get("/people?limit=500")["items"] if p["spot"] and not p["licences"]
    ]
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
            {
                "kind": "label_numbers",
                "numbers": [f"+44113496{150 + 5 * i + k:04d}" for k in range(4)],
                "label": f"batch {i}",
            },
            {
                "kind": "grant_licence",
                "holder": {"kind": "person", "id": people[i]["id"]},
                "product": "staff-seat",
            },
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
    """Nobody heard the answer; whoever asked asks again with the same key, and it is the same
    order."""
    chance = random.Random(1000 + round_)
    offers = server.get(
        "/supply/offers?country=GB&area=Leeds&quantity=2&consecutive=true&carrier=brackwater"
    )["items"]
    asked = []
    for i in range(max(3, MOMENTS // 2)):
        body = {
            "reference": f"K{i}",
            "carrier_account": "brackwater-main",
            "numbers": offers[i]["numbers"],
            "site": "wharf-house",
        }
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
    balance = next(
        a["balance"]["amount"]
        for c in server.get("/carriers")["items"]
        for a in c["accounts"]
        if a["id"] == "brackwater-main"
    )
    assert float(balance) == 640 - sum(
        float(offers[i]["setup"]["amount"]) for i in range(len(asked))
    )


def _ask(server, body, key):
    with contextlib.suppress(httpx.HTTPError):
        server.api.post("/orders", json=body, headers=key)


@pytest.mark.killing
def test_killed_again_and_again_during_twenty_orders_at_once(server):
    """Whoever heard no answer asks again with the same key. At the end every order was bought once,
    and both books agree to the penny. `ORDER_KILLS=50` is the measured run."""
    chance = random.Random(50)
    asked = {f"T{i}": body for i, body in enumerate(_twenty(server))}
    heard: dict[str, str] = {}

    def ask(key: str) -> None:
        with contextlib.suppress(httpx.HTTPError):
            answer = server.api.post("/orders", json=asked[key], headers={"Idempotency-Key": key})
            if answer.status_code == 201:
                assert heard.setdefault(key, answer.json()["id"]) == answer.json()["id"]

    for kill in range(ORDER_KILLS):
        if (
            kill % 4 == 3
        ):  # the outside goes on meanwhile, so that orders are killed at every stage of theirs
            with contextlib.suppress(httpx.HTTPError):
                server.api.post("/standins/clock", json={"advance": "PT10S"}, timeout=5)
        asking = [
            threading.Thread(target=ask, args=(key,), daemon=True)
            for key in asked
            if key not in heard
        ]
        for thread in asking:
            thread.start()
        time.sleep(chance.random() * 0.7)
        server.kill()
        for thread in asking:
            thread.join(30)
        server.start()
    for key in asked:
        ask(key)
    assert set(heard) == set(asked)
    for _ in range(4):
        server.post("/standins/clock", {"advance": "PT1H"})
    ours = {
        o["id"]: o
        for o in server.get("/orders?limit=500")["items"]
        if o["reference"].startswith("twenty ")
    }
    assert sorted(ours) == sorted(heard.values())
    assert {o["state"] for o in ours.values()} <= {"delivered", "part delivered", "failed"}
    books = server.books()
    keys = [o["key"] for o in books["orders"]]
    assert len(keys) == len(set(keys)) == ORDERS
    bought = [n for o in books["orders"] for n in o["numbers"]]
    assert len(bought) == len(set(bought)) == sum(len(body["numbers"]) for body in asked.values())
    told = {
        a["id"]: a["balance"]["amount"]
        for c in server.get("/carriers")["items"]
        for a in c["accounts"]
    }
    assert {key: float(told[key]) for key in ("brackwater-main", "fellgate-main")} == {
        key: float(books["balances"][key]) for key in ("brackwater-main", "fellgate-main")
    }
    delivered = {x["e164"] for o in ours.values() for x in o["lines"] if x["state"] == "delivered"}
    here = {n["e164"] for n in server.get("/numbers?limit=1000&state=available")["items"]}
    assert delivered <= here


@pytest.mark.killing
def test_killed_again_and_again_during_two_hundred_tasks_with_a_carrier_that_fails(server):
    """The work order ends complete, and each of its tasks was done once. `TASK_KILLS=50` is the
    measured run."""
    chance = random.Random(200)
    numbers = [f"+44113496{n:04d}" for n in range(210, 300)]
    free = [
        n["e164"]
        for n in server.get("/numbers?limit=1000&state=available")["items"]
        if n["e164"] in numbers
    ]
    tasks = [{"kind": "set_feature", "number": n, "feature": "inbound name lookup"} for n in free]
    tasks += [{"kind": "set_aside", "number": n, "reason": "killed"} for n in free]
    tasks += [
        {"kind": "label_numbers", "numbers": [free[i]], "add_tags": ["killed"]}
        for i in range(max(0, 200 - len(tasks)))
    ]
    draft = server.post("/work-orders", {"title": "two hundred", "tasks": tasks[:200]})
    server.post(f"/work-orders/{draft['id']}/run", {})
    for kill in range(TASK_KILLS):
        if kill % 3 == 0:
            server.post(
                "/standins/faults",
                {"service": "fellgate", "fault": chance.choice(["error", "slow"]), "count": 2},
            )
        time.sleep(chance.random() * 0.6)
        server.kill()
        server.start()
    server.post("/standins/faults", {"service": "fellgate", "fault": "error", "count": 0})
    for _ in range(3):
        server.post("/standins/clock", {"advance": "PT1H"})
    done = server.get(f"/work-orders/{draft['id']}")
    assert (done["state"], {t["state"] for t in done["tasks"]}) == ("done", {"done"}), [
        t["error"] for t in done["tasks"] if t["error"]
    ][:3]
    for number in free[:40]:
        told = [e["action"] for e in server.get(f"/numbers/{number}/history")["items"]]
        assert (told.count("number.feature-on"), told.count("number.set-aside")) == (1, 1), number


def _twenty(server):
    """Ten orders at each of two carriers, of numbers that no other of them names."""
    bodies = []
    for carrier, area in (("brackwater", "Leeds"), ("fellgate", "Sheffield")):
        offers = server.get(
            f"/supply/offers?country=GB&area={area}&quantity=3&consecutive=true"
            f"&carrier={carrier}&limit=50"
        )["items"]
        free: set[str] = set()
        chosen = [
            o for o in offers if not free & set(o["numbers"]) and not free.update(o["numbers"])
        ][: ORDERS // 2]
        bodies += [
            {"carrier_account": f"{carrier}-main", "numbers": o["numbers"], "site": "wharf-house"}
            for o in chosen
        ]
    assert len(bodies) == ORDERS
    return [{**body, "reference": f"twenty {i}"} for i, body in enumerate(bodies)]


def _nothing_twice(server, offers, orders, works):
    keys = [o["work_order"] for o in orders]
    assert len(set(keys)) == len(keys)
    found = server.get("/numbers?limit=1000&carrier=brackwater")["items"]
    assert len(found) == 60 + 4 * len(offers)
    assert {
        n["state"] for n in found if n["e164"] in {e for o in offers for e in o["numbers"]}
    } == {"available"}
    balance = next(
        a["balance"]["amount"]
        for c in server.get("/carriers")["items"]
        for a in c["accounts"]
        if a["id"] == "brackwater-main"
    )
    assert float(balance) == 640 - sum(float(o["setup"]["amount"]) for o in offers)
    staff = next(s for s in server.get("/subscriptions")["items"] if s["product"] == "staff-seat")
    assert staff["used"] == 19 + len(works)
    for i in range(len(works)):
        told = [e["action"] for e in server.get(f"/numbers/+4411349602{40 + i}/history")["items"]]
        assert told.count("number.set-aside") == 1
    mails = [(m["to"], m["subject"], m["text"]) for m in server.get("/standins/mailbox")["items"]]
    assert len(mails) == len(set(mails)), "each mail once"


PORT_KILLS = int(os.environ.get("PORT_KILLS", "3"))


@pytest.mark.killing
def test_killed_while_five_hundred_numbers_are_switched_each_arrives_once(server):
    """The switch goes on after each death, and no number has two lives, no holder two switches."""
    told = {
        "number": "OQ-9000",
        "name": "Reedbank Fairs Limited",
        "address": "1 Reedbank, Bristol, BS2 1ZZ",
        "pin": "9000",
    }
    wish = {
        "text": "01632 960001-960500",
        "to_account": "fellgate-main",
        "site": "canal-museum",
        "account": told,
    }
    port = server.post("/ports", wish)["items"][0]
    assert len(port["numbers"]) == 500
    server.post(f"/ports/{port['id']}/sign", {"by": "Imogen Vance"})
    asked = server.post(f"/ports/{port['id']}/submit", {})["work_order"]
    server.post(f"/work-orders/{asked}/run", {})
    server.post("/standins/clock", {"advance": "P5D"})
    accepted = server.get(f"/ports/{port['id']}")
    assert accepted["state"] == "accepted"
    draft = server.post(f"/ports/{port['id']}/switch", {})["work_order"]
    server.post(f"/work-orders/{draft}/run", {})
    foc = datetime.fromisoformat(accepted["foc"])
    now = datetime.fromisoformat(
        httpx.post(f"http://127.0.0.1:{server.standins_port}/control/tick", timeout=30).json()[
            "now"
        ]
    )
    chance = random.Random(500)
    mover = threading.Thread(
        target=_try,
        args=(server, "/standins/clock", {"advance": f"PT{int((foc - now).total_seconds()) + 2}S"}),
    )
    mover.start()
    for _ in range(PORT_KILLS):
        time.sleep(0.2 + chance.random())
        server.kill()
        server.start()
    mover.join()
    left = (
        foc
        - datetime.fromisoformat(
            httpx.post(f"http://127.0.0.1:{server.standins_port}/control/tick", timeout=30).json()[
                "now"
            ]
        )
    ).total_seconds()
    server.post("/standins/clock", {"advance": f"PT{max(0, int(left)) + 3600}S"})
    assert server.get(f"/ports/{port['id']}")["state"] == "activated"
    found = server.get("/numbers?limit=1000&find=01632")["items"]
    assert len(found) == len({n["e164"] for n in found}) == 500
    assert {n["state"] for n in found} == {"available"}
    entries = server.get(f"/numbers/{found[7]['e164']}/history")["items"]
    assert [e["action"] for e in entries].count("number.ported-in") == 1


def _try(server, path, body):
    """A call that may be cut off by the server's death."""
    with contextlib.suppress(httpx.HTTPError):
        server.api.post(path, json=body)
