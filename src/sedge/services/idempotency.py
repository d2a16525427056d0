"""Answers given under an idempotency key, kept so that the same question gets the same answer.

The question is written down before it is acted on, and what it makes gets an identity that follows
from key and question: a process that is killed in between leaves a question without an answer, and
asking again finds what was made already. Assumption: one process. Two calls with one key at the
same time wait for each other here.
"""

import hashlib
import json
from collections.abc import Callable
from typing import Any

from sqlalchemy import delete, insert, select, update

from sedge.core.errors import KeyReused, SedgeError
from sedge.services.context import Context
from sedge.store.schema import mails

UNANSWERED = 0
Make = Callable[[str | None], tuple[int, Any]]


def once(context: Context, key: str, digest: str, make: Make) -> tuple[int, Any]:
    """The kept answer, or a new one from `make`, which is handed the identity of what it makes and
    must find it again.

    Raises KeyReused where the key was used for something else. An answer that is an error is not
    kept: the caller may mend what was wrong and use the key again.
    """
    table = mails.answered
    with context.installation.process.one_at_a_time(f"{context.who.organisation}/{key}"):
        with context.reading() as reading:
            kept = reading.connection.execute(select(table).where(table.c.key == key)).first()
        if kept and kept.request_hash != digest:
            raise KeyReused(
                "This idempotency key was used for another request. Take a new key.",
                field="Idempotency-Key",
            )
        if kept and kept.status != UNANSWERED:
            return kept.status, json.loads(kept.answer)
        if not kept:
            _write_down(context, key, digest)
        try:
            status, answer = make(identity(key, digest))
        except SedgeError:
            with context.writing() as writing:
                writing.connection.execute(delete(table).where(table.c.key == key))
            raise
        with context.writing() as writing:
            values = {"status": status, "answer": json.dumps(answer), "at": writing.now}
            writing.connection.execute(update(table).where(table.c.key == key).values(**values))
        return status, answer


def identity(key: str, digest: str) -> str:
    """What is made under a key for one question, always the same."""
    return hashlib.sha256(f"{key}/{digest}".encode()).hexdigest()[:12]


def _write_down(context: Context, key: str, digest: str) -> None:
    with context.writing() as writing:
        row = {
            "key": key,
            "request_hash": digest,
            "status": UNANSWERED,
            "answer": "",
            "at": writing.now,
        }
        writing.connection.execute(insert(mails.answered).values(**row))
