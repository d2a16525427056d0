"""The first tables of the installation."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "membership",
        sa.Column("sign_in", sa.String(length=40), nullable=False),
        sa.Column("organisation", sa.String(length=40), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("sites", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("sign_in", "organisation", name=op.f("pk_membership")),
    )
    op.create_table(
        "organisation",
        sa.Column("id", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("home_country", sa.String(length=2), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_organisation")),
    )
    op.create_table(
        "session",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("sign_in", sa.String(length=40), nullable=False),
        sa.Column("organisation", sa.String(length=40), nullable=False),
        sa.Column("expires_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_session")),
    )
    with op.batch_alter_table("session", schema=None) as batch_op:
        batch_op.create_index("session_sign_in", ["sign_in"], unique=False)

    op.create_table(
        "setting",
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_setting")),
    )
    op.create_table(
        "sign_in",
        sa.Column("id", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("email", sa.String(length=200), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("locked_until", sa.DateTime(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in")),
        sa.UniqueConstraint("email", name=op.f("uq_sign_in_email")),
    )


def downgrade() -> None:
    op.drop_table("sign_in")
    op.drop_table("setting")
    with op.batch_alter_table("session", schema=None) as batch_op:
        batch_op.drop_index("session_sign_in")

    op.drop_table("session")
    op.drop_table("organisation")
    op.drop_table("membership")
