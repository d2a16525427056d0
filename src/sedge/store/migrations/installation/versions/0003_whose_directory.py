"""The directory belongs to one organisation: so far the first."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column(
        "organisation",
        sa.Column("asks_directory", sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    organisation = sa.table(
        "organisation", sa.column("asks_directory", sa.Boolean), sa.column("created_at", sa.String)
    )
    first = sa.select(sa.func.min(organisation.c.created_at)).scalar_subquery()
    op.execute(
        organisation.update().where(organisation.c.created_at == first).values(asks_directory=True)
    )


def downgrade() -> None:
    op.drop_column("organisation", "asks_directory")
