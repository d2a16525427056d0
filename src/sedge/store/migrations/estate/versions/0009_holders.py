"""Groups, downstream systems, proposals of the directory; since when licences are granted; comments and templates of work orders, letters'
texts, levels of rules, findings of the nightly checks."""

import sqlalchemy as sa
from alembic import op

from sedge.store import holder_tables, tables
from sedge.store.tables import Moment

revision = "0009"
down_revision = "0008"

NEW = (
    tables.group, tables.downstream, holder_tables.group_member, holder_tables.proposal, holder_tables.directory_entry,
    holder_tables.order_touch, holder_tables.order_comment, holder_tables.order_template, holder_tables.letter_text, holder_tables.rule_level, holder_tables.finding,
)  # fmt: skip
MOMENT_OF = "replace(replace(json_extract(body, '$.{}'), 'T', ' '), 'Z', '')"


def upgrade() -> None:
    for table in NEW:
        table.create(op.get_bind())
    with op.batch_alter_table("licence_grant") as grant:
        for name in ("since", "works_from", "until"):
            grant.add_column(sa.Column(name, Moment()))
        grant.create_index("grant_since", ["product", "since"])
        grant.create_index("grant_until", ["product", "until"])
    values = ", ".join(f"{name} = {MOMENT_OF.format(name)}" for name in ("since", "works_from", "until"))
    op.execute(f"UPDATE licence_grant SET {values}")  # noqa: S608  our own words
    op.create_index("span_holder", "span", ["holder_id"], sqlite_where=sa.text("until IS NOT NULL"))
    with op.batch_alter_table("work_order") as order:
        order.add_column(sa.Column("awaits", sa.String(length=80)))
    with op.batch_alter_table("mail") as mail:
        mail.add_column(sa.Column("html", sa.Text()))


def downgrade() -> None:
    with op.batch_alter_table("mail") as mail:
        mail.drop_column("html")
    with op.batch_alter_table("work_order") as order:
        order.drop_column("awaits")
    op.drop_index("span_holder", table_name="span")
    with op.batch_alter_table("licence_grant") as grant:
        grant.drop_index("grant_until")
        grant.drop_index("grant_since")
        for name in ("since", "works_from", "until"):
            grant.drop_column(name)
    for table in reversed(NEW):
        table.drop(op.get_bind())
