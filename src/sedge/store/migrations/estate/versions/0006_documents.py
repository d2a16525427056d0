"""Documents on file, their content apart."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "document",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("paper", sa.String(length=60), nullable=False),
        sa.Column("withdrawn", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_document")),
    )
    op.create_index("document_paper", "document", ["paper", "withdrawn"], unique=False)
    op.create_table(
        "document_content",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_document_content")),
    )


def downgrade() -> None:
    op.drop_table("document_content")
    op.drop_index("document_paper", "document")
    op.drop_table("document")
