"""The tables of the installation's own small database."""

from sqlalchemy import (
    Boolean,
    Column,
    Index,
    Integer,
    MetaData,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    false,
)

from sedge.store.schema.tables import NAMING, Moment

installation_metadata = MetaData(naming_convention=NAMING)

organisation = Table(
    "organisation",
    installation_metadata,
    Column("id", String(40), primary_key=True),
    Column("name", String(120), nullable=False),
    Column("home_country", String(2), nullable=False),
    Column("asks_directory", Boolean, nullable=False, server_default=false()),
    Column("created_at", Moment, nullable=False),
)
sign_in = Table(
    "sign_in",
    installation_metadata,
    Column("id", String(40), primary_key=True),
    Column("name", String(120), nullable=False),
    Column("email", String(200), nullable=False, unique=True),
    Column("password_hash", String(200), nullable=False),
    Column("place", Integer, nullable=False),
    Column("password_changed_at", Moment),
    Column("totp_sealed", Text),  # the shared secret, sealed; without `totp_since` not yet proven
    Column("totp_since", Moment),
    Column("totp_step", Integer),  # of the code used last, which is not taken again
)
membership = Table(
    "membership",
    installation_metadata,
    Column("sign_in", String(40)),
    Column("organisation", String(40)),
    Column("role", String(20), nullable=False),
    Column("sites", Text, nullable=False),
    PrimaryKeyConstraint("sign_in", "organisation"),
)
session = Table(
    "session",
    installation_metadata,
    Column("token_hash", String(64), primary_key=True),
    Column("sign_in", String(40), nullable=False),
    Column("organisation", String(40), nullable=False),
    Column("expires_at", Moment, nullable=False),
    Column("id", String(40), nullable=False),
    Column("opened_at", Moment, nullable=False),
    Column("seen_at", Moment, nullable=False),
    Column("sure_at", Moment, nullable=False),
    Column("awaits", String(20), nullable=False),
    Column("address", String(64), nullable=False),
    Column("agent", String(200), nullable=False),
    Index("session_sign_in", "sign_in"),
)
invitation = Table(
    "invitation",
    installation_metadata,
    Column("id", String(64), primary_key=True),
    Column("email", String(200), nullable=False),
    Column("name", String(120), nullable=False),
    Column("organisation", String(40), nullable=False),
    Column("role", String(20), nullable=False),
    Column("sites", Text, nullable=False),
    Column("invited_by", String(120), nullable=False),
    Column("expires_at", Moment, nullable=False),
    Index("invitation_organisation", "organisation", "email", unique=True),
)
setting = Table(
    "setting",
    installation_metadata,
    Column("name", String(40), primary_key=True),
    Column("value", Text, nullable=False),
)
