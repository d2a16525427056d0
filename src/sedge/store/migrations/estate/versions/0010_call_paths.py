"""Drafts of call paths, clipboards, sounds, who answers for whom."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "path_draft",
        sa.Column("path", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("based_on", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("actor", sa.String(length=120), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("undo", sa.Text(), nullable=False),
        sa.Column("redo", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("path", name=op.f("pk_path_draft")),
    )
    op.create_table(
        "path_clip",
        sa.Column("actor", sa.String(length=120), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("actor", name=op.f("pk_path_clip")),
    )
    op.create_table(
        "sound",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("language", sa.String(length=10), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("media", sa.String(length=40), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("level", sa.Float(), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("actor", sa.String(length=120), nullable=False),
        sa.Column("removed", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sound")),
    )
    op.create_index("sound_name", "sound", ["name"])
    op.create_table(
        "answers_for",
        sa.Column("person", sa.String(length=80), nullable=False),
        sa.Column("colleague", sa.String(length=80), nullable=False),
        sa.PrimaryKeyConstraint("person", "colleague", name=op.f("pk_answers_for")),
    )
    op.create_index("asked_colleague", "answers_for", ["colleague"])


def downgrade() -> None:
    for table in ("answers_for", "sound", "path_clip", "path_draft"):
        op.drop_table(table)
