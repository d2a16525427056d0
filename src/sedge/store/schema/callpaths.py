"""The tables of call paths that are being drawn: drafts with what can be undone, sounds, and who
answers for whom."""

from sqlalchemy import (
    Column,
    Float,
    Index,
    Integer,
    LargeBinary,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
)

from sedge.store.schema.tables import Moment, estate_metadata

path_draft = Table(
    "path_draft",
    estate_metadata,
    Column("path", String(80), primary_key=True),  # the id it is, or will be, published under
    Column("name", String(80), nullable=False),
    Column("site", String(80), nullable=False),
    Column("based_on", Integer, nullable=False),  # the version it began from, 0 for a new path
    Column("version", Integer, nullable=False),
    Column("at", Moment, nullable=False),
    Column("actor", String(120), nullable=False),
    Column("body", Text, nullable=False),
    Column("undo", Text, nullable=False),  # JSON: earlier bodies, the last one first to come back
    Column("redo", Text, nullable=False),
)
clip = Table(
    "path_clip",
    estate_metadata,
    Column(
        "actor", String(120), primary_key=True
    ),  # everybody has a clipboard of their own, for all paths
    Column("body", Text, nullable=False),
)
sound = Table(
    "sound",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(120), nullable=False),
    Column("language", String(10), nullable=False),
    Column("text", Text, nullable=False),  # what it says, for whoever can't listen
    Column("media", String(40), nullable=False),
    Column("seconds", Float, nullable=False),
    Column("level", Float, nullable=False),  # RMS, dB below full scale
    Column("at", Moment, nullable=False),
    Column("actor", String(120), nullable=False),
    Column("removed", Integer, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Index("sound_name", "name"),
)
answers_for = Table(
    "answers_for",
    estate_metadata,
    Column("person", String(80)),
    Column("colleague", String(80)),
    PrimaryKeyConstraint("person", "colleague"),
    Index("asked_colleague", "colleague"),
)
