"""Invitations to sign in, by the hash of their token: used once, withdrawn, or forgotten when they
are too old."""

import json
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, insert, select

from sedge.core.access.roles import AccessRole
from sedge.store.schema.installation import invitation as table


@dataclass(frozen=True)
class Invitation:
    """`id` is the token's hash; the token itself is only in the letter."""

    id: str
    email: str
    name: str
    organisation: str
    role: AccessRole
    sites: tuple[str, ...]
    invited_by: str
    expires_at: datetime


def put_invitation(connection: Connection, invitation: Invitation) -> None:
    """In place of an earlier one to the same address for the same organisation."""
    connection.execute(
        delete(table).where(
            table.c.email == invitation.email, table.c.organisation == invitation.organisation
        )
    )
    values = {
        **vars(invitation),
        "role": invitation.role.value,
        "sites": json.dumps(invitation.sites),
    }
    connection.execute(insert(table).values(**values))


def open_ones(connection: Connection, organisation: str, now: datetime) -> list[Invitation]:
    query = (
        select(table)
        .where(table.c.organisation == organisation, table.c.expires_at > now)
        .order_by(table.c.email)
    )
    return [_read(row) for row in connection.execute(query)]


def by_digest(connection: Connection, digest: str, now: datetime) -> Invitation | None:
    row = connection.execute(
        select(table).where(table.c.id == digest, table.c.expires_at > now)
    ).first()
    return _read(row) if row else None


def take(connection: Connection, digest: str, organisation: str | None = None) -> Invitation | None:
    """Used or withdrawn: gone from here on, and given back to whoever took it first."""
    condition = (
        (table.c.id == digest)
        if organisation is None
        else (table.c.id == digest) & (table.c.organisation == organisation)
    )
    row = connection.execute(select(table).where(condition)).first()
    connection.execute(delete(table).where(condition))
    return _read(row) if row else None


def _read(row) -> Invitation:
    return Invitation(
        **{**row._mapping, "role": AccessRole(row.role), "sites": tuple(json.loads(row.sites))}
    )
