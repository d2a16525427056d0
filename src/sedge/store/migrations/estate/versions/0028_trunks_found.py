"""Trunks, SBCs and other systems are found by name and host."""

import sqlalchemy as sa
from alembic import op

from sedge.core.records import Downstream, Sbc, Trunk
from sedge.store.projections import finder

revision = "0028"
down_revision = "0027"
NEWLY_FOUND = (("trunk", Trunk), ("sbc", Sbc), ("downstream", Downstream))


def upgrade() -> None:
    connection = op.get_bind()
    for name, record in NEWLY_FOUND:
        rows = connection.execute(sa.select(sa.column("body")).select_from(sa.table(name)))
        finder.index(connection, [record.model_validate_json(row.body) for row in rows])


def downgrade() -> None:
    op.execute(
        "DELETE FROM finder WHERE subject IN"
        " ('trunk', 'session border controller', 'downstream system')"
    )
