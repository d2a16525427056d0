"""Tables of spend: calls and what follows from them, fees over time, rates, bills.

Moments of calls are whole seconds since 1970 (UTC), days are ISO 8601 text and money is whole ten
thousandths of its currency: these tables hold millions of rows, and their sums must be exact.
"""

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Index,
    Integer,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    text,
)

from sedge.store.schema.tables import Moment, estate_metadata

fee_span = Table(
    "fee_span",
    estate_metadata,
    Column("id", Integer, primary_key=True),
    Column("number", BigInteger, nullable=False),
    Column("site", String(80), nullable=False),
    Column("holder_kind", String(16), nullable=False),
    Column("holder_id", String(80), nullable=False),
    Column("cost_centre", String(40), nullable=False),
    Column("carrier", String(80), nullable=False),
    Column("account", String(80), nullable=False),
    Column("currency", String(3), nullable=False),
    Column("monthly", Integer, nullable=False),
    Column("since", Moment, nullable=False),
    Column("until", Moment),
    Index("fee_span_number", "number", "since"),
    Index("fee_span_since", "since"),
    Index(
        "fee_span_until",
        "until",
        sqlite_where=text("until IS NOT NULL"),
        postgresql_where=text("until IS NOT NULL"),
    ),
)


fee_tally = Table(
    "fee_tally",
    estate_metadata,
    Column("site", String(80)),
    Column("holder_kind", String(16)),
    Column("cost_centre", String(40)),
    Column("carrier", String(80)),
    Column("account", String(80)),
    Column("currency", String(3)),
    Column("monthly", Integer),
    Column("count", Integer, nullable=False),
    PrimaryKeyConstraint(
        "site", "holder_kind", "cost_centre", "carrier", "account", "currency", "monthly"
    ),
)


call_record = Table(
    "call_record",
    estate_metadata,
    Column("id", BigInteger().with_variant(Integer, "sqlite"), primary_key=True),
    Column("day", String(10), nullable=False),
    Column("started", Integer, nullable=False),
    Column("ring", Integer, nullable=False),
    Column("talk", Integer, nullable=False),
    Column("answered", Boolean, nullable=False),
    Column("direction", String(8), nullable=False),
    Column("number", BigInteger, nullable=False),
    Column("other", String(40), nullable=False),
    Column("trunk", String(80), nullable=False),
    Column("way", Text, nullable=False, server_default=""),
    Column("site", String(80), nullable=False),
    Column("holder_kind", String(16), nullable=False),
    Column("holder_id", String(80), nullable=False),
    Column("cost_centre", String(40), nullable=False),
    Column("account", String(80), nullable=False),
    Column("cause", Integer, nullable=False),
    Column("source", String(40), nullable=False),
    Column("included", Integer, nullable=False),
    Column("cost", Integer, nullable=False),
    Column("currency", String(3), nullable=False),
    Column("priced_by", String(120), nullable=False),
    Index("call_record_started", "started"),
    Index("call_record_number", "number", "started"),
)


usage_day = Table(
    "usage_day",
    estate_metadata,
    Column("number", BigInteger),
    Column("day", String(10)),
    Column("site", String(80)),
    Column("trunk", String(80)),
    Column("holder_kind", String(16)),
    Column("holder_id", String(80)),
    Column("direction", String(8)),
    Column("currency", String(3)),
    Column("calls", Integer, nullable=False),
    Column("answered", Integer, nullable=False),
    Column("talk", Integer, nullable=False),
    Column("ring", Integer, nullable=False),
    Column("included", Integer, nullable=False),
    Column("cost", Integer, nullable=False),
    PrimaryKeyConstraint(
        "number",
        "day",
        "site",
        "trunk",
        "holder_kind",
        "holder_id",
        "direction",
        "currency",
    ),
    Index("usage_day_day", "day"),
    sqlite_with_rowid=False,
)


step_use = Table(
    "step_use",
    estate_metadata,
    Column("path", String(80)),
    Column("day", String(10)),
    Column("step", String(40)),
    Column("exit", String(40)),
    Column("calls", Integer, nullable=False),
    Column("seconds", Integer, nullable=False),
    PrimaryKeyConstraint("path", "day", "step", "exit"),
    sqlite_with_rowid=False,
)


usage_month = Table(
    "usage_month",
    estate_metadata,
    Column("month", String(7)),
    Column("site", String(80)),
    Column("trunk", String(80)),
    Column("holder_kind", String(16)),
    Column("cost_centre", String(40)),
    Column("account", String(80)),
    Column("direction", String(8)),
    Column("currency", String(3)),
    Column("calls", Integer, nullable=False),
    Column("answered", Integer, nullable=False),
    Column("talk", Integer, nullable=False),
    Column("ring", Integer, nullable=False),
    Column("included", Integer, nullable=False),
    Column("cost", Integer, nullable=False),
    PrimaryKeyConstraint(
        "month",
        "site",
        "trunk",
        "holder_kind",
        "cost_centre",
        "account",
        "direction",
        "currency",
    ),
)


usage_hour = Table(
    "usage_hour",
    estate_metadata,
    Column("hour", Integer),  # since 1970 (UTC)
    Column("site", String(80)),
    Column("trunk", String(80)),
    Column("direction", String(8)),
    Column("calls", Integer, nullable=False),
    Column("answered", Integer, nullable=False),
    Column("busy", Integer, nullable=False),  # seconds in which a channel was taken
    PrimaryKeyConstraint("hour", "site", "trunk", "direction"),
    Index("usage_hour_trunk", "trunk", "hour"),
)


call_file = Table(
    "call_file",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(200), nullable=False),
    Column("source", String(40), nullable=False),
    Column("digest", String(64), nullable=False),
    Column("state", String(12), nullable=False),
    Column("created_by", String(120), nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("body", Text, nullable=False),
)


rate_deck = Table(
    "rate_deck",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(120), nullable=False),
    Column("carrier", String(80), nullable=False),
    Column("trunk", String(80), nullable=False),  # '' for all of the carrier's
    Column("currency", String(3), nullable=False),
    Column("loaded_at", Moment, nullable=False),
    Column("loaded_by", String(120), nullable=False),
    Column("rows", Integer, nullable=False),
)


rate = Table(
    "rate",
    estate_metadata,
    Column("deck", String(80)),
    Column("prefix", String(15)),
    Column("since", String(10)),
    Column("until", String(10), nullable=False),
    Column("price", Integer, nullable=False),
    Column("fee", Integer, nullable=False),
    Column("minimum", Integer, nullable=False),
    Column("first", Integer, nullable=False),
    Column("step", Integer, nullable=False),
    Column("name", String(80), nullable=False),
    PrimaryKeyConstraint("deck", "prefix", "since"),
    sqlite_with_rowid=False,
)


spend_setting = Table(
    "spend_setting",
    estate_metadata,
    Column("name", String(120), primary_key=True),
    Column("body", Text, nullable=False),
)


closed_line = Table(
    "closed_line",
    estate_metadata,
    Column("id", Integer, primary_key=True),
    Column("month", String(7), nullable=False),
    Column("corrects", String(7), nullable=False),  # '' for what the month itself cost
    Column("detailed", Boolean, nullable=False),  # by number, or those that are alike together
    Column("kind", String(16), nullable=False),
    Column("thing", String(80), nullable=False),
    Column("site", String(80), nullable=False),
    Column("holder_kind", String(16), nullable=False),
    Column("holder_id", String(80), nullable=False),
    Column("cost_centre", String(40), nullable=False),
    Column("carrier", String(80), nullable=False),
    Column("account", String(80), nullable=False),
    Column("product", String(80), nullable=False),
    Column("currency", String(3), nullable=False),
    Column("amount", String(24), nullable=False),
    Column("units", String(24), nullable=False),
    Index("closed_line_month", "month", "detailed"),
)


invoice = Table(
    "invoice",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("account", String(80), nullable=False),
    Column("reference", String(80), nullable=False),
    Column("month", String(7), nullable=False),
    Column("currency", String(3), nullable=False),
    Column("digest", String(64), nullable=False),
    Column("received_at", Moment, nullable=False),
    Column("received_by", String(120), nullable=False),
    Column("body", Text, nullable=False),
    Index("invoice_account", "account", "reference", unique=True),
)


invoice_line = Table(
    "invoice_line",
    estate_metadata,
    Column("invoice", String(80)),
    Column("line", Integer),
    Column("kind", String(16), nullable=False),
    Column("number", BigInteger),
    Column("words", String(200), nullable=False),
    Column("quantity", String(24), nullable=False),
    Column("billed", String(24), nullable=False),
    Column("expected", String(24), nullable=False),
    Column("verdict", String(24), nullable=False),
    Column("state", String(16), nullable=False),
    Column("why", String(400), nullable=False),
    Column("who", String(120), nullable=False),
    Column("credited", String(24), nullable=False),
    PrimaryKeyConstraint("invoice", "line"),
    Index("invoice_line_verdict", "invoice", "verdict", "line"),
)


alarm = Table(
    "unusual_calls",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("kind", String(24), nullable=False),
    Column("subject", String(120), nullable=False),
    Column("site", String(80), nullable=False),
    Column("first", Integer, nullable=False),
    Column("last", Integer, nullable=False),
    Column("calls", Integer, nullable=False),
    Column("cost", Integer, nullable=False),
    Column("currency", String(3), nullable=False),
    Column("words", String(400), nullable=False),
    Column("settled_by", String(120), nullable=False),
    Column("settled_why", String(400), nullable=False),
)
