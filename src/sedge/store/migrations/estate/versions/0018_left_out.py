"""A task that somebody left out has a state of its own, and is no longer told by what it waited
for."""

from alembic import op

revision = "0018"
down_revision = "0017"

BY_HAND = "left out by hand"


def upgrade() -> None:
    op.execute(
        "UPDATE task SET state = 'left out', waits_for = ''"  # noqa: S608
        f" WHERE state = 'skipped' AND waits_for = '{BY_HAND}'"
    )


def downgrade() -> None:
    op.execute(
        f"UPDATE task SET state = 'skipped', waits_for = '{BY_HAND}'"  # noqa: S608
        " WHERE state = 'left out'"
    )
