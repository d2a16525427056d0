"""Server time of every main page and of the finder, over an estate of `NUMBERS` numbers
(environment; 20,000 if not given)."""

import gzip
import os
import random
import re
import statistics
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from starlette.testclient import TestClient

from sedge.app import create_app, freeze_startup_objects, open_installation
from sedge.core.changes import changed
from sedge.core.estate import Change
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.records import (
    Assignment,
    Capacity,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Role,
    Subject,
)
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.context import Context, Installation
from sedge.settings import Settings
from sedge.standins.app import StandinServer

BATCH = 5_000
ROUNDS = 15
FIRST_NAMES, LAST_NAMES = (
    ("Ada", "Bo", "Cy", "Di", "Eli", "Fay"),
    ("Reed", "Rush", "Vale", "Marsh", "Ford", "Lake"),
)
FIRST = 441134970000  # after the demo's own numbers; the estate of a measurement is nobody's
PAGES = (
    "/",
    "/numbers",
    "/numbers?site=wharf-house",
    "/numbers?view=list",
    "/numbers?view=list&state=available",
    "/numbers?view=list&attention=1",
    "/numbers?number=441134960100",
    "/numbers/441134960100",
    "/holders",
    "/holders/people/person-ifeoma-okafor",
    "/licences",
    "/safety",
    "/safety?number=0113+496+0100",
    "/paths",
    "/paths/canal-front-desk",
    "/carriers",
    "/ledger",
    "/work-orders",
    "/work-orders/9",
)
FOUND = (
    "0113 496 0142",
    "*0142",
    "496 01",
    "okafor",
    "0113 497 1",
    "0113 496 0100-0149",
    "museum",
    "99",
)


def fill(context: Context, count: int) -> None:
    """Adopt `count` more numbers and a person for every three, who has two of them."""
    chance = random.Random(7)
    with context.reading() as reading:
        like = reading.records.the(Number, "+441134960100")
    for begin in range(0, count, BATCH):
        changes: list[Change] = []
        for n in range(begin, min(begin + BATCH, count)):
            site = chance.choice(("wharf-house", "canal-museum"))
            if n % 3 == 0:
                name = f"{chance.choice(FIRST_NAMES)} {chance.choice(LAST_NAMES)}"
                person = Person(
                    id=f"bench-{n}",
                    name=name,
                    email=f"bench-{n}@lanternfield.example",
                    site=site,
                    spot=like.spot,
                )
                changes.append(changed(Subject.PERSON, None, person, "person.added"))
            holder = HolderRef(kind=HolderKind.PERSON, id=f"bench-{n - n % 3}")
            held = (
                Assignment(
                    holder=holder, role=Role.EXTRA, since=context.now(), works_from=context.now()
                )
                if n % 3
                else None
            )
            number = Number(
                id=f"bench-{n}",
                e164=f"+{FIRST + n}",
                state=State.ASSIGNED if held else State.AVAILABLE,
                capacity=Capacity.ANY,
                account=like.account,
                carrier=like.carrier,
                site=site,
                monthly=Money(amount=like.monthly.amount, currency="GBP"),
                assignment=held,
                trunk=like.trunk,
                spot=like.spot if held else None,
            )
            changes.append(changed(Subject.NUMBER, None, number, "number.adopted"))
        with context.writing(reason="measured") as writing:
            writing.save(changes)


def percentile(spent: list[float]) -> float:
    return statistics.quantiles(spent, n=20, method="inclusive")[-1]


@contextmanager
def signed_in(installation: Installation) -> Iterator[TestClient]:
    """A client of an installation that serves, signed in as an administrator."""
    app = create_app(installation)
    freeze_startup_objects()
    with TestClient(app, base_url="http://127.0.0.1:8420", follow_redirects=False) as client:
        client.post("/sign-in", data={"who": MEMBERS[0].sign_in})
        yield client


def weight(client: TestClient) -> tuple[int, int]:
    """How many styles and scripts a page needs, and their bytes when compressed."""
    ahead = re.findall(r'(?:href|src)="(/static/[^"]+\.(?:css|js))"', client.get("/").text)
    return len(ahead), sum(len(gzip.compress(client.get(address).content)) for address in ahead)


def main() -> None:
    count = int(os.environ.get("NUMBERS", "20000"))
    folder = Path(tempfile.mkdtemp())
    ready_data(Settings(data=folder, demo=True, durable=False, runner=False))
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(
        Settings(data=folder, demo=True, durable=False, runner=False), standins.url
    )
    started = time.perf_counter()
    fill(installation.context(MEMBERS[0]), count)
    sys.stdout.write(f"{count:,} numbers made in {time.perf_counter() - started:.0f} s\n")
    with signed_in(installation) as client:
        files, total = weight(client)
        sys.stdout.write(f"{files} styles and scripts, {total / 1000:.0f} KB compressed\n")
        for address in (*PAGES, *(f"/find?find={words}" for words in FOUND)):
            spent = []
            for _ in range(ROUNDS):
                before = time.perf_counter()
                answer = client.get(address)
                spent.append((time.perf_counter() - before) * 1000)
                if answer.status_code != 200:
                    raise SystemExit(f"{address}: {answer.status_code}")
            sys.stdout.write(
                f"{address:<46} median {statistics.median(spent):8.1f}   95th"
                f" {percentile(spent):8.1f} ms\n"
            )
    installation.close()
    standins.stop()


if __name__ == "__main__":
    main()
