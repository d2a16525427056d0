"""The ledger of an estate's file, looked at without opening the installation."""

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from sedge.store.database import Database
from sedge.store.repositories import ledger
from sedge.store.schema import chain


@dataclass(frozen=True)
class ChainState:
    """How many entries a ledger has, the hash of the newest, and where it breaks (None: nowhere,
    -1: at its end)."""

    entries: int
    head: str
    broken_at: int | None


def chain_of(file: Path) -> ChainState:
    database = Database(file, "estate")
    try:
        with database.reading() as connection:
            entries, broken = ledger.verify(connection)
            head = connection.execute(select(chain.ledger_head.c.hash)).scalar() or ""
    finally:
        database.close()
    return ChainState(entries, head, broken)


def hash_at(file: Path, sequence: int) -> str | None:
    """The hash of one entry, None where there is none."""
    database, table = Database(file, "estate"), chain.ledger
    try:
        with database.reading() as connection:
            query = select(table.c.hash).where(table.c.sequence == sequence)
            return connection.execute(query).scalar()
    finally:
        database.close()
