"""Mails, sealed secrets, and answers kept for who asks again."""

from sqlalchemy import (
    Column,
    Index,
    Integer,
    LargeBinary,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    text,
)

from sedge.store.schema.tables import Moment, estate_metadata

mail = Table(
    "mail",
    estate_metadata,
    Column("id", String(120), primary_key=True),
    Column("recipient", String(200), nullable=False),
    Column("subject", String(200), nullable=False),
    Column("text", Text, nullable=False),
    Column("created_at", Moment, nullable=False),
    Column("sent_at", Moment),
    Column("work_order", String(80)),
    Column("html", Text),
    Column("tries", Integer, nullable=False, server_default="0"),
    Column("next_try", Moment),
    Column("problem", String(400)),
    Column("given_up_at", Moment),
    Index(
        "mail_unsent",
        "created_at",
        sqlite_where=text("sent_at IS NULL"),
        postgresql_where=text("sent_at IS NULL"),
    ),
)


mail_file = Table(
    "mail_file",
    estate_metadata,
    Column("mail", String(120), nullable=False),
    Column("place", Integer, nullable=False),
    Column("name", String(120), nullable=False),
    Column("media_type", String(80), nullable=False),
    Column("content", LargeBinary, nullable=False),
    PrimaryKeyConstraint("mail", "place"),
)


secret = Table(
    "secret",
    estate_metadata,
    Column("name", String(120), primary_key=True),
    Column("sealed", Text, nullable=False),
    Column("at", Moment, nullable=False),
)


answered = Table(
    "answered",
    estate_metadata,
    Column("key", String(200), primary_key=True),
    Column("request_hash", String(64), nullable=False),
    Column("status", Integer, nullable=False),
    Column("answer", Text, nullable=False),
    Column("at", Moment, nullable=False),
)
