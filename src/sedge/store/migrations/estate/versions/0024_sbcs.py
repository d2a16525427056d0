"""Session border controllers."""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    op.create_table(
        "sbc",
        sa.Column("id", sa.String(80), nullable=False),
        sa.Column("site", sa.String(80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sbc")),
    )


def downgrade() -> None:
    op.drop_table("sbc")
