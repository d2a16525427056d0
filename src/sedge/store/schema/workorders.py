"""The tables of work orders and their tasks."""

from sqlalchemy import Boolean, Column, Index, Integer, String, Table, Text, false, text

from sedge.store.schema.tables import Moment, estate_metadata

work_order = Table(
    "work_order",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("no", Integer, nullable=False, unique=True),
    Column("title", String(200), nullable=False),
    Column("state", String(12), nullable=False),
    Column("reason", String(400), nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("created_by", String(120), nullable=False),
    Column("author", String(80), nullable=False, server_default=""),  # the sign-in of who wrote it
    Column("run_at", Moment),
    Column("awaits", String(80)),
    Column("started_at", Moment),
    Column("finished_at", Moment),
    Column("undo_of", String(80)),
    Column("version", Integer, nullable=False),
    Column(
        "is_look", Boolean, nullable=False, server_default=false()
    ),  # a draft that goes by itself
    Column("superseded_by", Integer),
    Index("work_order_state", "state", "created_at"),
    Index(
        "work_order_undo",
        "undo_of",
        sqlite_where=text("undo_of IS NOT NULL"),
        postgresql_where=text("undo_of IS NOT NULL"),
    ),
)
task = Table(
    "task",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("work_order", String(80), nullable=False),
    Column("position", Integer, nullable=False),
    Column("after", Text, nullable=False),
    Column("body", Text, nullable=False),
    Column("state", String(12), nullable=False),
    Column("waits_for", String(400), nullable=False),
    Column("next_try", Moment),
    Column("attempts", Integer, nullable=False),
    Column("leased_until", Moment),
    Column("works_from", Moment),
    Column("error", String(600), nullable=False),
    Column("added_as_remedy_for", Integer),
    Column("snapshots", Text),
    Index("task_work_order", "work_order", "position"),
    Index(
        "task_due",
        "next_try",
        sqlite_where=text("state = 'waiting'"),
        postgresql_where=text("state = 'waiting'"),
    ),
)
