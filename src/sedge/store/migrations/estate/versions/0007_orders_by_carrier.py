"""Orders by the carrier's own id of them, so that what it tells concerns that order alone; open
ones by their day."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("supply_order", sa.Column("placed_as", sa.String(length=80), nullable=True))
    op.execute("UPDATE supply_order SET placed_as = json_extract(body, '$.placed_as')")
    op.create_index("order_placed_as", "supply_order", ["placed_as"], unique=False)
    op.create_index("order_open", "supply_order", ["open", "at"], unique=False)


def downgrade() -> None:
    op.drop_index("order_open", "supply_order")
    op.drop_index("order_placed_as", "supply_order")
    op.drop_column("supply_order", "placed_as")
