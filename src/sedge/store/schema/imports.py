"""The tables of files of numbers that come in, and of estates that are taken over."""

from sqlalchemy import Column, Index, Integer, PrimaryKeyConstraint, String, Table, Text

from sedge.store.schema.tables import Moment, estate_metadata

number_file = Table(
    "number_file",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(200), nullable=False),
    Column("digest", String(64), nullable=False),
    Column("state", String(12), nullable=False),
    Column("created_by", String(120), nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("work_order", String(80)),
    Column("body", Text, nullable=False),
    Index("number_file_state", "state"),
)
remembered_headers = Table(
    "remembered_headers",
    estate_metadata,
    Column("fingerprint", String(64), primary_key=True),
    Column("body", Text, nullable=False),
)
take_over = Table(
    "take_over",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(120), nullable=False),
    Column("state", String(12), nullable=False),
    Column("created_by", String(120), nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("work_order", String(80)),
    Column("version", Integer, nullable=False),
    Column("body", Text, nullable=False),
)
take_over_row = Table(
    "take_over_row",
    estate_metadata,
    Column("take_over", String(80)),
    Column("file", Integer),
    Column("line", Integer),
    Column("cells", Text, nullable=False),
    Column("decision", Text),
    PrimaryKeyConstraint("take_over", "file", "line"),
)
