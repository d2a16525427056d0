"""Extra numbers in their order, for the tidy-up."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
EXTRA = sa.text("role = 'extra'")


def upgrade() -> None:
    op.create_index(
        "life_extra",
        "life",
        ["number", "holder_kind", "holder_id"],
        sqlite_where=EXTRA,
        postgresql_where=EXTRA,
    )


def downgrade() -> None:
    op.drop_index("life_extra", table_name="life")
