"""Mails say how often they were tried, what came of it, and whether they were given up."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.add_column("mail", sa.Column("tries", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("mail", sa.Column("next_try", Moment()))
    op.add_column("mail", sa.Column("problem", sa.String(400)))
    op.add_column("mail", sa.Column("given_up_at", Moment()))


def downgrade() -> None:
    for name in ("given_up_at", "problem", "next_try", "tries"):
        op.drop_column("mail", name)
