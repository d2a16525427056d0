"""People by the one they report to and by extension at a site, so that a card asks for its own
instead of looking through a site's."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("person", sa.Column("manager", sa.String(length=80), nullable=True))
    op.execute("UPDATE person SET manager = json_extract(body, '$.manager')")
    op.create_index(
        "person_manager",
        "person",
        ["manager", "name"],
        sqlite_where=sa.text("manager IS NOT NULL"),
        postgresql_where=sa.text("manager IS NOT NULL"),
    )
    op.drop_index("person_extension", table_name="person")
    op.create_index("person_extension", "person", ["extension", "site"])


def downgrade() -> None:
    op.drop_index("person_extension", table_name="person")
    given = sa.text("extension != ''")
    op.create_index(
        "person_extension", "person", ["extension"], sqlite_where=given, postgresql_where=given
    )
    op.drop_index("person_manager", table_name="person")
    op.drop_column("person", "manager")
