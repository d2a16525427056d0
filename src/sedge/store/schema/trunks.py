"""What the other sides of trunks say: their answers to OPTIONS, and the lists of numbers that they
have."""

from sqlalchemy import Column, Integer, PrimaryKeyConstraint, String, Table, Text

from sedge.store.schema.tables import Moment, estate_metadata

trunk_standing = Table(
    "trunk_standing",
    estate_metadata,
    Column("trunk", String(80), primary_key=True),
    Column("at", Moment, nullable=False),
    Column("ms", Integer),
    Column("said", String(200), nullable=False),
    Column("since", Moment, nullable=False),
    Column("missed", Integer, nullable=False),
)
trunk_hour = Table(
    "trunk_hour",
    estate_metadata,
    Column("trunk", String(80), nullable=False),
    Column("hour", Integer, nullable=False),
    Column("asked", Integer, nullable=False),
    Column("answered", Integer, nullable=False),
    Column("ms", Integer, nullable=False),  # of all answers together
    Column("slowest", Integer, nullable=False),
    PrimaryKeyConstraint("trunk", "hour"),
)
their_list = Table(
    "their_list",
    estate_metadata,
    Column("trunk", String(80), primary_key=True),
    Column("at", Moment, nullable=False),
    Column("by", String(120), nullable=False),
    Column("numbers", Text, nullable=False),  # E.164, one a line
    Column("unread", Text, nullable=False),
)
