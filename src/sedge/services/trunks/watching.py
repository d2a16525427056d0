"""Trunks that are watched: each is asked OPTIONS as often as its settings say, and what comes back
is kept as evidence with its time."""

import asyncio
import ssl
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection

from sedge.core.enums import Transport
from sedge.core.errors import SedgeError
from sedge.core.records import Trunk
from sedge.core.trunks.answers import HOURS_SHOWN, Answer, Hour, Standing
from sedge.core.trunks.records import TrunkSettings, TrunkState
from sedge.outside.sip import certificates
from sedge.outside.sip.agent import Agent, NoAnswerError
from sedge.outside.sip.apart import run_apart
from sedge.outside.sip.lines import open_line
from sedge.outside.sip.messages import BadMessageError
from sedge.outside.sip.side import Side
from sedge.services.context import Context
from sedge.services.process import Slot
from sedge.store.repositories import trunk_answers

AT_ONCE = 40
WAIT = 3.0  # seconds for an answer
LONGEST_SAID = 200
DUE = Slot[dict[str, float]]("when trunks are asked OPTIONS next")
FORGOTTEN = Slot[float]("when old answers of trunks were forgotten")
FORGET_SECONDS = 3600


@dataclass(frozen=True)
class Watched:
    """How a trunk stands, None where it was never asked; with its hours of the last week, of which
    the last one is `last_hour`."""

    standing: Standing | None
    hours: list[Hour]
    last_hour: int


def watch(context: Context) -> int:
    """Asks every trunk of the organisation whose turn has come; how many were asked. Raises
    OutsideTrouble where nothing can be asked at all."""
    due = context.installation.process.under_way(DUE).setdefault(context.who.organisation, {})
    known = context.installation.while_unchanged(
        context, "watched trunks", lambda: _watched(context)
    )
    now = time.monotonic()
    asked = [x for x in known if due.get(x.id, 0.0) <= now]
    if not asked:
        return 0
    for trunk in asked:
        due[trunk.id] = now + (trunk.settings.options_every if trunk.settings else 0)
    side = context.outside.sip.side()
    answers = run_apart(lambda: ask_all(side, asked, context.now))
    with context.installation.estates[context.who.organisation].writing() as connection:
        trunk_answers.save_answers(connection, answers)
        _forget_old(context, connection)
    return len(answers)


def _forget_old(context: Context, connection: Connection) -> None:
    last = context.installation.process.under_way(FORGOTTEN)
    if time.monotonic() - last.get(context.who.organisation, 0.0) > FORGET_SECONDS:
        trunk_answers.forget_old(connection, context.now())
        last[context.who.organisation] = time.monotonic()


def _watched(context: Context) -> list[Trunk]:
    with context.reading() as reading:
        return [x for x in reading.records.all(Trunk) if _is_watched(x)]


def _is_watched(trunk: Trunk) -> bool:
    settings = trunk.settings
    return bool(
        settings and settings.options_every and trunk.host and trunk.state is not TrunkState.RETIRED
    )


async def ask_all(side: Side, trunks: Sequence[Trunk], now: Callable[[], datetime]) -> list[Answer]:
    """One answer or silence of each."""
    turn = asyncio.Semaphore(AT_ONCE)
    tls = certificates.tls_context(side.roots)

    async def ask(trunk: Trunk) -> Answer:
        async with turn:
            begun = time.monotonic()
            ms, said = await _ask(side, tls, trunk, trunk.settings or TrunkSettings())
            took = round((time.monotonic() - begun) * 1000) if ms else None
            return Answer(trunk.id, now(), took, said[:LONGEST_SAID])

    return list(await asyncio.gather(*(ask(trunk) for trunk in trunks)))


async def _ask(
    side: Side, tls: ssl.SSLContext, trunk: Trunk, settings: TrunkSettings
) -> tuple[bool, str]:
    """Whether an answer came that means it is well, and what was said, or why nothing was."""
    host = settings.outbound_proxy or trunk.host
    found = await asyncio.to_thread(side.names.find_again, host, settings.port, settings.transport)
    said = f"{host} is not found in the DNS."
    for target in found.targets:
        try:
            async with (
                asyncio.timeout(WAIT + 1),
                open_line(
                    settings.transport,
                    target.address,
                    target.port,
                    tls if settings.transport is Transport.TLS else None,
                    host,
                ) as line,
            ):
                heard = await Agent(line, trunk.host, settings.user or "sedge", wait=WAIT).options()
        except (NoAnswerError, TimeoutError):
            said = f"No answer within {WAIT:.0f} seconds."
        except ssl.SSLCertVerificationError as wrong:
            said = f"Its certificate is not trusted: {wrong.verify_message}."
        except (BadMessageError, OSError, SedgeError) as wrong:
            said = f"The line broke: {wrong}."
        else:
            words = f"{heard.status} {heard.answer.reason}".strip()
            return heard.status < 500, words
    return False, said


def watched(context: Context, key: str) -> Watched:
    """Raises NotFound."""
    last = trunk_answers.hour_of(context.now())
    with context.reading() as reading:
        reading.records.the(Trunk, key)
        standing = trunk_answers.standings(reading.connection, [key]).get(key)
        hours = trunk_answers.hours_of(reading.connection, key, last - HOURS_SHOWN + 1)
    return Watched(standing, hours, last)


def standings_of(context: Context) -> dict[str, Standing]:
    """How every trunk stands that was asked."""
    with context.reading() as reading:
        keys = [x.id for x in reading.records.all(Trunk)]
        return trunk_answers.standings(reading.connection, keys)
