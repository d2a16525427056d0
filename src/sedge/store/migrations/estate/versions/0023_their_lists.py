"""The lists of numbers that the other sides of trunks have."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    op.create_table(
        "their_list",
        sa.Column("trunk", sa.String(80), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("by", sa.String(120), nullable=False),
        sa.Column("numbers", sa.Text(), nullable=False),
        sa.Column("unread", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("trunk", name=op.f("pk_their_list")),
    )


def downgrade() -> None:
    op.drop_table("their_list")
