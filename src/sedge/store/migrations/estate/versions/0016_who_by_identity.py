"""Who did something is kept by their sign-in, beside the name they had; an undo is found by what it
undoes."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
COLUMNS = (("ledger", "actor_id"), ("work_order", "author"), ("saved_view", "owner"))
UNDOES = sa.text("undo_of IS NOT NULL")


def upgrade() -> None:
    for table, column in COLUMNS:
        op.add_column(table, sa.Column(column, sa.String(80), nullable=False, server_default=""))
    op.create_index(
        "work_order_undo", "work_order", ["undo_of"], sqlite_where=UNDOES, postgresql_where=UNDOES
    )


def downgrade() -> None:
    op.drop_index("work_order_undo", table_name="work_order")
    for table, column in COLUMNS:
        op.drop_column(table, column)
