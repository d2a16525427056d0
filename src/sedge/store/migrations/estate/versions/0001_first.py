"""The first tables of an organisation's estate."""

import sqlalchemy as sa
from alembic import op

from sedge.store.projections import finder

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("secret", sa.Text(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_account")),
    )
    op.create_table(
        "address",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_address")),
    )
    with op.batch_alter_table("address", schema=None) as batch_op:
        batch_op.create_index("address_site", ["site"], unique=False)

    op.create_table(
        "answered",
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("request_hash", sa.String(length=64), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_answered")),
    )
    op.create_table(
        "carrier",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_carrier")),
    )
    op.create_table(
        "device",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("person", sa.String(length=80), nullable=False),
        sa.Column("registered", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_device")),
    )
    with op.batch_alter_table("device", schema=None) as batch_op:
        batch_op.create_index("device_person", ["person"], unique=False)
        batch_op.create_index(
            "device_silent",
            ["person"],
            unique=False,
            sqlite_where=sa.text("registered IS 0"),
            postgresql_where=sa.text("registered IS false"),
        )

    op.create_table(
        "hold",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("expires_at", sa.DateTime(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_hold")),
    )
    op.create_table(
        "ledger",
        sa.Column("sequence", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("actor", sa.String(length=120), nullable=False),
        sa.Column("action", sa.String(length=40), nullable=False),
        sa.Column("subject", sa.String(length=20), nullable=False),
        sa.Column("subject_id", sa.String(length=80), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("reason", sa.String(length=400), nullable=False),
        sa.Column("work_order", sa.String(length=80), nullable=True),
        sa.Column("after", sa.Text(), nullable=True),
        sa.Column("hash", sa.String(length=64), nullable=False),
        sa.PrimaryKeyConstraint("sequence", name=op.f("pk_ledger")),
    )
    with op.batch_alter_table("ledger", schema=None) as batch_op:
        batch_op.create_index("ledger_at", ["at"], unique=False)
        batch_op.create_index("ledger_subject", ["subject", "subject_id", "sequence"], unique=False)
        batch_op.create_index("ledger_work_order", ["work_order", "sequence"], unique=False)

    op.create_table(
        "ledger_head",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sequence", sa.Integer(), nullable=False),
        sa.Column("hash", sa.String(length=64), nullable=False),
        sa.Column("pulse", sa.Integer(), nullable=False),
        sa.CheckConstraint("id = 1", name=op.f("ck_ledger_head_one_row")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_ledger_head")),
    )
    op.create_table(
        "licence_grant",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("product", sa.String(length=80), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=False),
        sa.Column("holder_id", sa.String(length=80), nullable=False),
        sa.Column("ended", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_licence_grant")),
    )
    with op.batch_alter_table("licence_grant", schema=None) as batch_op:
        batch_op.create_index("grant_product", ["product", "ended"], unique=False)
        batch_op.create_index(
            "one_open_grant",
            ["holder_kind", "holder_id", "product"],
            unique=True,
            sqlite_where=sa.text("NOT ended"),
            postgresql_where=sa.text("NOT ended"),
        )

    op.create_table(
        "life",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("state_until", sa.DateTime(), nullable=True),
        sa.Column("usable_from", sa.DateTime(), nullable=True),
        sa.Column("leaving_on", sa.DateTime(), nullable=True),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("account", sa.String(length=80), nullable=False),
        sa.Column("capacity", sa.String(length=8), nullable=False),
        sa.Column("order_id", sa.String(length=80), nullable=True),
        sa.Column("holder_kind", sa.String(length=16), nullable=True),
        sa.Column("holder_id", sa.String(length=80), nullable=True),
        sa.Column("role", sa.String(length=16), nullable=True),
        sa.Column("spot", sa.String(length=20), nullable=True),
        sa.Column("registered_spot", sa.String(length=20), nullable=True),
        sa.Column("path", sa.String(length=80), nullable=True),
        sa.Column("trunk", sa.String(length=80), nullable=True),
        sa.Column("attention", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_life")),
    )
    with op.batch_alter_table("life", schema=None) as batch_op:
        batch_op.create_index(
            "life_attention",
            ["number"],
            unique=False,
            sqlite_where=sa.text("attention = 1"),
            postgresql_where=sa.text("attention"),
        )
        batch_op.create_index("life_holder", ["holder_kind", "holder_id"], unique=False)
        batch_op.create_index(
            "life_leaving",
            ["leaving_on"],
            unique=False,
            sqlite_where=sa.text("leaving_on IS NOT NULL"),
            postgresql_where=sa.text("leaving_on IS NOT NULL"),
        )
        batch_op.create_index("life_number", ["number"], unique=False)
        batch_op.create_index("life_order", ["order_id"], unique=False)
        batch_op.create_index("life_path", ["path"], unique=False)
        batch_op.create_index("life_site", ["site", "number"], unique=False)
        batch_op.create_index(
            "life_no_spot",
            ["state", "number"],
            unique=False,
            sqlite_where=sa.text("spot IS NULL"),
            postgresql_where=sa.text("spot IS NULL"),
        )
        batch_op.create_index("life_spot", ["spot", "state"], unique=False)
        batch_op.create_index(
            "life_unregistered",
            ["carrier", "number"],
            unique=False,
            sqlite_where=sa.text(
                "spot IS NOT NULL AND (registered_spot IS NULL OR registered_spot != spot)"
            ),
            postgresql_where=sa.text(
                "spot IS NOT NULL AND (registered_spot IS NULL OR registered_spot != spot)"
            ),
        )
        batch_op.create_index("life_state", ["state", "site", "capacity", "number"], unique=False)
        batch_op.create_index("life_trunk", ["trunk", "state"], unique=False)
        batch_op.create_index(
            "life_until",
            ["state_until"],
            unique=False,
            sqlite_where=sa.text("state_until IS NOT NULL"),
            postgresql_where=sa.text("state_until IS NOT NULL"),
        )
        batch_op.create_index(
            "one_role_per_holder",
            ["holder_kind", "holder_id", "role"],
            unique=True,
            sqlite_where=sa.text("role IN ('main', 'mailbox access')"),
            postgresql_where=sa.text("role IN ('main', 'mailbox access')"),
        )
        batch_op.create_index(
            "open_life",
            ["number"],
            unique=True,
            sqlite_where=sa.text("state NOT IN ('released', 'ported out', 'closed')"),
            postgresql_where=sa.text("state NOT IN ('released', 'ported out', 'closed')"),
        )

    op.create_table(
        "mail",
        sa.Column("id", sa.String(length=120), nullable=False),
        sa.Column("recipient", sa.String(length=200), nullable=False),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("sent_at", sa.DateTime(), nullable=True),
        sa.Column("work_order", sa.String(length=80), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mail")),
    )
    with op.batch_alter_table("mail", schema=None) as batch_op:
        batch_op.create_index(
            "mail_unsent",
            ["created_at"],
            unique=False,
            sqlite_where=sa.text("sent_at IS NULL"),
            postgresql_where=sa.text("sent_at IS NULL"),
        )

    op.create_table(
        "path",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_path")),
    )
    op.create_table(
        "path_names",
        sa.Column("path", sa.String(length=80), nullable=False),
        sa.Column("subject", sa.String(length=20), nullable=False),
        sa.Column("subject_id", sa.String(length=80), nullable=False),
        sa.PrimaryKeyConstraint("path", "subject", "subject_id", name=op.f("pk_path_names")),
    )
    with op.batch_alter_table("path_names", schema=None) as batch_op:
        batch_op.create_index("named_by", ["subject", "subject_id"], unique=False)

    op.create_table(
        "path_version",
        sa.Column("path", sa.String(length=80), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("in_force_from", sa.DateTime(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("path", "number", name=op.f("pk_path_version")),
    )
    op.create_table(
        "person",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("email", sa.String(length=200), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("extension", sa.String(length=20), nullable=False),
        sa.Column("spot", sa.String(length=20), nullable=True),
        sa.Column("departed", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
    )
    with op.batch_alter_table("person", schema=None) as batch_op:
        batch_op.create_index(
            "person_email",
            ["email"],
            unique=True,
            sqlite_where=sa.text("NOT departed"),
            postgresql_where=sa.text("NOT departed"),
        )
        batch_op.create_index("person_count", ["site", "departed"], unique=False)
        batch_op.create_index("person_name", ["name"], unique=False)
        batch_op.create_index(
            "person_no_spot",
            ["name"],
            unique=False,
            sqlite_where=sa.text("spot IS NULL AND departed IS 0"),
            postgresql_where=sa.text("spot IS NULL AND departed IS false"),
        )
        batch_op.create_index("person_site", ["site", "name"], unique=False)
        batch_op.create_index("person_spot", ["spot", "departed"], unique=False)

    op.create_table(
        "product",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_product")),
    )
    op.create_table(
        "proof",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("direction", sa.String(length=4), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_proof")),
    )
    with op.batch_alter_table("proof", schema=None) as batch_op:
        batch_op.create_index("proof_number", ["number", "direction", "at"], unique=False)

    op.create_table(
        "service_line",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_service_line")),
    )
    with op.batch_alter_table("service_line", schema=None) as batch_op:
        batch_op.create_index("line_site", ["site"], unique=False)

    op.create_table(
        "site",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("code", sa.String(length=5), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site")),
        sa.UniqueConstraint("code", name=op.f("uq_site_code")),
    )
    op.create_table(
        "span",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("holder_kind", sa.String(length=16), nullable=True),
        sa.Column("holder_id", sa.String(length=80), nullable=True),
        sa.Column("holder_name", sa.String(length=120), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("since", sa.DateTime(), nullable=False),
        sa.Column("until", sa.DateTime(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_span")),
    )
    with op.batch_alter_table("span", schema=None) as batch_op:
        batch_op.create_index("span_begun", ["state", "since", "site"], unique=False)
        batch_op.create_index("span_number", ["number", "since"], unique=False)
        batch_op.create_index("span_over", ["state", "until", "site"], unique=False)

    op.create_table(
        "spot",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("address", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_spot")),
    )
    with op.batch_alter_table("spot", schema=None) as batch_op:
        batch_op.create_index("spot_site", ["site"], unique=False)

    op.create_table(
        "subscription",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("product", sa.String(length=80), nullable=False),
        sa.Column("seats", sa.Integer(), nullable=False),
        sa.Column("used", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "used <= seats AND used >= 0", name=op.f("ck_subscription_seats_enough")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_subscription")),
    )
    with op.batch_alter_table("subscription", schema=None) as batch_op:
        batch_op.create_index("subscription_product", ["product"], unique=False)

    op.create_table(
        "supply_order",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("reference", sa.String(length=80), nullable=False),
        sa.Column("open", sa.Boolean(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_supply_order")),
    )
    op.create_table(
        "tally",
        sa.Column("hundred", sa.BigInteger(), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("carrier", sa.String(length=80), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("capacity", sa.String(length=8), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint(
            "hundred", "site", "carrier", "state", "capacity", name=op.f("pk_tally")
        ),
    )
    with op.batch_alter_table("tally", schema=None) as batch_op:
        batch_op.create_index("tally_site", ["site"], unique=False)

    op.create_table(
        "task",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("work_order", sa.String(length=80), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("after", sa.Text(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("waits_for", sa.String(length=400), nullable=False),
        sa.Column("next_try", sa.DateTime(), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("leased_until", sa.DateTime(), nullable=True),
        sa.Column("works_from", sa.DateTime(), nullable=True),
        sa.Column("error", sa.String(length=600), nullable=False),
        sa.Column("added_as_remedy_for", sa.Integer(), nullable=True),
        sa.Column("snapshots", sa.Text(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_task")),
    )
    with op.batch_alter_table("task", schema=None) as batch_op:
        batch_op.create_index(
            "task_due",
            ["next_try"],
            unique=False,
            sqlite_where=sa.text("state = 'waiting'"),
            postgresql_where=sa.text("state = 'waiting'"),
        )
        batch_op.create_index("task_work_order", ["work_order", "position"], unique=False)

    op.create_table(
        "trunk",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("site", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trunk")),
    )
    op.create_table(
        "work_order",
        sa.Column("id", sa.String(length=80), nullable=False),
        sa.Column("no", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("reason", sa.String(length=400), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("created_by", sa.String(length=120), nullable=False),
        sa.Column("run_at", sa.DateTime(), nullable=True),
        sa.Column("started_at", sa.DateTime(), nullable=True),
        sa.Column("finished_at", sa.DateTime(), nullable=True),
        sa.Column("undo_of", sa.String(length=80), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_work_order")),
        sa.UniqueConstraint("no", name=op.f("uq_work_order_no")),
    )
    with op.batch_alter_table("work_order", schema=None) as batch_op:
        batch_op.create_index("work_order_state", ["state", "created_at"], unique=False)

    op.execute(finder.CREATE)


def downgrade() -> None:
    op.execute(finder.DROP)
    with op.batch_alter_table("work_order", schema=None) as batch_op:
        batch_op.drop_index("work_order_state")

    op.drop_table("work_order")
    op.drop_table("trunk")
    with op.batch_alter_table("task", schema=None) as batch_op:
        batch_op.drop_index("task_work_order")
        batch_op.drop_index(
            "task_due",
            sqlite_where=sa.text("state = 'waiting'"),
            postgresql_where=sa.text("state = 'waiting'"),
        )

    op.drop_table("task")
    with op.batch_alter_table("tally", schema=None) as batch_op:
        batch_op.drop_index("tally_site")

    op.drop_table("tally")
    op.drop_table("supply_order")
    with op.batch_alter_table("subscription", schema=None) as batch_op:
        batch_op.drop_index("subscription_product")

    op.drop_table("subscription")
    with op.batch_alter_table("spot", schema=None) as batch_op:
        batch_op.drop_index("spot_site")

    op.drop_table("spot")
    with op.batch_alter_table("span", schema=None) as batch_op:
        batch_op.drop_index("span_over")
        batch_op.drop_index("span_number")
        batch_op.drop_index("span_begun")

    op.drop_table("span")
    op.drop_table("site")
    with op.batch_alter_table("service_line", schema=None) as batch_op:
        batch_op.drop_index("line_site")

    op.drop_table("service_line")
    with op.batch_alter_table("proof", schema=None) as batch_op:
        batch_op.drop_index("proof_number")

    op.drop_table("proof")
    op.drop_table("product")
    with op.batch_alter_table("person", schema=None) as batch_op:
        batch_op.drop_index("person_spot")
        batch_op.drop_index("person_site")
        batch_op.drop_index("person_no_spot")
        batch_op.drop_index("person_name")
        batch_op.drop_index("person_count")
        batch_op.drop_index(
            "person_email",
            sqlite_where=sa.text("NOT departed"),
            postgresql_where=sa.text("NOT departed"),
        )

    op.drop_table("person")
    op.drop_table("path_version")
    with op.batch_alter_table("path_names", schema=None) as batch_op:
        batch_op.drop_index("named_by")

    op.drop_table("path_names")
    op.drop_table("path")
    with op.batch_alter_table("mail", schema=None) as batch_op:
        batch_op.drop_index(
            "mail_unsent",
            sqlite_where=sa.text("sent_at IS NULL"),
            postgresql_where=sa.text("sent_at IS NULL"),
        )

    op.drop_table("mail")
    with op.batch_alter_table("life", schema=None) as batch_op:
        batch_op.drop_index(
            "open_life",
            sqlite_where=sa.text("state NOT IN ('released', 'ported out', 'closed')"),
            postgresql_where=sa.text("state NOT IN ('released', 'ported out', 'closed')"),
        )
        batch_op.drop_index(
            "one_role_per_holder",
            sqlite_where=sa.text("role IN ('main', 'mailbox access')"),
            postgresql_where=sa.text("role IN ('main', 'mailbox access')"),
        )
        batch_op.drop_index(
            "life_until",
            sqlite_where=sa.text("state_until IS NOT NULL"),
            postgresql_where=sa.text("state_until IS NOT NULL"),
        )
        batch_op.drop_index("life_trunk")
        batch_op.drop_index("life_state")
        batch_op.drop_index("life_unregistered")
        batch_op.drop_index("life_spot")
        batch_op.drop_index("life_no_spot")
        batch_op.drop_index("life_site")
        batch_op.drop_index("life_path")
        batch_op.drop_index("life_order")
        batch_op.drop_index("life_number")
        batch_op.drop_index(
            "life_leaving",
            sqlite_where=sa.text("leaving_on IS NOT NULL"),
            postgresql_where=sa.text("leaving_on IS NOT NULL"),
        )
        batch_op.drop_index("life_holder")
        batch_op.drop_index(
            "life_attention",
            sqlite_where=sa.text("attention = 1"),
            postgresql_where=sa.text("attention"),
        )

    op.drop_table("life")
    with op.batch_alter_table("licence_grant", schema=None) as batch_op:
        batch_op.drop_index(
            "one_open_grant",
            sqlite_where=sa.text("NOT ended"),
            postgresql_where=sa.text("NOT ended"),
        )
        batch_op.drop_index("grant_product")

    op.drop_table("licence_grant")
    op.drop_table("ledger_head")
    with op.batch_alter_table("ledger", schema=None) as batch_op:
        batch_op.drop_index("ledger_work_order")
        batch_op.drop_index("ledger_subject")
        batch_op.drop_index("ledger_at")

    op.drop_table("ledger")
    op.drop_table("hold")
    with op.batch_alter_table("device", schema=None) as batch_op:
        batch_op.drop_index("device_silent")
        batch_op.drop_index("device_person")

    op.drop_table("device")
    op.drop_table("carrier")
    op.drop_table("answered")
    with op.batch_alter_table("address", schema=None) as batch_op:
        batch_op.drop_index("address_site")

    op.drop_table("address")
    op.drop_table("account")
