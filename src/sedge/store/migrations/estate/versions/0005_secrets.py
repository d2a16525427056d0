"""Carriers' keys, sealed."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "secret",
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("sealed", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_secret")),
    )


def downgrade() -> None:
    op.drop_table("secret")
