"""What trunks answer to OPTIONS."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    op.create_table(
        "trunk_standing",
        sa.Column("trunk", sa.String(80), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("ms", sa.Integer()),
        sa.Column("said", sa.String(200), nullable=False),
        sa.Column("since", Moment(), nullable=False),
        sa.Column("missed", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("trunk", name=op.f("pk_trunk_standing")),
    )
    op.create_table(
        "trunk_hour",
        sa.Column("trunk", sa.String(80), nullable=False),
        sa.Column("hour", sa.Integer(), nullable=False),
        sa.Column("asked", sa.Integer(), nullable=False),
        sa.Column("answered", sa.Integer(), nullable=False),
        sa.Column("ms", sa.Integer(), nullable=False),
        sa.Column("slowest", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("trunk", "hour", name=op.f("pk_trunk_hour")),
    )


def downgrade() -> None:
    op.drop_table("trunk_hour")
    op.drop_table("trunk_standing")
