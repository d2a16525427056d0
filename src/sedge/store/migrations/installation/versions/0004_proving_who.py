"""Second factors, sessions that tell of themselves, tokens of programs, and counted attempts."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    with op.batch_alter_table("sign_in") as table:
        table.add_column(sa.Column("password_changed_at", Moment()))
        table.add_column(sa.Column("totp_sealed", sa.Text()))
        table.add_column(sa.Column("totp_since", Moment()))
        table.add_column(sa.Column("totp_step", sa.Integer()))
        table.drop_column("failures")
        table.drop_column("locked_until")
    op.execute("DELETE FROM session")  # of those open nobody knows from where; they sign in again
    with op.batch_alter_table("session") as table:
        table.add_column(sa.Column("id", sa.String(40), nullable=False))
        table.add_column(sa.Column("opened_at", Moment(), nullable=False))
        table.add_column(sa.Column("seen_at", Moment(), nullable=False))
        table.add_column(sa.Column("sure_at", Moment(), nullable=False))
        table.add_column(sa.Column("awaits", sa.String(20), nullable=False))
        table.add_column(sa.Column("address", sa.String(64), nullable=False))
        table.add_column(sa.Column("agent", sa.String(200), nullable=False))
    op.create_table(
        "attempt",
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("until", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_attempt")),
    )
    op.create_table(
        "recovery_code",
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("code_hash", sa.String(64), nullable=False),
        sa.Column("used_at", Moment()),
        sa.PrimaryKeyConstraint("sign_in", "code_hash", name=op.f("pk_recovery_code")),
    )
    op.create_table(
        "passkey",
        sa.Column("id", sa.String(400), nullable=False),
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("public_key", sa.Text(), nullable=False),
        sa.Column("sign_count", sa.Integer(), nullable=False),
        sa.Column("made_at", Moment(), nullable=False),
        sa.Column("used_at", Moment()),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_passkey")),
    )
    op.create_index("passkey_sign_in", "passkey", ["sign_in"])
    op.create_table(
        "password_reset",
        sa.Column("id", sa.String(64), nullable=False),
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("expires_at", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_password_reset")),
    )
    op.create_table(
        "identity",
        sa.Column("issuer", sa.String(300), nullable=False),
        sa.Column("subject", sa.String(255), nullable=False),
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("linked_at", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("issuer", "subject", name=op.f("pk_identity")),
    )
    op.create_table(
        "known_browser",
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("address", sa.String(64), nullable=False),
        sa.Column("agent", sa.String(200), nullable=False),
        sa.Column("first_at", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("sign_in", "address", "agent", name=op.f("pk_known_browser")),
    )
    op.create_table(
        "api_token",
        sa.Column("id", sa.String(40), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("sign_in", sa.String(40), nullable=False),
        sa.Column("organisation", sa.String(40), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("sites", sa.Text(), nullable=False),
        sa.Column("read_only", sa.Boolean(), nullable=False),
        sa.Column("made_at", Moment(), nullable=False),
        sa.Column("expires_at", Moment(), nullable=False),
        sa.Column("used_at", Moment()),
        sa.Column("used_from", sa.String(64)),
        sa.Column("revoked_at", Moment()),
        sa.Column("revoked_by", sa.String(120)),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_api_token")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_api_token_token_hash")),
    )
    op.create_index("api_token_organisation", "api_token", ["organisation"])


def downgrade() -> None:
    for name in (
        "api_token",
        "identity",
        "known_browser",
        "password_reset",
        "passkey",
        "recovery_code",
        "attempt",
    ):
        op.drop_table(name)
    with op.batch_alter_table("session") as table:
        for name in ("id", "opened_at", "seen_at", "sure_at", "awaits", "address", "agent"):
            table.drop_column(name)
    with op.batch_alter_table("sign_in") as table:
        for name in ("password_changed_at", "totp_sealed", "totp_since", "totp_step"):
            table.drop_column(name)
        table.add_column(sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
        table.add_column(sa.Column("locked_until", Moment()))
