"""Tables of how people and programs prove who they are, in the installation's database. Of whatever
lets somebody in only a hash is kept."""

from sqlalchemy import Boolean, Column, Index, Integer, PrimaryKeyConstraint, String, Table, Text

from sedge.store.schema.installation import installation_metadata
from sedge.store.schema.tables import Moment

attempt = Table(
    "attempt",
    installation_metadata,
    Column("key", String(120), primary_key=True),
    Column("count", Integer, nullable=False),
    Column("until", Moment, nullable=False),
)
recovery_code = Table(
    "recovery_code",
    installation_metadata,
    Column("sign_in", String(40), nullable=False),
    Column("code_hash", String(64), nullable=False),
    Column("used_at", Moment),
    PrimaryKeyConstraint("sign_in", "code_hash"),
)
passkey = Table(
    "passkey",
    installation_metadata,
    Column("id", String(400), primary_key=True),
    Column("sign_in", String(40), nullable=False),
    Column("name", String(80), nullable=False),
    Column("public_key", Text, nullable=False),
    Column("sign_count", Integer, nullable=False),
    Column("made_at", Moment, nullable=False),
    Column("used_at", Moment),
    Index("passkey_sign_in", "sign_in"),
)
password_reset = Table(
    "password_reset",
    installation_metadata,
    Column("id", String(64), primary_key=True),
    Column("sign_in", String(40), nullable=False),
    Column("expires_at", Moment, nullable=False),
)
identity = Table(
    "identity",
    installation_metadata,
    Column("issuer", String(300), nullable=False),
    Column("subject", String(255), nullable=False),
    Column("sign_in", String(40), nullable=False),
    Column("linked_at", Moment, nullable=False),
    PrimaryKeyConstraint("issuer", "subject"),
)
known_browser = Table(
    "known_browser",
    installation_metadata,
    Column("sign_in", String(40), nullable=False),
    Column("address", String(64), nullable=False),
    Column("agent", String(200), nullable=False),
    Column("first_at", Moment, nullable=False),
    PrimaryKeyConstraint("sign_in", "address", "agent"),
)
api_token = Table(
    "api_token",
    installation_metadata,
    Column("id", String(40), primary_key=True),
    Column("token_hash", String(64), nullable=False, unique=True),
    Column("name", String(80), nullable=False),
    Column("sign_in", String(40), nullable=False),
    Column("organisation", String(40), nullable=False),
    Column("role", String(20), nullable=False),
    Column("sites", Text, nullable=False),
    Column("read_only", Boolean, nullable=False),
    Column("made_at", Moment, nullable=False),
    Column("expires_at", Moment, nullable=False),
    Column("used_at", Moment),
    Column("used_from", String(64)),
    Column("revoked_at", Moment),
    Column("revoked_by", String(120)),
    Index("api_token_organisation", "organisation"),
)
