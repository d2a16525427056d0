"""The way of each call through its call path, and what is counted of it."""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    op.add_column("call_record", sa.Column("way", sa.Text(), nullable=False, server_default=""))
    op.create_table(
        "step_use",
        sa.Column("path", sa.String(length=80), nullable=False),
        sa.Column("day", sa.String(length=10), nullable=False),
        sa.Column("step", sa.String(length=40), nullable=False),
        sa.Column("exit", sa.String(length=40), nullable=False),
        sa.Column("calls", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("path", "day", "step", "exit", name=op.f("pk_step_use")),
        sqlite_with_rowid=False,
    )


def downgrade() -> None:
    op.drop_table("step_use")
    op.drop_column("call_record", "way")
