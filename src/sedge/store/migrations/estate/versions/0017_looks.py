"""A draft that was only a look says so, and which work order has taken its place."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.add_column(
        "work_order", sa.Column("is_look", sa.Boolean, nullable=False, server_default=sa.false())
    )
    op.add_column("work_order", sa.Column("superseded_by", sa.Integer))


def downgrade() -> None:
    op.drop_column("work_order", "superseded_by")
    op.drop_column("work_order", "is_look")
