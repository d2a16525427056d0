"""Tables of spend: calls, use, rates, bills; and what each number has cost over time."""

import sqlalchemy as sa
from alembic import op

from sedge.store.projections import fee_spans
from sedge.store.schema.tables import Moment

revision = "0019"
down_revision = "0018"

NEW = (
    "call_file",
    "call_record",
    "closed_line",
    "fee_span",
    "fee_tally",
    "invoice",
    "invoice_line",
    "rate",
    "rate_deck",
    "spend_setting",
    "unusual_calls",
    "usage_day",
    "usage_hour",
    "usage_month",
)


def upgrade() -> None:
    op.create_table(
        "call_file",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("source", sa.String(length=40), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("created_by", sa.String(length=120), nullable=False),
        sa.Column("created_at", Moment(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_call_file")),
    )
    op.create_table(
        "call_record",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("day", sa.String(length=10), nullable=False),
        sa.Column("started", sa.Integer(), nullable=False),
        sa.Column("ring", sa.Integer(), nullable=False),
        sa.Column("talk", sa.Integer(), nullable=False),
        sa.Column("answered", sa.Boolean(), nullable=False),
        sa.Column("direction", sa.String(length=8), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("other", sa.String(length=40), nullable=False),
        sa.Column("trunk", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("holder_id", sa.String(length=80), nullable=False),
        sa.Column("cost_centre", sa.String(length=40), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("cause", sa.Integer(), nullable=False),
        sa.Column("source", sa.String(length=40), nullable=False),
        sa.Column("included", sa.Integer(), nullable=False),
        sa.Column("cost", sa.Integer(), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("priced_by", sa.String(length=120), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_call_record")),
    )
    op.create_index("call_record_number", "call_record", ["number", "started"], unique=False)
    op.create_index("call_record_started", "call_record", ["started"], unique=False)
    op.create_table(
        "closed_line",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("month", sa.String(length=7), nullable=False),
        sa.Column("corrects", sa.String(length=7), nullable=False),
        sa.Column("detailed", sa.Boolean(), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("thing", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("holder_id", sa.String(length=80), nullable=False),
        sa.Column("cost_centre", sa.String(length=40), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("product", sa.String(length=80), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("amount", sa.String(length=24), nullable=False),
        sa.Column("units", sa.String(length=24), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_closed_line")),
    )
    op.create_index("closed_line_month", "closed_line", ["month", "detailed"], unique=False)
    op.create_table(
        "fee_span",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("holder_id", sa.String(length=80), nullable=False),
        sa.Column("cost_centre", sa.String(length=40), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("monthly", sa.Integer(), nullable=False),
        sa.Column("since", Moment(), nullable=False),
        sa.Column("until", Moment(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_fee_span")),
    )
    op.create_index("fee_span_number", "fee_span", ["number", "since"], unique=False)
    op.create_index("fee_span_since", "fee_span", ["since"], unique=False)
    op.create_table(
        "fee_tally",
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("cost_centre", sa.String(length=40), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("monthly", sa.Integer(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint(
            "site",
            "holder_kind",
            "cost_centre",
            "carrier",
            "account",
            "currency",
            "monthly",
            name=op.f("pk_fee_tally"),
        ),
    )
    op.create_index(
        "fee_span_until",
        "fee_span",
        ["until"],
        unique=False,
        sqlite_where=sa.text("until IS NOT NULL"),
        postgresql_where=sa.text("until IS NOT NULL"),
    )
    op.create_table(
        "invoice",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("reference", sa.String(length=80), nullable=False),
        sa.Column("month", sa.String(length=7), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("received_at", Moment(), nullable=False),
        sa.Column("received_by", sa.String(length=120), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_invoice")),
    )
    op.create_index("invoice_account", "invoice", ["account", "reference"], unique=True)
    op.create_table(
        "invoice_line",
        sa.Column("invoice", sa.String(length=80), nullable=False),
        sa.Column("line", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=True),
        sa.Column("words", sa.String(length=200), nullable=False),
        sa.Column("quantity", sa.String(length=24), nullable=False),
        sa.Column("billed", sa.String(length=24), nullable=False),
        sa.Column("expected", sa.String(length=24), nullable=False),
        sa.Column("verdict", sa.String(length=24), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("why", sa.String(length=400), nullable=False),
        sa.Column("who", sa.String(length=120), nullable=False),
        sa.Column("credited", sa.String(length=24), nullable=False),
        sa.PrimaryKeyConstraint("invoice", "line", name=op.f("pk_invoice_line")),
    )
    op.create_index(
        "invoice_line_verdict", "invoice_line", ["invoice", "verdict", "line"], unique=False
    )
    op.create_table(
        "rate",
        sa.Column("deck", sa.String(length=80), nullable=False),
        sa.Column("prefix", sa.String(length=15), nullable=False),
        sa.Column("since", sa.String(length=10), nullable=False),
        sa.Column("until", sa.String(length=10), nullable=False),
        sa.Column("price", sa.Integer(), nullable=False),
        sa.Column("fee", sa.Integer(), nullable=False),
        sa.Column("minimum", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("step", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.PrimaryKeyConstraint("deck", "prefix", "since", name=op.f("pk_rate")),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "rate_deck",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("trunk", sa.String(length=80), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("loaded_at", Moment(), nullable=False),
        sa.Column("loaded_by", sa.String(length=120), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rate_deck")),
    )
    op.create_table(
        "spend_setting",
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_spend_setting")),
    )
    op.create_table(
        "unusual_calls",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("kind", sa.String(length=24), nullable=False),
        sa.Column("subject", sa.String(length=120), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=False),
        sa.Column("calls", sa.Integer(), nullable=False),
        sa.Column("cost", sa.Integer(), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("settled_by", sa.String(length=120), nullable=False),
        sa.Column("settled_why", sa.String(length=400), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_unusual_calls")),
    )
    op.create_table(
        "usage_day",
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.String(length=10), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("trunk", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("holder_id", sa.String(length=80), nullable=False),
        sa.Column("direction", sa.String(length=8), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("calls", sa.Integer(), nullable=False),
        sa.Column("answered", sa.Integer(), nullable=False),
        sa.Column("talk", sa.Integer(), nullable=False),
        sa.Column("ring", sa.Integer(), nullable=False),
        sa.Column("included", sa.Integer(), nullable=False),
        sa.Column("cost", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint(
            "number",
            "day",
            "site",
            "trunk",
            "holder_kind",
            "holder_id",
            "direction",
            "currency",
            name=op.f("pk_usage_day"),
        ),
        sqlite_with_rowid=False,
    )
    op.create_index("usage_day_day", "usage_day", ["day"], unique=False)
    op.create_table(
        "usage_hour",
        sa.Column("hour", sa.Integer(), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("trunk", sa.String(length=80), nullable=False),
        sa.Column("direction", sa.String(length=8), nullable=False),
        sa.Column("calls", sa.Integer(), nullable=False),
        sa.Column("answered", sa.Integer(), nullable=False),
        sa.Column("busy", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("hour", "site", "trunk", "direction", name=op.f("pk_usage_hour")),
    )
    op.create_index("usage_hour_trunk", "usage_hour", ["trunk", "hour"], unique=False)
    op.create_table(
        "usage_month",
        sa.Column("month", sa.String(length=7), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("trunk", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("cost_centre", sa.String(length=40), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("direction", sa.String(length=8), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("calls", sa.Integer(), nullable=False),
        sa.Column("answered", sa.Integer(), nullable=False),
        sa.Column("talk", sa.Integer(), nullable=False),
        sa.Column("ring", sa.Integer(), nullable=False),
        sa.Column("included", sa.Integer(), nullable=False),
        sa.Column("cost", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint(
            "month",
            "site",
            "trunk",
            "holder_kind",
            "cost_centre",
            "account",
            "direction",
            "currency",
            name=op.f("pk_usage_month"),
        ),
    )
    fee_spans.rebuild(op.get_bind())


def downgrade() -> None:
    for table in NEW:
        op.drop_table(table)
