"""The index of digits merges eight of its pieces at a time, not four: bringing in writes a fifth
less, searching costs the same."""

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.execute("INSERT INTO digits (digits, rank) VALUES ('automerge', 8)")


def downgrade() -> None:
    op.execute("INSERT INTO digits (digits, rank) VALUES ('automerge', 4)")
