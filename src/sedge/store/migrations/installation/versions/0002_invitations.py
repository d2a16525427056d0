"""Invitations to sign in."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "invitation",
        sa.Column("id", sa.String(length=64), nullable=False),
        sa.Column("email", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("organisation", sa.String(length=40), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("sites", sa.Text(), nullable=False),
        sa.Column("invited_by", sa.String(length=120), nullable=False),
        sa.Column("expires_at", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_invitation")),
    )
    op.create_index("invitation_organisation", "invitation", ["organisation", "email"], unique=True)


def downgrade() -> None:
    op.drop_table("invitation")
