"""Where a carrier's own list and the estate differ, number by number; what each difference means
and which way it can be put right.

Nothing is ever put right by itself: either the estate follows the carrier, or the carrier is told
what is so, by a work order.
"""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from sedge.core.facts import in_words, money
from sedge.core.numbers.life import State


class DriftKind(StrEnum):
    NOT_LISTED = "not listed"
    NOT_OURS = "not ours"
    PRICE = "other price"
    STATE = "other state"
    TRUNK = "other trunk"


@dataclass(frozen=True)
class Meaning:
    """`grave`: calls may not arrive, or something is paid for that nobody knows of."""

    means: str
    follow: str
    tell: str
    grave: bool = False


MEANINGS: dict[DriftKind, Meaning] = {
    DriftKind.NOT_LISTED: Meaning(
        "The carrier does not have it on our account: calls don't arrive, and anybody who"
        " asks for it"
        " may get it.",
        "It is no longer ours",
        "Ask to have it back in service",
        grave=True,
    ),
    DriftKind.NOT_OURS: Meaning(
        "The carrier bills it to us, and nobody here knows of it.",
        "Import number",
        "Hand it back to the carrier",
        grave=True,
    ),
    DriftKind.PRICE: Meaning(
        "What the carrier bills is not what was agreed.",
        "Take over the carrier's price",
        "Dispute the price",
    ),
    DriftKind.STATE: Meaning(
        "The carrier has it on its way out, and nobody here has said so.",
        "It is on its way out",
        "Stop it at the carrier",
        grave=True,
    ),
    DriftKind.TRUNK: Meaning(
        "The carrier sends its calls over another trunk than the one it is listed on here.",
        "List it on the carrier's trunk",
        "Tell the carrier our trunk",
        grave=True,
    ),
}


_PRICE = re.compile(r"\b(\d+(?:\.\d+)?) ([A-Z]{3})\b")


def as_told(value: str) -> str:
    """One side of a difference as people write it: `1.10 GBP` is £1.10."""
    return _PRICE.sub(lambda price: in_words(money(price[1], price[2])), value)


@dataclass(frozen=True, slots=True)
class OurLine:
    """A number as the estate has it. `monthly` in hundredths of the account's currency; `trunk` its
    name there, '' none."""

    state: str
    monthly: int
    trunk: str
    leaving: bool


@dataclass(frozen=True, slots=True)
class TheirLine:
    """A number as the carrier lists it; `trunk` None: it says nothing of it."""

    monthly: Decimal
    trunk: str | None
    state: str


@dataclass(frozen=True, slots=True)
class Difference:
    """`ours` and `theirs` in a few words, for people and for comparing with the last time."""

    e164: str
    kind: DriftKind
    ours: str
    theirs: str


NOT_BILLED_YET = {State.ON_ORDER.value, State.PORTING_IN.value}


def compare(
    ours: Mapping[str, OurLine],
    theirs: Mapping[str, TheirLine],
    trunks: Mapping[str, str],
    currency: str,
) -> Iterable[Difference]:
    """Every difference, in the order of the numbers. `trunks`: what the carrier calls ours, by our
    id, where that is another word."""
    for e164 in sorted(ours.keys() | theirs.keys()):
        mine, its = ours.get(e164), theirs.get(e164)
        if its is None:
            if mine and mine.state not in NOT_BILLED_YET and not mine.leaving:
                yield Difference(e164, DriftKind.NOT_LISTED, mine.state, "not on its list")
        elif mine is None:
            yield Difference(
                e164,
                DriftKind.NOT_OURS,
                "not in the estate",
                f"in service, {its.monthly} {currency} a month",
            )
        else:
            yield from _of_both(e164, mine, its, trunks, currency)


def _of_both(
    e164: str, mine: OurLine, its: TheirLine, trunks: Mapping[str, str], currency: str
) -> Iterable[Difference]:
    if round(its.monthly * 100) != mine.monthly and mine.state not in NOT_BILLED_YET:
        yield Difference(
            e164,
            DriftKind.PRICE,
            f"{Decimal(mine.monthly) / 100:.2f} {currency}",
            f"{its.monthly:.2f} {currency}",
        )
    going = mine.leaving or mine.state == State.PORTING_OUT.value
    if its.state != "in service" and not going:
        yield Difference(e164, DriftKind.STATE, mine.state, its.state)
    if its.trunk is not None and its.trunk != trunks.get(mine.trunk, mine.trunk):
        yield Difference(e164, DriftKind.TRUNK, mine.trunk or "on no list", its.trunk or "none")
