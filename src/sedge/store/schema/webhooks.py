"""Where other programs want to hear of what happens."""

from sqlalchemy import Column, Integer, String, Table, Text

from sedge.store.schema.tables import Moment, estate_metadata

webhook = Table(
    "webhook",
    estate_metadata,
    Column("id", String(40), primary_key=True),
    Column("name", String(80), nullable=False),
    Column("url", String(500), nullable=False),
    Column("subjects", Text, nullable=False),
    Column("made_by", String(120), nullable=False),
    Column("made_at", Moment, nullable=False),
    Column("position", Integer, nullable=False),  # the ledger's entry that was told last
    Column("told_at", Moment),
    Column("tries", Integer, nullable=False),
    Column("next_try", Moment),
    Column("problem", String(400)),
    Column("stopped_at", Moment),
)
