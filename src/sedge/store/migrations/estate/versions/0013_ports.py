"""Ports."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "port",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("no", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("open", sa.Boolean(), nullable=False),
        sa.Column("foc", Moment(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_port")),
        sa.UniqueConstraint("no", name=op.f("uq_port_no")),
    )
    op.create_index("port_open", "port", ["open", "no"])


def downgrade() -> None:
    op.drop_table("port")
