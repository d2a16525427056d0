"""The ledger's chain: each entry carries the hash of the one before it, so that nothing can be
changed unseen.

Known hole: somebody who can write the whole file can rewrite the whole chain. Exporting the head
now and then, to where that person cannot write, closes it.
"""

import hashlib
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from sedge.core.facts import Fact, canonical

BEGINNING = "0" * 64


class Entry(Fact):
    """`actor` is the name of who did it, `actor_id` their sign-in: two people of one name stay
    apart. `after` is the record's whole snapshot after the change (None when it is a remark only).

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


def link(previous_hash: str, entry: Entry) -> str:
    """SHA-256 over the previous hash and this entry's canonical JSON, as hex. Entries from before
    identities were kept have none, and are linked without."""
    told = {
        name: getattr(entry, name)
        for name in Entry.model_fields
        if name != "actor_id" or entry.actor_id
    }
    return hashlib.sha256((previous_hash + canonical(told)).encode()).hexdigest()


def first_broken(entries: Iterable[tuple[Entry, str]], head: str) -> int | None:
    """The first sequence number that doesn't fit the chain, or None when everything holds. -1: the
    head differs."""
    previous = BEGINNING
    for expected, (entry, stored) in enumerate(entries, start=1):
        if entry.sequence != expected or link(previous, entry) != stored:
            return entry.sequence
        previous = stored
    return None if previous == head else -1
