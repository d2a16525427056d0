"""Ledger entries whose personal data has been erased."""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    with op.batch_alter_table("ledger") as batch:
        batch.add_column(sa.Column("erased", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    with op.batch_alter_table("ledger") as batch:
        batch.drop_column("erased")
