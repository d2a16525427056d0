"""What sites, people and the whole organisation show on calls out; who shows a number that is
another's."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.create_table(
        "defaults",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_defaults")),
    )
    shown = sa.text("shows IS NOT NULL")
    for table in ("person", "site"):
        op.add_column(table, sa.Column("shows", sa.String(length=16), nullable=True))
        op.create_index(
            f"{table}_shows", table, ["shows"], sqlite_where=shown, postgresql_where=shown
        )


def downgrade() -> None:
    for table in ("site", "person"):
        op.drop_index(f"{table}_shows", table_name=table)
        op.drop_column(table, "shows")
    op.drop_table("defaults")
