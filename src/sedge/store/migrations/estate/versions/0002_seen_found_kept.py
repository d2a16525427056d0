"""Filters, sorting, saved views, files, other systems' ids: columns and tables; what is derived is
made anew afterwards."""

import sqlalchemy as sa
from alembic import op

from sedge.store.projections import finder, number_projections

revision = "0002"
down_revision = "0001"

NARROWED = (
    ("life_holder", ["holder_kind", "holder_id"], "holder_kind IS NOT NULL"),
    ("life_order", ["order_id"], "order_id IS NOT NULL"),
    ("life_trunk", ["trunk", "state"], "trunk IS NOT NULL"),
    ("life_path", ["path"], "path IS NOT NULL"),
    ("life_spot", ["spot", "state"], "spot IS NOT NULL"),
    ("life_no_spot", ["number"], "spot IS NULL AND state = 'assigned'"),
)
WHOLE = {"life_no_spot": ["state", "number"]}


def upgrade() -> None:
    op.execute(finder.CREATE_DIGITS)
    op.create_table(
        "area",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_area")),
    )
    op.create_table(
        "facet",
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("capacity", sa.String(length=8), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("attention", sa.Boolean(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint(
            "site",
            "carrier",
            "state",
            "capacity",
            "kind",
            "holder_kind",
            "attention",
            name=op.f("pk_facet"),
        ),
    )
    op.create_table(
        "kept_choice",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("numbers", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_choice")),
    )
    op.create_table(
        "known_as",
        sa.Column("subject", sa.String(length=20), nullable=False),
        sa.Column("ref", sa.String(length=80), nullable=False),
        sa.Column("system", sa.String(length=40), nullable=False),
        sa.Column("value", sa.String(length=120), nullable=False),
        sa.PrimaryKeyConstraint("subject", "ref", "system", name=op.f("pk_known_as")),
    )
    with op.batch_alter_table("known_as", schema=None) as batch_op:
        batch_op.create_index("known_value", ["value"], unique=False)

    op.create_table(
        "ledger_batch",
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("sequence", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("number", "sequence", name=op.f("pk_ledger_batch")),
    )
    op.create_table(
        "movement",
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("capacity", sa.String(length=8), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("net", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("site", "capacity", "state", "day", name=op.f("pk_movement")),
    )
    with op.batch_alter_table("movement", schema=None) as batch_op:
        batch_op.create_index("movement_state", ["state", "day"], unique=False)

    op.create_table(
        "number_file",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("created_by", sa.String(length=120), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("work_order", sa.String(length=80), nullable=True),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_number_file")),
    )
    with op.batch_alter_table("number_file", schema=None) as batch_op:
        batch_op.create_index("number_file_state", ["state"], unique=False)

    op.create_table(
        "number_tag",
        sa.Column("tag", sa.String(length=40), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("tag", "number", name=op.f("pk_number_tag")),
    )
    with op.batch_alter_table("number_tag", schema=None) as batch_op:
        batch_op.create_index("tag_number", ["number"], unique=False)

    op.create_table(
        "remembered_headers",
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("fingerprint", name=op.f("pk_remembered_headers")),
    )
    op.create_table(
        "saved_view",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("query", sa.Text(), nullable=False),
        sa.Column("created_by", sa.String(length=120), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_saved_view")),
        sa.UniqueConstraint("name", name=op.f("uq_saved_view_name")),
    )
    op.create_table(
        "take_over",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("created_by", sa.String(length=120), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("work_order", sa.String(length=80), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_take_over")),
    )
    op.create_table(
        "take_over_row",
        sa.Column("take_over", sa.String(length=80), nullable=False),
        sa.Column("file", sa.Integer(), nullable=False),
        sa.Column("line", sa.Integer(), nullable=False),
        sa.Column("cells", sa.Text(), nullable=False),
        sa.Column("decision", sa.Text(), nullable=True),
        sa.PrimaryKeyConstraint("take_over", "file", "line", name=op.f("pk_take_over_row")),
    )
    with op.batch_alter_table("life", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("kind", sa.String(length=16), nullable=False, server_default=sa.text("''"))
        )
        batch_op.add_column(
            sa.Column(
                "holder_name", sa.String(length=120), nullable=False, server_default=sa.text("''")
            )
        )
        batch_op.add_column(
            sa.Column("label", sa.String(length=80), nullable=False, server_default=sa.text("''"))
        )
        batch_op.add_column(
            sa.Column("price", sa.Integer(), nullable=False, server_default=sa.text("0"))
        )
        batch_op.add_column(
            sa.Column(
                "changed_at",
                sa.DateTime(),
                nullable=False,
                server_default=sa.text("'2000-01-01 00:00:00.000000'"),
            )
        )
        batch_op.create_index("life_carrier", ["carrier", "number"], unique=False)
        batch_op.create_index("life_changed", ["changed_at", "number"], unique=False)
        batch_op.create_index(
            "life_holder_name",
            ["holder_name", "number"],
            unique=False,
            sqlite_where=sa.text("holder_name != ''"),
            postgresql_where=sa.text("holder_name != ''"),
        )
        batch_op.create_index(
            "life_kind",
            ["kind", "number"],
            unique=False,
            sqlite_where=sa.text("kind != 'geographic'"),
            postgresql_where=sa.text("kind != 'geographic'"),
        )
        batch_op.create_index(
            "life_label",
            ["label", "number"],
            unique=False,
            sqlite_where=sa.text("label != ''"),
            postgresql_where=sa.text("label != ''"),
        )
        batch_op.create_index("life_price", ["price", "number"], unique=False)

    with op.batch_alter_table("span", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("capacity", sa.String(length=8), nullable=False, server_default=sa.text("''"))
        )
        batch_op.create_index("span_since", ["since", "number"], unique=False)
        ended = sa.text("until IS NOT NULL")
        batch_op.create_index(
            "span_until",
            ["until", "number"],
            unique=False,
            sqlite_where=ended,
            postgresql_where=ended,
        )
        batch_op.create_index("span_site", ["site", "number", "since"], unique=False)
        batch_op.drop_index("span_begun")
        batch_op.drop_index("span_over")

    with op.batch_alter_table("tally", schema=None) as batch_op:
        batch_op.drop_index("tally_site")
        batch_op.create_index("tally_site", ["site", "hundred"], unique=False)

    with op.batch_alter_table("site", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("country", sa.String(length=2), nullable=False, server_default=sa.text("''"))
        )
        batch_op.create_index("site_country", ["country"], unique=False)
    with op.batch_alter_table("person", schema=None) as batch_op:
        numbered, left = sa.text("extension != ''"), sa.text("departed IS 1")
        batch_op.create_index(
            "person_extension",
            ["extension"],
            unique=False,
            sqlite_where=numbered,
            postgresql_where=numbered,
        )
        batch_op.create_index(
            "person_departed",
            ["id"],
            unique=False,
            sqlite_where=left,
            postgresql_where=sa.text("departed IS true"),
        )
    op.execute(sa.text("UPDATE site SET country = json_extract(body, '$.country')"))

    with op.batch_alter_table("life", schema=None) as batch_op:
        for name, columns, condition in NARROWED:
            batch_op.drop_index(name)
            where = sa.text(condition)
            batch_op.create_index(
                name, columns, unique=False, sqlite_where=where, postgresql_where=where
            )
    number_projections.rebuild(op.get_bind())


def downgrade() -> None:
    with op.batch_alter_table("person", schema=None) as batch_op:
        batch_op.drop_index("person_departed")
        batch_op.drop_index("person_extension")

    with op.batch_alter_table("site", schema=None) as batch_op:
        batch_op.drop_index("site_country")
        batch_op.drop_column("country")

    with op.batch_alter_table("tally", schema=None) as batch_op:
        batch_op.drop_index("tally_site")
        batch_op.create_index("tally_site", ["site"], unique=False)

    with op.batch_alter_table("life", schema=None) as batch_op:
        for name, columns, _condition in NARROWED:
            batch_op.drop_index(name)
            no_spot = sa.text("spot IS NULL") if name in WHOLE else None
            batch_op.create_index(
                name,
                WHOLE.get(name, columns),
                unique=False,
                sqlite_where=no_spot,
                postgresql_where=no_spot,
            )
    with op.batch_alter_table("span", schema=None) as batch_op:
        batch_op.create_index("span_over", ["state", "until", "site"], unique=False)
        batch_op.create_index("span_begun", ["state", "since", "site"], unique=False)
        batch_op.drop_index("span_site")
        batch_op.drop_index("span_until")
        batch_op.drop_index("span_since")
        batch_op.drop_column("capacity")

    with op.batch_alter_table("life", schema=None) as batch_op:
        batch_op.drop_index("life_price")
        batch_op.drop_index(
            "life_label",
            sqlite_where=sa.text("label != ''"),
            postgresql_where=sa.text("label != ''"),
        )
        batch_op.drop_index("life_kind")
        batch_op.drop_index(
            "life_holder_name",
            sqlite_where=sa.text("holder_name != ''"),
            postgresql_where=sa.text("holder_name != ''"),
        )
        batch_op.drop_index("life_changed")
        batch_op.drop_index("life_carrier")
        batch_op.drop_column("changed_at")
        batch_op.drop_column("price")
        batch_op.drop_column("label")
        batch_op.drop_column("holder_name")
        batch_op.drop_column("kind")

    op.drop_table("take_over_row")
    op.drop_table("take_over")
    op.drop_table("saved_view")
    op.drop_table("remembered_headers")
    with op.batch_alter_table("number_tag", schema=None) as batch_op:
        batch_op.drop_index("tag_number")

    op.drop_table("number_tag")
    with op.batch_alter_table("number_file", schema=None) as batch_op:
        batch_op.drop_index("number_file_state")

    op.drop_table("number_file")
    with op.batch_alter_table("movement", schema=None) as batch_op:
        batch_op.drop_index("movement_state")

    op.drop_table("movement")
    op.drop_table("ledger_batch")
    with op.batch_alter_table("known_as", schema=None) as batch_op:
        batch_op.drop_index("known_value")

    op.drop_table("known_as")
    op.drop_table("kept_choice")
    op.drop_table("facet")
    op.drop_table("area")
