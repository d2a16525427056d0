"""Who is where, counted as it changes; floor plans; links to confirm a spot; reports of emergency
tests; places of spots on plans."""

import sqlalchemy as sa
from alembic import op

from sedge.store.projections import spot_counts
from sedge.store.schema.tables import Moment

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.create_table(
        "placed",
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("spot", sa.String(length=20), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("site", "kind", "spot", name=op.f("pk_placed")),
    )
    op.create_table(
        "floor_plan",
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("floor", sa.String(length=60), nullable=False),
        sa.Column("media_type", sa.String(length=40), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.PrimaryKeyConstraint("site", "floor", name=op.f("pk_floor_plan")),
    )
    op.create_table(
        "confirm_link",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("spot", sa.String(length=20), nullable=False),
        sa.Column("sent_to", sa.String(length=200), nullable=False),
        sa.Column("expires_at", Moment(), nullable=False),
        sa.Column("used_at", Moment(), nullable=True),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_confirm_link")),
    )
    op.create_index("confirm_link_spot", "confirm_link", ["spot"], unique=False)
    op.create_table(
        "place_to_tell",
        sa.Column("spot", sa.String(length=20), nullable=False),
        sa.PrimaryKeyConstraint("spot", name=op.f("pk_place_to_tell")),
    )
    op.create_table(
        "emergency_report",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("at", Moment(), nullable=False),
        sa.Column("by", sa.String(length=120), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False),
        sa.Column("parts", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_emergency_report")),
    )
    op.create_index(
        "emergency_report_open",
        "emergency_report",
        ["id"],
        unique=False,
        sqlite_where=sa.text("done IS 0"),
    )
    op.create_table(
        "emergency_report_part",
        sa.Column("report", sa.String(length=80), nullable=False),
        sa.Column("part", sa.Integer(), nullable=False),
        sa.Column("lines", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("report", "part", name=op.f("pk_emergency_report_part")),
    )
    op.create_index("emergency_report_at", "emergency_report", ["at"], unique=False)
    spot_counts.put_placed(op.get_bind())


def downgrade() -> None:
    for table in (
        "emergency_report_part",
        "emergency_report",
        "place_to_tell",
        "confirm_link",
        "floor_plan",
        "placed",
    ):
        op.drop_table(table)
