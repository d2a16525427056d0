"""The tables of drift: where carriers' lists and the estate differ, and when each was last
compared."""

from sqlalchemy import BigInteger, Column, Index, Integer, PrimaryKeyConstraint, String, Table, Text

from sedge.store.schema.tables import Moment, estate_metadata

difference = Table(
    "difference",
    estate_metadata,
    Column("account", String(80)),
    Column("number", BigInteger),
    Column("kind", String(20)),  # of core.supply.drift
    Column("ours", String(200), nullable=False),
    Column("theirs", String(200), nullable=False),
    Column("first_seen", Moment, nullable=False),
    Column(
        "accepted_by", String(120), nullable=False
    ),  # who said that it is known and may stay; '' nobody
    Column("why", Text, nullable=False),
    PrimaryKeyConstraint("account", "number", "kind"),
    Index("difference_kind", "kind", "number"),
)
compared = Table(
    "compared",
    estate_metadata,
    Column("account", String(80), primary_key=True),
    Column("at", Moment, nullable=False),
    Column("theirs", Integer, nullable=False),  # how many numbers the carrier lists
    Column("ours", Integer, nullable=False),
    Column(
        "problem", String(200), nullable=False
    ),  # why it could not be compared the last time; '' where it could
)
