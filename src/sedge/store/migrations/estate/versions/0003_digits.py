"""An index of digits alone, and the finder without the numbers that have no words."""

from alembic import op

from sedge.store import finder

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.execute(finder.CREATE_DIGITS)
    finder.index_digits_anew(op.get_bind())
    op.execute("DELETE FROM finder WHERE subject = 'number' AND words LIKE '%$'")
    op.execute("DELETE FROM finder WHERE subject = 'number' AND words LIKE '%$ '")


def downgrade() -> None:
    op.execute(
        "INSERT INTO finder (rowid, words, subject, ref, title) SELECT number, number || '$', 'number', '+' || number, '' FROM life"
        " WHERE number NOT IN (SELECT rowid FROM finder WHERE subject = 'number') GROUP BY number"
    )
    op.execute("DROP TABLE digits")
