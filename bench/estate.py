"""The estate at full size: a million numbers at 5,000 sites, 300,000 holders, 3,000,000 changes;
searched, listed, drawn, imported.

`NUMBERS=` makes it smaller. Data is made by statements, not by the desk: what is measured is
reading. Beside each of the finder's questions stands the time of the same question in plain sqlite3
on the same file.
"""

import io
import logging
import os
import random
import resource
import sqlite3
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import structlog
from httpx2 import Response
from starlette.testclient import TestClient

from bench.figures import say
from bench.pages import percentile, signed_in
from sedge.app import open_installation
from sedge.core.numbers.e164 import read
from sedge.core.numbers.ranges import NumberSet, Span
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.context import Context
from sedge.services.imports import number_files
from sedge.settings import Settings
from sedge.standins.app import StandinServer
from sedge.store.projections import number_projections, spot_counts
from sedge.store.repositories.number_files import FileState

FIRST = 441135000000
ROUNDS = 40
AS_TYPED = {"HX-Request": "true"}  # as the page asks while one types
FIRST_NAMES, LAST_NAMES = (
    ("Ada", "Bo", "Cy", "Di", "Eli", "Fay", "Gus", "Hal"),
    ("Reed", "Rush", "Vale", "Marsh", "Ford", "Lake", "Moor", "Fenn"),
)


def fill(context: Context, count: int, *, people: int = 0, phones: bool = False) -> None:
    """Sites, people (three for ten numbers where it isn't said), numbers with their spans, ledger
    entries and words, in the tables' own form; with `phones` a registered one each."""
    chance = random.Random(3)
    sites, people = max(2, count // 200), people or max(1, count * 3 // 10)
    with context.reading() as reading:
        like = reading.connection.exec_driver_sql("SELECT body FROM site LIMIT 1").scalar_one()
        person = reading.connection.exec_driver_sql("SELECT body FROM person LIMIT 1").scalar_one()
        number = reading.connection.exec_driver_sql(
            "SELECT body FROM life WHERE number = 441134960160"
        ).scalar_one()
    with context.writing() as writing:
        raw = writing.connection.connection.driver_connection
        if raw is None:
            raise SystemExit("no connection")
        raw.executemany(
            "INSERT INTO site (id, name, code, country, version, body) SELECT ?1, ?2, ?3, 'GB', 1,"
            " json_set(?4, '$.id', ?1, '$.name', ?2, '$.code', ?3)",
            ((f"s-{i}", f"Branch {i}", f"B{i:04d}", like) for i in range(sites)),
        )
        names = [
            f"{chance.choice(FIRST_NAMES)} {chance.choice(LAST_NAMES)} {i}" for i in range(people)
        ]
        raw.executemany(
            "INSERT INTO person (id, name, email, site, extension, spot, departed, version, body)"
            " SELECT ?1, ?2, ?3, ?4, '', NULL, 0, 1, json_set(?5, '$.id', ?1, '$.name', ?2,"
            " '$.email', ?3, '$.site', ?4)",
            (
                (f"p-{i}", names[i], f"p{i}@example.test", f"s-{i % sites}", person)
                for i in range(people)
            ),
        )
        if phones:
            phone = (
                '{"id": "", "person": "", "kind": "desk phone", "name": "desk phone", "registered":'
                " true}"
            )
            raw.executemany(
                "INSERT INTO device (id, person, registered, version, body) SELECT 'd-' || ?1, ?1,"
                " 1, 1, json_set(?2, '$.id', 'd-' || ?1, '$.person', ?1)",
                ((f"p-{i}", phone) for i in range(people)),
            )
        raw.executemany(
            "INSERT INTO life (number, id, state, site, carrier, account, capacity, holder_kind,"
            " holder_id, role, spot, trunk, attention, kind, holder_name, label, price, changed_at,"
            " version, body) SELECT ?1, 'b-' || ?1, ?2, ?3, 'fellgate', 'fellgate-main', 'any', ?4,"
            " ?5, ?6, ?7, ?8, 0, 'geographic', ?9, '', 80, '2026-01-01 00:00:00.000000', 1,"
            " json_set(?10, '$.e164', '+' || ?1, '$.id', 'b-' || ?1, '$.site', ?3, '$.state', ?2,"
            " '$.assignment', CASE WHEN ?5 IS NULL THEN NULL ELSE json_object('holder',"
            " json_object('id', ?5, 'kind', ?4), 'role', ?6, 'since',"
            " '2026-01-01T00:00:00.000000Z', 'works_from', '2026-01-01T00:00:00.000000Z') END)",
            (_life(i, sites, people, names, number, chance) for i in range(count)),
        )
        raw.executemany(
            "INSERT INTO span (number, state, holder_name, site, carrier, capacity, since, until)"
            " VALUES (?, ?, '', ?, 'fellgate', 'any', ?, ?)",
            (row for i in range(count) for row in _spans(i, sites)),
        )
        raw.execute(
            "INSERT INTO digits (rowid, written) SELECT number, number || '$' FROM life WHERE id"
            " LIKE 'b-%' ORDER BY number"
        )
        raw.execute(
            "INSERT INTO finder (words, subject, ref, title) SELECT name || ' ' || email, 'person',"
            " id, name FROM person WHERE id LIKE 'p-%'"
        )
        last = raw.execute("SELECT sequence FROM ledger_head").fetchone()[0]
        raw.executemany(
            "INSERT INTO ledger (sequence, at, actor, action, subject, subject_id, title, reason,"
            " hash, after) VALUES (?, '2026-01-01 00:00:00.000000', 'x', 'number.adopted',"
            " 'number', ?, '', '', '', NULL)",
            ((last + 1 + k, f"+{FIRST + k % count}") for k in range(3 * count)),
        )
        raw.execute("UPDATE ledger_head SET sequence = sequence + ?", (3 * count,))
        raw.execute(
            "INSERT INTO tally SELECT number / 100, site, carrier, state, capacity, count(*) FROM"
            " life WHERE id LIKE 'b-%' GROUP BY 1, 2, 3, 4, 5"
        )
        facet = "carrier, state, capacity, kind, coalesce(holder_kind, ''), attention"
        raw.execute(
            f"INSERT INTO facet SELECT site, {facet}, count(*) FROM life"  # noqa: S608
            " WHERE id LIKE 'b-%' GROUP BY 1, 2, 3, 4, 5, 6, 7"
        )
        raw.execute("DELETE FROM facet WHERE site = ''")
        raw.execute(
            "INSERT INTO facet SELECT '', carrier, state, capacity, kind, holder_kind, attention,"
            " sum(count) FROM facet GROUP BY 2, 3, 4, 5, 6, 7"
        )
        number_projections.put_movements(writing.connection)
        spot_counts.put_placed(writing.connection)
        writing.touch()


def _life(
    i: int, sites: int, people: int, names: list[str], body: str, chance: random.Random
) -> tuple[object, ...]:
    state = "assigned" if i % 10 < 6 else ("reserved" if i % 97 == 0 else "available")
    who = i % people if state == "assigned" else None
    held = (
        ("person", f"p-{who}", "extra", "WHF-001-K", "leeds-a", names[who])
        if who is not None
        else (None, None, None, None, "leeds-a", "")
    )
    return FIRST + i, state, f"s-{i // 200 % sites}", *held[:5], held[5], body


def _spans(i: int, sites: int) -> list[tuple[object, ...]]:
    site, number = f"s-{i // 200 % sites}", FIRST + i
    first, second = (
        f"2025-0{1 + i % 8}-11 00:00:00.000000",
        f"2026-0{1 + i % 9}-0{1 + i % 9} 00:00:00.000000",
    )
    now = "assigned" if i % 10 < 6 else ("reserved" if i % 97 == 0 else "available")
    return [
        (number, "available", site, "2024-06-01 00:00:00.000000", first),
        (number, "assigned", site, first, second),
        (number, now, site, second, None),
    ]


def served(answer: Response) -> float:
    """Milliseconds that the server took, as it says itself (Server-Timing)."""
    answer.raise_for_status()
    return float(answer.headers["Server-Timing"].removeprefix("app;dur="))


def answered(client: TestClient, addresses: list[str]) -> float:
    """The 95th percentile of the server's time for these addresses, asked one after the other."""
    return percentile(
        [
            served(client.get(address, headers=AS_TYPED if "/find" in address else {}))
            for address in addresses
        ]
    )


def timed(work: Callable[[], object], rounds: int = ROUNDS) -> float:
    spent = []
    for _ in range(rounds):
        before = time.perf_counter()
        work()
        spent.append((time.perf_counter() - before) * 1000)
    return percentile(spent) if len(spent) > 1 else spent[0]


def finder(client: TestClient, file: Path, count: int) -> None:
    """Each kind of question, other digits and names each time; the same in plain sqlite3."""
    chance = random.Random(5)
    plain = sqlite3.connect(file)
    plain.execute("PRAGMA cache_size=-65536")
    one = lambda: str(FIRST + chance.randrange(count))  # noqa: E731
    fts = "SELECT ref FROM finder WHERE words MATCH ? LIMIT 8"
    digits = "SELECT rowid FROM digits WHERE written MATCH ? LIMIT 8"
    questions: dict[str, tuple[Callable[[], str], Callable[[str], object]]] = {
        "exact": (
            lambda: "%2B" + one(),
            lambda q: plain.execute(
                "SELECT body FROM life WHERE number = ?", (int(q[3:]),)
            ).fetchall(),
        ),
        "prefix": (
            lambda: "%2B" + one()[:9],
            lambda q: plain.execute(
                "SELECT body FROM life WHERE number BETWEEN ? AND ? LIMIT 8",
                (int(q[3:] + "000"), int(q[3:] + "999")),
            ).fetchall(),
        ),
        "ending": (
            lambda: "*" + one()[-4:],
            lambda q: plain.execute(digits, (f'"{q[1:]}$"',)).fetchall(),
        ),
        "fragment of five digits": (
            lambda: one()[5:10],
            lambda q: plain.execute(digits, (f'"{q}"',)).fetchall(),
        ),
        "name": (
            lambda: f"{chance.choice(LAST_NAMES)} {chance.randrange(count * 3 // 10)}".replace(
                " ", "+"
            ),
            lambda q: plain.execute(
                fts, (" AND ".join(f'"{w}"' for w in q.split("+") if len(w) > 2),)
            ).fetchall(),
        ),
    }
    for _ in range(5):  # a process that has just begun is not measured
        client.get(f"/find?find=*{chance.randrange(1000, 9999)}", headers=AS_TYPED)
    for name, (ask, same) in questions.items():
        asked = [ask() for _ in range(ROUNDS)]
        spent = answered(client, [f"/find?find={words}" for words in asked])
        again = iter(asked)
        bare = timed(lambda asked=again, same=same: same(next(asked)))
        say(
            f"finder, {name}: 95th",
            spent,
            "ms",
            f"(the question in sqlite3 {bare:.2f} ms, {spent / max(bare, 0.001):.0f} times)",
        )
    plain.close()


def pages(client: TestClient, count: int) -> None:
    for address in (
        "/numbers",
        "/numbers?group=area",
        "/numbers?view=list&state=available&carrier=fellgate",
        "/numbers?view=list&site=s-77&state=assigned",
        "/numbers?view=list&state=reserved&sort=-until",
        "/numbers?view=list&sort=holder",
        f"/numbers/{FIRST + count // 2}",
        "/numbers/sites?name=branch+7",
        "/numbers?at=2026-03-12",
        "/numbers?view=list&at=2026-03-12&site=s-77",
        "/numbers/figures?site=s-77",
        "/",
        "/safety",
        "/safety?site=s-77",
    ):
        first = served(client.get(address))
        say(f"{address}: 95th", answered(client, [address] * 20), "ms", f"(first view {first:.0f})")


def importing(context: Context, count: int) -> None:
    """A file of as many rows: looked through, then brought in."""
    text = io.BytesIO()
    text.write(b"Number,State,Site,Carrier,Label,A month\n")
    for i in range(count):
        site = "Wharf House" if i // 200 % 2 else "Canal Museum"
        text.write(
            f"+{FIRST + 5_000_000 + i},available,{site},Fellgate"
            f" Voice,{'fax' if i % 50 == 0 else ''},0.80\n".encode()
        )
    text.seek(0)
    started = time.perf_counter()
    file = number_files.receive(context, "large.csv", text)
    while file.state is FileState.READING:
        file = number_files.read_on(context, file)
    say(
        "import, looked through",
        count / (time.perf_counter() - started),
        "rows/s",
        f"({file.report.new:,} new, {file.report.bad} bad)",
    )
    started = time.perf_counter()
    while file.state is not FileState.DONE:
        file = number_files.bring_in_more(context, file.id, work_order="bench", reason="measured")
    say("import, brought in", count / (time.perf_counter() - started), "rows/s")
    say(
        "most memory of the process",
        resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
        "MB",
    )


def core() -> None:
    texts = [f"+44113{n:07d}" for n in range(4960000, 4970000)] * 30
    started = time.perf_counter()
    for text in texts:
        read(text, "GB")
    say("read() on canonical numbers", len(texts) / (time.perf_counter() - started), "a second")
    chance = random.Random(1)

    def ranges() -> NumberSet:
        return NumberSet(
            Span(12, a, a + 99)
            for a in chance.sample(range(FIRST, FIRST + 10_000_000, 200), 10_000)
        )

    one, other = ranges(), ranges()
    for name, work in {
        "union": lambda: one | other,
        "difference": lambda: one - other,
        "intersection": lambda: one & other,
        "longest run": one.longest_run,
        "written and read again": lambda: NumberSet.parse(one.written, most=10**9),
        "10,000 lookups": lambda: [n in one for n in range(FIRST, FIRST + 10_000)],
    }.items():
        say(f"ranges of 1,000,000 numbers in 10,000 intervals: {name}", timed(work, 7), "ms")


def main() -> None:
    count = int(os.environ.get("NUMBERS", "1000000"))
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.WARNING))
    core()
    folder = Path(os.environ.get("KEEP") or tempfile.mkdtemp())
    ready_data(Settings(data=folder, demo=True, durable=False, runner=False))
    standins = StandinServer(folder).start(ticking=False)
    installation = open_installation(
        Settings(data=folder, demo=True, durable=False, runner=False), standins.url
    )
    context = installation.context(MEMBERS[0])
    importing(context, count)
    started = time.perf_counter()
    fill(context, count)
    say(f"{count:,} numbers made in", time.perf_counter() - started, "s")
    with signed_in(installation) as client:
        finder(client, folder / "estate-lanternfield.sqlite", count)
        pages(client, count)
    installation.close()
    standins.stop()


if __name__ == "__main__":
    main()
