"""An index of digits alone, the finder without the numbers that have no words; people by spot,
those with none left out."""

import sqlalchemy as sa
from alembic import op

from sedge.store.projections import finder

revision = "0003"
down_revision = "0002"
WITH_SPOT = sa.text("spot IS NOT NULL")


def upgrade() -> None:
    op.execute(finder.CREATE_DIGITS)
    finder.index_digits_anew(op.get_bind())
    op.execute("DELETE FROM finder WHERE subject = 'number' AND words LIKE '%$'")
    op.execute("DELETE FROM finder WHERE subject = 'number' AND words LIKE '%$ '")
    op.drop_index("person_spot", "person")
    op.create_index(
        "person_spot",
        "person",
        ["spot", "departed"],
        sqlite_where=WITH_SPOT,
        postgresql_where=WITH_SPOT,
    )


def downgrade() -> None:
    op.drop_index("person_spot", "person")
    op.create_index("person_spot", "person", ["spot", "departed"])
    op.execute(
        "INSERT INTO finder (rowid, words, subject, ref, title)"
        " SELECT number, number || '$', 'number', '+' || number, '' FROM life"
        " WHERE number NOT IN (SELECT rowid FROM finder WHERE subject = 'number') GROUP BY number"
    )
    op.execute("DROP TABLE digits")
