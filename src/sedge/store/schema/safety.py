"""The tables of safety: who is where, floor plans, links by which somebody at the site confirms a
spot, reports of emergency tests."""

from sqlalchemy import (
    Boolean,
    Column,
    Index,
    Integer,
    LargeBinary,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    text,
)

from sedge.store.schema.tables import Moment, estate_metadata

placed = Table(
    "placed",
    estate_metadata,
    Column("site", String(80)),
    Column("kind", String(12)),  # number: in use; person: here
    Column("spot", String(20)),  # '' where there is none
    Column("count", Integer, nullable=False),
    PrimaryKeyConstraint("site", "kind", "spot"),
)
floor_plan = Table(
    "floor_plan",
    estate_metadata,
    Column("site", String(80)),
    Column("floor", String(60)),
    Column("media_type", String(40), nullable=False),
    Column("content", LargeBinary, nullable=False),
    Column("at", Moment, nullable=False),
    PrimaryKeyConstraint("site", "floor"),
)
confirm_link = Table(
    "confirm_link",
    estate_metadata,
    Column("token_hash", String(64), primary_key=True),
    Column("spot", String(20), nullable=False),
    Column("sent_to", String(200), nullable=False),
    Column("expires_at", Moment, nullable=False),
    Column("used_at", Moment),
    Index("confirm_link_spot", "spot"),
)
place_to_tell = Table(
    "place_to_tell",
    estate_metadata,
    Column(
        "spot", String(20), primary_key=True
    ),  # its words have changed, and nobody has been told yet
)
emergency_report = Table(
    "emergency_report",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("at", Moment, nullable=False),
    Column("by", String(120), nullable=False),
    Column("body", Text, nullable=False),
    Column("done", Boolean, nullable=False),
    Column("parts", Integer, nullable=False),
    Index("emergency_report_at", "at"),
    Index(
        "emergency_report_open",
        "id",
        sqlite_where=text("done IS 0"),
        postgresql_where=text("done IS false"),
    ),
)
emergency_report_part = Table(
    "emergency_report_part",
    estate_metadata,
    Column("report", String(80)),
    Column("part", Integer),
    Column("lines", LargeBinary, nullable=False),  # compressed
    PrimaryKeyConstraint("report", "part"),
)
