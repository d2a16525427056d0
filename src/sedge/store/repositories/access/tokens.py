"""Tokens of people and programs for the interface, by their hash."""

import json
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Connection, insert, select, update

from sedge.core.access.roles import AccessRole
from sedge.store.schema.access import api_token as table

USED_EVERY = timedelta(minutes=1)  # a token's last use is written no more often than this


@dataclass(frozen=True)
class Token:
    """What a program may do with it: what `role` may, at `sites` (empty: as its owner), and nothing
    but look where it is `read_only`. It never reaches further than its owner does."""

    id: str
    name: str
    sign_in: str
    organisation: str
    role: AccessRole
    sites: tuple[str, ...]
    read_only: bool
    made_at: datetime
    expires_at: datetime
    used_at: datetime | None = None
    used_from: str | None = None
    revoked_at: datetime | None = None
    revoked_by: str | None = None


def add(connection: Connection, token_hash: str, token: Token) -> None:
    values = vars(token) | {"role": token.role.value, "sites": json.dumps(token.sites)}
    connection.execute(insert(table).values(token_hash=token_hash, **values))


def by_hash(connection: Connection, token_hash: str, now: datetime) -> Token | None:
    """One that still lets in."""
    row = connection.execute(
        select(table).where(
            table.c.token_hash == token_hash,
            table.c.expires_at > now,
            table.c.revoked_at.is_(None),
        )
    ).first()
    return _read(row) if row else None


def all_of(connection: Connection, organisation: str, sign_in: str | None = None) -> list[Token]:
    """Those of an organisation, or of one person there, the newest first; ended ones too."""
    query = select(table).where(table.c.organisation == organisation)
    if sign_in is not None:
        query = query.where(table.c.sign_in == sign_in)
    found = connection.execute(query.order_by(table.c.made_at.desc(), table.c.id))
    return [_read(row) for row in found]


def note_use(connection: Connection, key: str, now: datetime, address: str) -> None:
    connection.execute(
        update(table).where(table.c.id == key).values(used_at=now, used_from=address)
    )


def revoke(connection: Connection, key: str, now: datetime, who: str) -> bool:
    """False where it had ended already."""
    still = (table.c.id == key, table.c.revoked_at.is_(None))
    changed = update(table).where(*still).values(revoked_at=now, revoked_by=who)
    return connection.execute(changed).rowcount == 1


def _read(row) -> Token:
    found = dict(row._mapping)
    del found["token_hash"]
    return Token(
        **found | {"role": AccessRole(found["role"]), "sites": tuple(json.loads(found["sites"]))}
    )
