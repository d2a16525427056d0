"""Reading the ledger: pages, a subject's history, a record as it stood, the chain's proof."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, or_, select

from sedge.core.facts import Fact
from sedge.core.ledger.chain import BEGINNING, Entry, first_broken
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import RECORD_TYPES, Number, Subject
from sedge.store.schema import chain


@dataclass(frozen=True)
class LedgerPage:
    """`next` is the sequence to pass as `before` for older entries, None at the end."""

    entries: list[Entry]
    next: int | None


def change_counter(connection: Connection) -> int:
    """A counter that moves with every write."""
    return connection.execute(select(chain.ledger_head.c.change_counter)).scalar() or 0


def last_sequence(connection: Connection) -> int:
    """The sequence of the newest entry, 0 before the first."""
    return connection.execute(select(chain.ledger_head.c.sequence)).scalar() or 0


def entries_after(connection: Connection, sequence: int, limit: int) -> list[Entry]:
    """The next entries after one, the oldest first, without their snapshots."""
    table = chain.ledger
    plain = [table.c[name] for name in Entry.model_fields if name != "after"]
    query = (
        select(*plain).where(table.c.sequence > sequence).order_by(table.c.sequence).limit(limit)
    )
    return [Entry.model_construct(**row._mapping, after=None) for row in connection.execute(query)]


def first_change(
    connection: Connection, things: set[tuple[Subject, str]], *, since: int
) -> Entry | None:
    """The first entry after `since` about one of `things`, without its snapshot."""
    table = chain.ledger
    plain = [table.c[name] for name in Entry.model_fields if name != "after"]
    for row in connection.execute(
        select(*plain).where(table.c.sequence > since).order_by(table.c.sequence)
    ):
        if (row.subject, row.subject_id) in things:
            return Entry.model_construct(**row._mapping, after=None)
    return None


def last_changes(
    connection: Connection, things: set[tuple[Subject, str]], *, since: datetime
) -> Iterator[Entry]:
    """Entries from a moment on about any of `things`, newest first, without their snapshots."""
    table = chain.ledger
    plain = [table.c[name] for name in Entry.model_fields if name != "after"]
    ids = sorted({key for _, key in things})
    query = (
        select(*plain)
        .where(table.c.at >= since, table.c.subject_id.in_(ids))
        .order_by(table.c.sequence.desc())
    )
    for row in connection.execute(query):
        if (row.subject, row.subject_id) in things:
            yield Entry.model_construct(**row._mapping, after=None)


def entries(
    connection: Connection,
    *,
    subject: Subject | None = None,
    key: str | None = None,
    actor: str | None = None,
    since: datetime | None = None,
    work_order: str | None = None,
    before: int | None = None,
    limit: int = 100,
) -> LedgerPage:
    """Newest first."""
    table = chain.ledger
    query = (
        select(*(table.c[name] for name in Entry.model_fields))
        .order_by(table.c.sequence.desc())
        .limit(limit + 1)
    )
    if subject is not None:
        query = query.where(table.c.subject == subject.value)
    if key is not None and subject is Subject.NUMBER and (batches := _batches(connection, key)):
        query = query.where(or_(table.c.subject_id == key, table.c.sequence.in_(batches)))
    elif key is not None:
        query = query.where(table.c.subject_id == key)
    if actor:
        query = query.where(table.c.actor == actor)
    if since:
        query = query.where(table.c.at >= since)
    if work_order:
        query = query.where(table.c.work_order == work_order)
    if before is not None:
        query = query.where(table.c.sequence < before)
    rows = [Entry.model_construct(**row._mapping) for row in connection.execute(query)]
    return LedgerPage(rows[:limit], rows[limit - 1].sequence if len(rows) > limit else None)


def _batches(connection: Connection, e164: str) -> list[int]:
    """Entries that tell of this number together with many others."""
    batch = chain.ledger_batch
    if not e164.lstrip("+").isdecimal():
        return []
    return [
        n
        for (n,) in connection.execute(select(batch.c.sequence).where(batch.c.number == int(e164)))
    ]


def as_it_stood(connection: Connection, subject: Subject, key: str, at: datetime) -> Any:
    """The record's snapshot at a moment, or None where it didn't exist yet."""
    table = chain.ledger
    query = (
        select(table.c.after)
        .where(
            table.c.subject == subject.value,
            table.c.subject_id == key,
            table.c.at <= at,
            table.c.after.is_not(None),
        )
        .order_by(table.c.sequence.desc())
        .limit(1)
    )
    if subject is Subject.NUMBER and (batches := _batches(connection, key)):
        return _last_of(connection, key, batches, at)
    body = connection.execute(query).scalar()
    return snapshot(subject, body) if body else None


def _last_of(connection: Connection, e164: str, batches: list[int], at: datetime) -> Any:
    """A number's last snapshot where some of its entries tell of many numbers."""
    table = chain.ledger
    own = and_(table.c.subject == Subject.NUMBER.value, table.c.subject_id == e164)
    query = select(table.c.sequence, table.c.after).where(
        or_(own, table.c.sequence.in_(batches)), table.c.at <= at, table.c.after.is_not(None)
    )
    row = connection.execute(query.order_by(table.c.sequence.desc()).limit(1)).first()
    if row is None:
        return None
    return (
        _snapshot_in(json.loads(row.after), e164)
        if row.sequence in batches
        else snapshot(Subject.NUMBER, row.after)
    )


def snapshot(subject: Subject, body: str) -> Fact:
    return RECORD_TYPES[subject].model_validate_json(body)


def verify(connection: Connection) -> tuple[int, int | None]:
    """How many entries there are, and the first that doesn't fit the chain (None: all hold; -1: the
    head differs)."""
    head = connection.execute(select(chain.ledger_head)).first()
    broken = first_broken(_chain(connection), head.hash if head else BEGINNING)
    return (head.sequence if head else 0), broken


def _chain(connection: Connection) -> Iterator[tuple[Entry, str]]:
    table = chain.ledger
    query = select(*(table.c[name] for name in Entry.model_fields), table.c.hash).order_by(
        table.c.sequence
    )
    for row in connection.execute(query.execution_options(yield_per=2000)):
        values = dict(row._mapping)
        stored = values.pop("hash")
        yield Entry.model_construct(**values), stored


def _snapshot_in(after: Mapping[str, Any], e164: str) -> Number | None:
    """One number's snapshot out of a chunk's entry."""
    for group in after["groups"]:
        if e164 in NumberSet.parse(group["numbers"], most=10**9):
            return Number.model_validate(
                {**group["like"], "e164": e164, "id": f"{after['batch']}-{e164[1:]}"}
            )
    return None
