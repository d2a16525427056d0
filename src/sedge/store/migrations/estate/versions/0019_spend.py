"""Tables of spend: calls, use, rates, bills; and what each number has cost over time."""

from alembic import op

from sedge.store.projections import fee_spans
from sedge.store.schema import spend

revision = "0019"
down_revision = "0018"
TABLES = (
    spend.fee_span,
    spend.call_record,
    spend.usage_day,
    spend.usage_month,
    spend.usage_hour,
    spend.call_file,
    spend.rate_deck,
    spend.rate,
    spend.spend_setting,
    spend.closed_line,
    spend.invoice,
    spend.invoice_line,
    spend.alarm,
)


def upgrade() -> None:
    for table in TABLES:
        table.create(op.get_bind())
    fee_spans.rebuild(op.get_bind())


def downgrade() -> None:
    for table in TABLES:
        table.drop(op.get_bind())
