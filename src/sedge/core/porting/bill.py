"""The account as we tell it, compared with the losing carrier's bill, character by character.

A losing carrier compares word for word; a missing *Limited* or a letter O for a nought costs a
week.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

from sedge.core.porting.records import AccountDetails

FIELDS = {
    "name": "Account holder",
    "address": "Billing address",
    "account": "Account number",
    "pin": "PIN",
}
MOST_LINES, MOST_JOINED, LEAST = 400, 5, 0.5


@dataclass(frozen=True)
class Piece:
    """A run of characters: in both, only told by us, or only on the bill."""

    text: str
    of: Literal["both", "ours", "bill"]


@dataclass(frozen=True)
class Compared:
    """A detail and what the bill has nearest to it; `theirs` is empty where it has nothing like
    it."""

    field: str
    words: str
    ours: str
    theirs: str
    pieces: tuple[Piece, ...]

    @property
    def same(self) -> bool:
        return bool(self.theirs) and self.ours == self.theirs


def compare(details: AccountDetails, bill: str) -> list[Compared]:
    """Each detail that is told, in the order of the form. `bill` is its text, as copied."""
    lines = [_plain(line) for line in bill.splitlines()[:MOST_LINES] if line.strip()]
    found = []
    for field, words in FIELDS.items():
        ours = getattr(details, field)
        if ours:
            theirs = _nearest(ours, lines, joined=field == "address")
            found.append(
                Compared(
                    field,
                    words,
                    ours,
                    theirs,
                    tuple(_pieces(ours, theirs)) if theirs else (Piece(ours, "ours"),),
                )
            )
    return found


def _plain(line: str) -> str:
    return re.sub(r"\s+", " ", line).strip()


def _nearest(ours: str, lines: list[str], *, joined: bool) -> str:
    """The part of the bill that is most like it: the same where it stands there as it is; an
    address also over several lines."""
    if any(re.search(rf"(?<!\w){re.escape(ours)}(?!\w)", line) for line in lines):
        return ours
    best, likeness = "", LEAST
    for candidate in _candidates(ours, lines, joined=joined):
        ratio = SequenceMatcher(None, ours.casefold(), candidate.casefold(), autojunk=False).ratio()
        if candidate == ours or ratio > likeness:
            best, likeness = candidate, 1.1 if candidate == ours else ratio
    return best


def _candidates(ours: str, lines: list[str], *, joined: bool) -> Iterable[str]:
    """Lines, what stands behind a label in them, runs of as many words; for an address lines put
    together with commas."""
    count = len(ours.split())
    for i, line in enumerate(lines):
        yield line
        if ":" in line:
            yield line.partition(":")[2].strip()
        words = line.split()
        for size in {count - 1, count, count + 1} - {0, -1}:
            yield from (" ".join(words[k : k + size]) for k in range(len(words) - size + 1))
        if joined:
            yield from (
                ", ".join(x.rstrip(",") for x in lines[i : i + n])
                for n in range(2, MOST_JOINED + 1)
            )


def _pieces(ours: str, theirs: str) -> Iterable[Piece]:
    for tag, a, b, c, d in SequenceMatcher(None, ours, theirs, autojunk=False).get_opcodes():
        if tag == "equal":
            yield Piece(ours[a:b], "both")
            continue
        if a != b:
            yield Piece(ours[a:b], "ours")
        if c != d:
            yield Piece(theirs[c:d], "bill")
