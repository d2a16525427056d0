"""Files that go with letters."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"


def upgrade() -> None:
    op.create_table(
        "mail_file",
        sa.Column("mail", sa.String(120), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("media_type", sa.String(80), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("mail", "place", name=op.f("pk_mail_file")),
    )


def downgrade() -> None:
    op.drop_table("mail_file")
