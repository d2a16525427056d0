"""Supply under load: ranking 100,000 stock numbers, first answers of a search, a thousand open
orders looked after."""

import os
import random
import tempfile
import time
from collections import defaultdict
from datetime import datetime
from decimal import Decimal
from itertools import islice, pairwise
from pathlib import Path

from bench.estate import timed
from bench.figures import say
from sedge.app import open_installation
from sedge.core.enums import Capacity
from sedge.core.facts import Money
from sedge.core.numbers.ranges import NumberSet, Span
from sedge.core.supply.offers import StockNumber, Wish, rank_offers
from sedge.demo.running import ready_data
from sedge.demo.seed import MEMBERS
from sedge.services.carriers import payments
from sedge.services.clock import Clock
from sedge.services.context import Context, Installation
from sedge.services.supply import ordering, stock_search
from sedge.services.supply.execution import POLL
from sedge.services.workorders import runner
from sedge.settings import Settings
from sedge.standins.app import StandinServer

STOCK, IN_STOCK, ROUNDS = 100_000, 0.9, 6
ORDERS = int(os.environ.get("ORDERS", "1000"))


def ranking() -> None:
    """Runs and patterns in a large stock, beside ten thousand numbers owned."""
    price = Money(amount=Decimal("0.65"), currency="GBP")
    chance = random.Random(8)
    numbers = (n for n in range(441134000000, 441135000000) if chance.random() < IN_STOCK)
    stock = [StockNumber(f"+{n}", Capacity.SINGLE, price, price) for n in islice(numbers, STOCK)]
    owned = NumberSet(Span(12, a, a + 9) for a in range(441134000003, 441134140000, 70))
    for name, wish in {
        "runs of ten": Wish("GB", quantity=10, consecutive=True),
        "a pattern": Wish("GB", pattern="?500", quantity=1),
        "wanted endings": Wish("GB", quantity=3, endings=("142", "143", "144")),
        "any five": Wish("GB", quantity=5),
    }.items():
        say(
            f"ranking {STOCK:,} numbers: {name}",
            timed(lambda wish=wish: rank_offers(stock, wish, owned), 7),
            "ms",
        )


def searches(context: Context) -> None:
    wish = Wish("GB", area="Leeds", quantity=4, consecutive=True)
    say(
        "search of all carriers of a country",
        timed(lambda: stock_search.search(context, wish), 10),
        "ms",
    )
    for account, carrier in stock_search.sellers(context, wish):
        bare = timed(lambda a=account: context.at_carrier(a).stock("GB", "+44113", ""), 10)
        whole = timed(lambda a=account, c=carrier: stock_search.ask(context, wish, a, c), 10)
        say(f"{carrier.name}: its answer, and with ranking", bare, "ms", f"({whole:.0f} ms)")


def polling(installation: Installation, context: Context, clock: Clock) -> None:
    """Many open orders, looked after for two minutes of the outside's time: how often each is asked
    for, and how long a round takes."""
    carrier = context.outside.carrier("brackwater")
    asked: dict[str, list[datetime]] = defaultdict(list)
    whole = type(carrier).order_state
    type(carrier).order_state = lambda self, order: (
        asked[order].append(clock.now()),
        whole(self, order),
    )[1]
    numbers = _free(context, ORDERS)
    payments.deposit(context, "brackwater-main", str(3 * ORDERS))
    started = time.perf_counter()
    for i, number in enumerate(numbers):
        ordering.order(
            context,
            reference=f"bench {i}",
            account="brackwater-main",
            site="wharf-house",
            numbers=[number],
        )
    while runner.tick(installation):
        pass
    say(f"{len(numbers):,} orders written and placed", time.perf_counter() - started, "s")
    begun = time.perf_counter()
    for _ in range(ROUNDS):
        clock.advance(POLL)
        while runner.tick(installation):
            pass
    say("a round over all that are open", (time.perf_counter() - begun) / ROUNDS, "s")
    shortest = min(
        (b - a for moments in asked.values() for a, b in pairwise(moments)), default=POLL
    )
    say(
        f"the shortest pause between two requests for one order (at least {POLL.seconds})",
        shortest.total_seconds(),
        "s",
    )
    type(carrier).order_state = whole


def _free(context: Context, count: int) -> list[str]:
    account = stock_search.sellers(context, Wish("GB"), "brackwater")[0][0]
    return [s.e164 for s in context.at_carrier(account).stock("GB", "", "single")][:count]


def main() -> None:
    ranking()
    folder = Path(tempfile.mkdtemp())
    settings = Settings(data=folder, demo=True, durable=False, runner=False)
    ready_data(settings)
    standins = StandinServer(folder).start(ticking=False)
    clock = Clock()
    installation = open_installation(settings, standins.url, clock)
    context = installation.context(MEMBERS[0])
    searches(context)
    polling(installation, context, clock)
    installation.close()
    standins.stop()


if __name__ == "__main__":
    main()
