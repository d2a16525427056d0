"""Tables that follow from the numbers: their past, counts, tags, names elsewhere."""

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Date,
    Index,
    Integer,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    text,
)

from sedge.store.schema.tables import Moment, estate_metadata

span = Table(
    "span",
    estate_metadata,
    Column("id", Integer, primary_key=True),
    Column("number", BigInteger, nullable=False),
    Column("state", String(16), nullable=False),
    Column("holder_kind", String(16)),
    Column("holder_id", String(80)),
    Column("holder_name", String(120), nullable=False),
    Column("site", String(80), nullable=False),
    Column("carrier", String(80), nullable=False),
    Column("capacity", String(8), nullable=False),
    Column("since", Moment, nullable=False),
    Column("until", Moment),
    Index("span_number", "number", "since"),
    Index("span_since", "since", "number"),
    Index(
        "span_until",
        "until",
        "number",
        sqlite_where=text("until IS NOT NULL"),
        postgresql_where=text("until IS NOT NULL"),
    ),
    Index("span_site", "site", "number", "since"),
    Index(
        "span_holder",
        "holder_id",
        sqlite_where=text("until IS NOT NULL"),
        postgresql_where=text("until IS NOT NULL"),
    ),
)


tally = Table(
    "tally",
    estate_metadata,
    Column("hundred", BigInteger),
    Column("site", String(80)),
    Column("carrier", String(80)),
    Column("state", String(16)),
    Column("capacity", String(8)),
    Column("count", Integer, nullable=False),
    PrimaryKeyConstraint("hundred", "site", "carrier", "state", "capacity"),
    Index("tally_site", "site", "hundred"),
)


facet = Table(
    "facet",
    estate_metadata,
    Column("site", String(80)),
    Column("carrier", String(80)),
    Column("state", String(16)),
    Column("capacity", String(8)),
    Column("kind", String(16)),
    Column("holder_kind", String(16)),
    Column("attention", Boolean),
    Column("count", Integer, nullable=False),
    PrimaryKeyConstraint(
        "site", "carrier", "state", "capacity", "kind", "holder_kind", "attention"
    ),
)


movement = Table(
    "movement",
    estate_metadata,
    Column("site", String(80)),
    Column("capacity", String(8)),
    Column("state", String(16)),
    Column("day", Date),
    Column("net", Integer, nullable=False),
    PrimaryKeyConstraint("site", "capacity", "state", "day"),
    Index("movement_state", "state", "day"),
)


number_tag = Table(
    "number_tag",
    estate_metadata,
    Column("tag", String(40)),
    Column("number", BigInteger),
    PrimaryKeyConstraint("tag", "number"),
    Index("tag_number", "number"),
)


known_as = Table(
    "known_as",
    estate_metadata,
    Column("subject", String(20)),
    Column("ref", String(80)),
    Column("system", String(40)),
    Column("value", String(120), nullable=False),
    PrimaryKeyConstraint("subject", "ref", "system"),
    Index("known_value", "value"),
)


saved_view = Table(
    "saved_view",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(80), nullable=False, unique=True),
    Column("query", Text, nullable=False),
    Column("created_by", String(120), nullable=False),
    Column("owner", String(80), nullable=False, server_default=""),
    Column("created_at", Moment, nullable=False),
)


kept_choice = Table(
    "kept_choice",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("numbers", Text, nullable=False),
    Column("at", Moment, nullable=False),
)
