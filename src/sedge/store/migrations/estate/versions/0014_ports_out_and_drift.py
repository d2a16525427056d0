"""Ports out, days kept free, and where carriers' lists differ from the estate."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0014"
down_revision = "0013"
COLUMNS = (("life", "fallback", "$.fallback"), ("person", "rings", "$.answering.mobile"))


def upgrade() -> None:
    op.create_table(
        "kept_free",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_free")),
    )
    op.create_index("kept_free_last", "kept_free", ["last"])
    op.create_table(
        "port_out",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("no", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("open", sa.Boolean(), nullable=False),
        sa.Column("theirs", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("due", Moment(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_port_out")),
        sa.UniqueConstraint("no", name=op.f("uq_port_out_no")),
        sa.UniqueConstraint("account", "theirs", name=op.f("uq_port_out_account")),
    )
    op.create_index("port_out_open", "port_out", ["open", "due"])
    op.create_table(
        "difference",
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("ours", sa.String(length=200), nullable=False),
        sa.Column("theirs", sa.String(length=200), nullable=False),
        sa.Column("first_seen", Moment(), nullable=False),
        sa.Column("accepted_by", sa.String(length=120), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("account", "number", "kind", name=op.f("pk_difference")),
    )
    op.create_index("difference_kind", "difference", ["kind", "number"])
    op.create_table(
        "compared",
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("theirs", sa.Integer(), nullable=False),
        sa.Column("ours", sa.Integer(), nullable=False),
        sa.Column("problem", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("account", name=op.f("pk_compared")),
    )

    for table, column, path in COLUMNS:
        op.add_column(table, sa.Column(column, sa.String(length=20), nullable=True))
        value = f"NULLIF(json_extract(body, '{path}'), '')"
        # the names are those of the table above
        op.execute(f"UPDATE {table} SET {column} = {value} WHERE {value} IS NOT NULL")  # noqa: S608
        wanted = sa.text(f"{column} IS NOT NULL")
        op.create_index(
            f"{table}_{column}", table, [column], sqlite_where=wanted, postgresql_where=wanted
        )


def downgrade() -> None:
    for table, column, _ in COLUMNS:
        op.drop_index(f"{table}_{column}", table_name=table)
        op.drop_column(table, column)
    op.drop_table("compared")
    op.drop_table("difference")
    op.drop_table("port_out")
    op.drop_table("kept_free")
