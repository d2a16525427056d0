"""Call paths that are no longer needed."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    with op.batch_alter_table("path") as batch:
        batch.add_column(sa.Column("retired", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    with op.batch_alter_table("path") as batch:
        batch.drop_column("retired")
