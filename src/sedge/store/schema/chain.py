"""Tables of the ledger: entries chained by their hashes."""

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    Index,
    Integer,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
)

from sedge.store.schema.tables import Moment, estate_metadata

ledger_batch = Table(
    "ledger_batch",
    estate_metadata,
    Column("number", BigInteger),
    Column("sequence", Integer),
    PrimaryKeyConstraint("number", "sequence"),
)


ledger = Table(
    "ledger",
    estate_metadata,
    Column("sequence", Integer, primary_key=True, autoincrement=False),
    Column("at", Moment, nullable=False),
    Column("actor", String(120), nullable=False),
    Column("actor_id", String(80), nullable=False, server_default=""),
    Column("action", String(40), nullable=False),
    Column("subject", String(20), nullable=False),
    Column("subject_id", String(80), nullable=False),
    Column("title", String(200), nullable=False),
    Column("reason", String(400), nullable=False),
    Column("work_order", String(80)),
    Column("after", Text),
    Column("hash", String(64), nullable=False),
    Column("erased", Boolean, nullable=False, server_default="0"),
    Index("ledger_subject", "subject", "subject_id", "sequence"),
    Index("ledger_work_order", "work_order", "sequence"),
    Index("ledger_at", "at"),
)


ledger_head = Table(
    "ledger_head",
    estate_metadata,
    Column("id", Integer, primary_key=True),
    Column("sequence", Integer, nullable=False),
    Column("hash", String(64), nullable=False),
    Column("pulse", Integer, key="change_counter", nullable=False),
    CheckConstraint("id = 1", name="one_row"),
)
