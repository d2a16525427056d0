"""Spend at size: a file of a million calls read, priced and counted; a deck of 100,000 prefixes; a
month of a million numbers; a large invoice."""

import io
import random
import shutil
import tempfile
import time
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from statistics import median

from bench.figures import say
from sedge.app import open_installation
from sedge.core.spend.invoices import BilledFor, BilledLine, Expected, judge
from sedge.core.spend.months import Month
from sedge.core.spend.rates.rate_decks import Rate, deck_of
from sedge.core.spend.rates.rating import Leg, rate_all
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.clock import Clock
from sedge.services.spend import call_records, costs, usage
from sedge.services.spend.rates import rate_decks, rating
from sedge.settings import Settings
from sedge.standins.app import StandinServer

CALLS, PREFIXES, NUMBERS, LINES = 1_000_000, 100_000, 1_000_000, 100_000


def decks() -> None:
    draw = random.Random(1)
    prefixes = sorted({str(draw.randrange(1, 10**7)) for _ in range(PREFIXES)})
    deck = deck_of("d", "Deck", "GBP", [Rate(p, 10_000) for p in prefixes])
    asked = [str(draw.randrange(10**11, 10**12)) for _ in range(100_000)]
    begun = time.perf_counter()
    for digits in asked:
        deck.find(digits, "2026-11-01")
    each = (time.perf_counter() - begun) / len(asked) * 1e6
    say(f"a rate found among {len(prefixes):,} prefixes", each, "µs")
    legs = [
        Leg(i, i, "+441134960100", f"+{digits}", "out", "t", "person:a", 60, "2026-11-01")
        for i, digits in enumerate(asked)
    ]
    begun = time.perf_counter()
    for _ in rate_all(legs, lambda _trunk, _number: (deck,), {}):
        pass
    rate = len(legs) / (time.perf_counter() - begun)
    say("calls priced a second, in memory", rate, "")


def invoice() -> None:
    fees = {f"+4411349{i:06d}": Decimal("0.80") for i in range(LINES)}
    lines = [
        BilledLine(i, BilledFor.NUMBER, number, "Fee", Decimal(1), Decimal("0.80"))
        for i, number in enumerate(fees, 1)
    ]
    begun = time.perf_counter()
    for _ in judge(lines, Expected(fees=fees), "GBP"):
        pass
    say(f"an invoice of {LINES:,} lines judged", time.perf_counter() - begun, "s")


def records() -> None:
    folder = Path(tempfile.mkdtemp())
    settings = Settings(data=folder, demo=True, durable=False, runner=False)
    ready_data(settings)
    standins = StandinServer(folder).start(ticking=False)
    context = open_installation(settings, standins.url, Clock(timedelta(0))).context(MEMBERS[0])
    try:
        _deck_loaded(context)
        _calls_read(context)
        _looked_at(context)
        _million(context)
    finally:
        context.installation.close()
        standins.stop()
        shutil.rmtree(folder)


def _deck_loaded(context) -> None:
    draw = random.Random(2)
    prefixes = sorted({str(draw.randrange(10**5, 10**6)) for _ in range(PREFIXES)})
    text = "prefix,destination,price\n" + "\n".join(f"{p},Somewhere,0.0123" for p in prefixes)
    begun = time.perf_counter()
    loaded = rate_decks.load(context, "fellgate-bristol", text.encode(), currency="GBP")
    took = time.perf_counter() - begun
    say(f"a deck of {loaded.rates:,} prefixes loaded, rows a second", loaded.rates / took, "")


def _calls_read(context) -> None:
    draw = random.Random(3)
    begins = context.now().astimezone(UTC) - timedelta(days=60)
    rows = io.StringIO()
    rows.write("id,started,duration,ring,from,to,trunk\n")
    for i in range(CALLS):
        at = begins + timedelta(seconds=i * 5)
        other = f"+4477009{draw.randrange(10**5):05d}"
        ours = f"+44113496{draw.randrange(100, 300):04d}"
        caller, callee = (ours, other) if i % 4 == 0 else (other, ours)
        rows.write(f"{i},{at:%Y-%m-%dT%H:%M:%SZ},{i % 300},{i % 30},{caller},{callee},Leeds A\n")
    begun = time.perf_counter()
    data = io.BytesIO(rows.getvalue().encode())
    file = call_records.receive(context, "calls.csv", data, source="Bench")
    while file.state.value == "reading":
        file = call_records.read_on(context, call_records.get(context, file.id), seconds=60)
    took = time.perf_counter() - begun
    say(f"{file.fresh:,} call records read, priced and counted, rows a second", CALLS / took, "")
    begun = time.perf_counter()
    rating.rate_month(context, Month.of(context.now()).later(-1))
    say("a month of them priced anew", time.perf_counter() - begun, "s")


def _looked_at(context) -> None:
    def timed(do) -> float:
        taken = []
        for _ in range(5):
            begun = time.perf_counter()
            do()
            taken.append((time.perf_counter() - begun) * 1000)
        return median(taken)

    say("a number's year", timed(lambda: usage.year_of(context, "+441134960142")), "ms")
    month = Month.of(context.now())
    say("use of a month by site", timed(lambda: usage.usage(context, "site", *_days(month))), "ms")


def _days(month: Month) -> tuple:
    return month.first, month.last


def _million(context) -> None:
    """A month of a million numbers, when nothing is remembered of it and when it is."""
    since = (datetime.now(UTC) - timedelta(days=200)).replace(tzinfo=None)
    with context.writing() as writing:
        writing.connection.exec_driver_sql(
            "INSERT INTO fee_span (number, site, holder_kind, holder_id, cost_centre, carrier,"
            " account, currency, monthly, since) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT"
            " i + 1 FROM n WHERE i < ?) SELECT 490000000000 + i, 'wharf-house', 'person',"
            " 'p' || i, 'c' || (i % 50), 'fellgate', 'fellgate-main', 'GBP', 8000, ? FROM n",
            (NUMBERS, since.isoformat(" ", timespec="microseconds")),
        )
        writing.touch()
    month = Month.of(context.now())
    begun = time.perf_counter()
    costs.statements(context, month, "site")
    say(f"cost by site of {NUMBERS:,} numbers, first", (time.perf_counter() - begun) * 1000, "ms")
    begun = time.perf_counter()
    costs.statements(context, month, "site")
    say(f"cost by site of {NUMBERS:,} numbers, again", (time.perf_counter() - begun) * 1000, "ms")


def main() -> None:
    decks()
    invoice()
    records()


if __name__ == "__main__":
    main()
