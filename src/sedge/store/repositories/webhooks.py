"""Webhooks of an organisation, and how far each has been told of the ledger."""

import json
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select, update

from sedge.core.ledger.chain import Entry
from sedge.store.schema.chain import ledger
from sedge.store.schema.webhooks import webhook as table


@dataclass(frozen=True)
class Webhook:
    """`subjects` are the kinds of things whose changes are told; `position` is the ledger's entry
    that was told last; `stopped_at` is set once nobody has taken anything for days."""

    id: str
    name: str
    url: str
    subjects: tuple[str, ...]
    made_by: str
    made_at: datetime
    position: int
    told_at: datetime | None = None
    tries: int = 0
    next_try: datetime | None = None
    problem: str | None = None
    stopped_at: datetime | None = None


def add(connection: Connection, webhook: Webhook) -> None:
    values = vars(webhook) | {"subjects": json.dumps(webhook.subjects)}
    connection.execute(insert(table).values(**values))


def all_of(connection: Connection) -> list[Webhook]:
    rows = connection.execute(select(table).order_by(table.c.made_at, table.c.id))
    return [_read(row) for row in rows]


def find(connection: Connection, key: str) -> Webhook | None:
    row = connection.execute(select(table).where(table.c.id == key)).first()
    return _read(row) if row else None


def due(connection: Connection, now: datetime) -> list[Webhook]:
    """Those that go on, and whose next try has come."""
    open_ones = (
        table.c.stopped_at.is_(None),
        (table.c.next_try.is_(None)) | (table.c.next_try <= now),
    )
    return [_read(row) for row in connection.execute(select(table).where(*open_ones))]


def next_due(connection: Connection) -> datetime | None:
    query = select(func.min(table.c.next_try)).where(table.c.stopped_at.is_(None))
    return connection.execute(query).scalar()


def next_entry(connection: Connection, webhook: Webhook) -> Entry | None:
    """The first entry after its position that it wants to hear of, without its snapshot."""
    plain = [ledger.c[name] for name in Entry.model_fields if name != "after"]
    query = (
        select(*plain)
        .where(ledger.c.sequence > webhook.position, ledger.c.subject.in_(webhook.subjects))
        .order_by(ledger.c.sequence)
        .limit(1)
    )
    row = connection.execute(query).first()
    return Entry.model_construct(**row._mapping, after=None) if row else None


def note(connection: Connection, key: str, **values: object) -> None:
    connection.execute(update(table).where(table.c.id == key).values(**values))


def remove(connection: Connection, key: str) -> bool:
    return connection.execute(delete(table).where(table.c.id == key)).rowcount == 1


def _read(row) -> Webhook:
    return Webhook(**{**row._mapping, "subjects": tuple(json.loads(row.subjects))})
