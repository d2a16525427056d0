"""Webhooks."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0021"
down_revision = "0020"


def upgrade() -> None:
    op.create_table(
        "webhook",
        sa.Column("id", sa.String(40), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("url", sa.String(500), nullable=False),
        sa.Column("subjects", sa.Text(), nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
        sa.Column("made_at", Moment(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("told_at", Moment()),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("next_try", Moment()),
        sa.Column("problem", sa.String(400)),
        sa.Column("stopped_at", Moment()),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_webhook")),
    )


def downgrade() -> None:
    op.drop_table("webhook")
