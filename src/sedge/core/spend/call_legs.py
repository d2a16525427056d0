"""The legs of calls, as carriers and telephone systems record them."""

from enum import StrEnum
from hashlib import blake2b
from typing import NamedTuple

from sedge.core.spend.step_use import Passed


class Direction(StrEnum):
    """As our numbers see it; a forward is the second leg of a call in."""

    IN = "in"
    OUT = "out"
    FORWARD = "forward"


class CallLeg(NamedTuple):
    """One leg of a call. `key` tells it from all others of its source; `started` is seconds since
    1970 (UTC); `ring` and `talk` are seconds before and after it was answered. `number` is ours,
    `other` the other side's: E.164 with plus, or as it was sent ('' withheld). `cause` is that of
    ITU-T Q.850, 0 where none is told. `way` are the steps of call paths that it passed."""

    key: str
    started: int
    ring: int
    talk: int
    answered: bool
    direction: Direction
    number: str
    other: str
    trunk: str
    cause: int
    way: tuple[Passed, ...] = ()


SHORTENED = "…"
KEPT_DIGITS = 3


def identity(source: str, key: str) -> int:
    """A record's own number, the same whenever it comes again: 63 bits of a digest."""
    digest = blake2b(f"{source}\0{key}".encode(), digest_size=8).digest()
    return int.from_bytes(digest) >> 1


def shortened(other: str) -> str:
    """The other side's number without its last digits, as it is kept where people are not to be
    told by it."""
    if not other.startswith("+") or other.endswith(SHORTENED):
        return other
    return other[:-KEPT_DIGITS] + SHORTENED
