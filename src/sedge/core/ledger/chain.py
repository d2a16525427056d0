"""The ledger's chain: each entry carries the hash of the one before it, so that nothing can be
changed unseen.

Known hole: somebody who can write the whole file can rewrite the whole chain. Exporting the head
now and then, to where that person cannot write, closes it.
"""

import hashlib
import json
from collections.abc import Iterable
from datetime import datetime
from typing import Any, NamedTuple

from sedge.core.facts import Fact, to_canonical_json

BEGINNING = "0" * 64


ERASURE = "ledger.erased"  # the action of an entry that tells what has been erased


class Entry(Fact):
    """`actor` is the name of who did it, `actor_id` their sign-in: two people of one name stay
    apart. `after` is the record's whole snapshot after the change (None when it is a remark only).
    Of one that is `erased` somebody's personal data was taken out later.

    What it was before stands in the subject's previous entry.
    """

    sequence: int
    at: datetime
    actor: str
    actor_id: str = ""
    action: str
    subject: str
    subject_id: str
    title: str
    reason: str = ""
    work_order: str | None = None
    after: Any = None
    erased: bool = False


class ErasedEntry(NamedTuple):
    """An entry as it was written and as it is told since: the hash that the chain goes on from, and
    that of what is left of it."""

    sequence: int
    hash: str
    left: str


def link(previous_hash: str, entry: Entry) -> str:
    """SHA-256 over the previous hash and this entry's canonical JSON, as hex. Entries from before
    identities were kept have none, and are linked without."""
    told = {
        name: getattr(entry, name)
        for name in Entry.model_fields
        if name != "erased" and (name != "actor_id" or entry.actor_id)
    }
    return hashlib.sha256((previous_hash + to_canonical_json(told)).encode()).hexdigest()


def first_broken(entries: Iterable[tuple[Entry, str]], head: str) -> int | None:
    """The first sequence number that doesn't fit the chain, or None when everything holds. -1: the
    head differs.

    What is left of an erased entry is held against what the entry of its erasure says, which the
    chain itself holds: nothing can be called erased, or be changed afterwards, unseen.
    """
    previous = BEGINNING
    erased: dict[int, ErasedEntry] = {}
    told: dict[int, ErasedEntry] = {}
    for expected, (entry, stored) in enumerate(entries, start=1):
        found = link(previous, entry)
        if entry.sequence != expected or (not entry.erased and found != stored):
            return entry.sequence
        if entry.erased:
            erased[entry.sequence] = ErasedEntry(entry.sequence, stored, found)
        if entry.action == ERASURE:
            told.update((row.sequence, row) for row in erasures_in(entry))
        previous = stored
    unfit = [sequence for sequence, row in erased.items() if told.get(sequence) != row]
    if unfit:
        return min(unfit)
    return None if previous == head else -1


def erasures_in(entry: Entry) -> list[ErasedEntry]:
    """What an entry of an erasure tells."""
    body = json.loads(entry.after) if isinstance(entry.after, str) else (entry.after or {})
    return [ErasedEntry(*row) for row in body.get("entries", [])]
