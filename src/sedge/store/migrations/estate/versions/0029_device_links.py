"""Links by which people see a phone's sign-in once."""

import sqlalchemy as sa
from alembic import op

from sedge.store.schema.tables import Moment

revision = "0029"
down_revision = "0028"


def upgrade() -> None:
    op.create_table(
        "device_link",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("device", sa.String(length=80), nullable=False),
        sa.Column("expires_at", Moment(), nullable=False),
        sa.Column("used_at", Moment(), nullable=True),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_device_link")),
    )
    op.create_index("device_link_device", "device_link", ["device"])


def downgrade() -> None:
    op.drop_table("device_link")
