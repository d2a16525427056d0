"""The records that the simulated telephone system keeps of calls that were placed on it."""

from collections.abc import Sequence
from datetime import timedelta

from sedge.standins.storage import Book, Json, moment, stamp

OUTSIDE_PHONE = "+447700900200"
TALK = 12  # seconds that somebody who answers says something
MOST_AT_ONCE = 10_000


def keep_record(
    book: Book,
    number: str,
    other: str,
    direction: str,
    *,
    trunk: str,
    ring: int,
    answered: bool,
    steps: Sequence[Json] = (),
) -> None:
    """One leg, under the next number; `steps` of the call path that it passed."""
    no = int(book.get("counter", "call") or 0) + 1
    book.put("counter", "call", no)
    starts = book.now()
    ends = starts + timedelta(seconds=ring + (TALK if answered else 0))
    caller, callee = (other, number) if direction == "in" else (number, other)
    book.put(
        "call record",
        f"{no:09d}",
        {
            "no": no,
            "started": stamp(starts),
            "answered": stamp(starts + timedelta(seconds=ring)) if answered else "",
            "ended": stamp(ends),
            "from": caller,
            "to": callee,
            "direction": direction,
            "trunk": trunk,
            "cause": "16" if answered else "19",
            "steps": list(steps),
        },
    )


def records_after(book: Book, after: int) -> list[Json]:
    """Of calls that are over, in their order."""
    found = [r for _, r in sorted(book.all("call record").items()) if r["no"] > after]
    return [r for r in found if moment(r["ended"]) <= book.now()][:MOST_AT_ONCE]
