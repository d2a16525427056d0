"""Calls out at size: following one with many dial rules and routes, comparing digit maps, the
emergency matrix of many sites, and watching trunks by OPTIONS."""

import asyncio
import time
from datetime import UTC, datetime
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory

from bench.figures import say
from sedge.core.enums import Reached, SupplyModel, Transport
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.destinations import called
from sedge.core.outbound.dialling.dialplan import dial
from sedge.core.outbound.dialling.digit_maps import in_common
from sedge.core.outbound.records import OutboundRoute, OwnDialRule
from sedge.core.outbound.routes import route_to
from sedge.core.records import Site, Trunk
from sedge.core.safety.emergency_matrix import matrix
from sedge.core.trunks.records import TrunkSettings
from sedge.outside.sip.names import Names
from sedge.outside.sip.side import Side
from sedge.services.trunks.watching import ask_all
from sedge.standins.sip.server import SipCarriers
from sedge.store.database import Database
from sedge.store.repositories.trunk_answers import save_answers

RULES, ROUTES, SITES, TRUNKS = 200, 100, 500, 200
NOW = datetime(2026, 3, 10, 9, tzinfo=UTC)


def site(key: str, code: str = "GB") -> Site:
    country = COUNTRIES[code]
    return Site(
        id=key,
        name=key,
        code="ABC",
        country=code,
        timezone=country.timezone,
        language=country.language,
        supply_model=SupplyModel.OWN_TRUNK,
        outside_prefix="9",
    )


def follow() -> None:
    rules = tuple(
        OwnDialRule(name=str(i), pattern=f"7{i:03d}x.", leads_to=Reached.EXTENSION)
        for i in range(RULES)
    )
    here = site("here").copy_with(dial_rules=rules)
    routes = [OutboundRoute(name=str(i), destinations=(f"+{i + 10}",)) for i in range(ROUTES)]
    taken = []
    for _ in range(200):
        begun = time.perf_counter()
        became = dial("9 0131 496 0500", here)
        route_to(called(became.result, here.country), here, routes, NOW)
        taken.append((time.perf_counter() - begun) * 1000)
    say(f"a call dialled over {RULES} rules and {ROUTES} routes: median", median(taken), "ms")


def compare() -> None:
    ours = [f"{i:03d}xx[1-9]xxx." for i in range(RULES)]
    theirs = [f"{i % 10}{i // 10 % 10}x.{i % 7}" for i in range(RULES)]
    begun = time.perf_counter()
    for a in ours:
        for b in theirs:
            in_common(a, b)
    say(f"{RULES} digit maps against {RULES}", time.perf_counter() - begun, "s")


def reach() -> None:
    sites = [site(f"s{i}", list(COUNTRIES)[i % len(COUNTRIES)]) for i in range(SITES)]
    trunks = [
        Trunk(id=f"t{i}", name=f"T{i}", site=f"s{i}", carrier="fellgate", channels=10)
        for i in range(TRUNKS)
    ]
    begun = time.perf_counter()
    cells = list(matrix(sites, trunks))
    took = time.perf_counter() - begun
    say(f"emergency matrix of {SITES} sites, {TRUNKS} trunks, {len(cells):,} cells", took, "s")


def watch() -> None:
    """The share of a core that asking each trunk every 30 seconds takes, and keeping what came."""
    carriers = SipCarriers().start()
    side = Side(Names(("127.0.0.1", carriers.ports["dns"])), carriers.authority.pem)
    for transport in (Transport.UDP, Transport.TLS):
        settings = TrunkSettings(transport=transport, user="us")
        trunks = [
            Trunk(
                id=f"t{i}",
                name=f"T{i}",
                site="s",
                carrier="fellgate",
                channels=10,
                host="fellgate.example",
                settings=settings,
            )
            for i in range(TRUNKS)
        ]
        asyncio.run(ask_all(side, trunks[:1], lambda: NOW))  # its name is known from now on
        begun = time.process_time()
        answers = asyncio.run(ask_all(side, trunks, lambda: NOW))
        with TemporaryDirectory() as folder:
            database = Database(Path(folder) / "estate.db", "estate")
            database.migrate()
            kept = time.process_time()
            with database.writing() as connection:
                save_answers(connection, answers)
            keeping = time.process_time() - kept
            database.close()
        used = kept - begun
        well = sum(1 for answer in answers if answer.ms is not None)
        words = f"{TRUNKS} trunks ({well} answered) asked every 30 s over {transport}"
        say(f"{words}, carriers included", used / 30 * 100, "% core")
        say("  keeping the answers", keeping / 30 * 100, "% core")
    carriers.stop()


if __name__ == "__main__":
    follow()
    compare()
    reach()
    watch()
