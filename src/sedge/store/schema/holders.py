"""The tables of holders and of planning work for them: members of groups, what the directory
proposes, comments and templates of work orders, letters' texts, how strict the organisation wants a
rule, and what the nightly checks found.
"""

from sqlalchemy import (
    Boolean,
    Column,
    Index,
    Integer,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    text,
)

from sedge.store.schema.tables import Moment, estate_metadata

group_member = Table(
    "group_member",
    estate_metadata,
    Column("group", String(80)),
    Column("person", String(80)),
    PrimaryKeyConstraint("group", "person"),
    Index("member_groups", "person"),
)
proposal = Table(
    "proposal",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("external", String(120), nullable=False),  # the directory's id of whom it is about
    Column("kind", String(12), nullable=False),  # joiner, mover, leaver, changed, group
    Column("name", String(120), nullable=False),
    Column("state", String(12), nullable=False),  # open, taken, dismissed, done
    Column("at", Moment, nullable=False),
    Column("work_order", String(80)),
    Column("body", Text, nullable=False),
    Index("proposal_state", "state", "at"),
    Index(
        "one_open_proposal",
        "external",
        unique=True,
        sqlite_where=text("state = 'open'"),
        postgresql_where=text("state = 'open'"),
    ),
)
directory_entry = Table(
    "directory_entry",
    estate_metadata,
    Column(
        "id", String(120), primary_key=True
    ),  # the directory's id; for a group with the prefix group:
    Column("kind", String(8), nullable=False),
    Column("external", String(120), nullable=False),
    Column("user_name", String(200), nullable=False),  # in small letters
    Column("gone", Boolean, nullable=False),
    Column("at", Moment, nullable=False),
    Column("version", Integer, nullable=False),
    Column("body", Text, nullable=False),  # as the directory said it last
    Index("entry_external", "kind", "external"),
    Index("entry_user_name", "user_name"),
)
order_touch = Table(
    "order_touch",
    estate_metadata,
    Column("work_order", String(80)),
    Column("subject", String(20)),
    Column("ref", String(80)),
    PrimaryKeyConstraint("work_order", "subject", "ref"),
    Index("touched", "subject", "ref"),
)
order_comment = Table(
    "order_comment",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("work_order", String(80), nullable=False),
    Column("at", Moment, nullable=False),
    Column("actor", String(120), nullable=False),
    Column("text", Text, nullable=False),
    Index("comment_order", "work_order", "at"),
)
order_template = Table(
    "order_template",
    estate_metadata,
    Column("id", String(80), primary_key=True),
    Column("name", String(80), nullable=False, unique=True),
    Column("created_by", String(120), nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("body", Text, nullable=False),
)
letter_text = Table(
    "letter_text",
    estate_metadata,
    Column("kind", String(20)),
    Column("language", String(5)),
    Column("subject", String(200), nullable=False),
    Column("text", Text, nullable=False),
    Column("html", Text, nullable=False),
    Column("version", Integer, nullable=False),
    PrimaryKeyConstraint("kind", "language"),
)
rule_level = Table(
    "rule_level",
    estate_metadata,
    Column("rule", String(60), primary_key=True),
    Column("level", String(4), nullable=False),
    Column("changed_by", String(120), nullable=False),
    Column("changed_at", Moment, nullable=False),
)
finding = Table(
    "finding",
    estate_metadata,
    Column("subject", String(20)),
    Column("ref", String(80)),
    Column("rule", String(60)),
    Column("level", String(4), nullable=False),
    Column("name", String(120), nullable=False),
    Column("message", Text, nullable=False),
    Column("seen_at", Moment, nullable=False),
    PrimaryKeyConstraint("subject", "ref", "rule"),
    Index("finding_rule", "rule", "level"),
)
device_link = Table(
    "device_link",
    estate_metadata,
    Column("token_hash", String(64), primary_key=True),
    Column("device", String(80), nullable=False),
    Column("expires_at", Moment, nullable=False),
    Column("used_at", Moment),
    Index("device_link_device", "device"),
)
