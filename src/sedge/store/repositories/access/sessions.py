"""Sessions of people who signed in, by the hash of their token."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlalchemy import Connection, delete, insert, select, update

from sedge.store.repositories.access.sign_ins import Member, member_of, memberships
from sedge.store.schema import access, installation

SEEN_EVERY = timedelta(minutes=1)  # a session is written to no more often than this


@dataclass(frozen=True)
class Session:
    """`sure_at`: when they last proved who they are; `awaits`: what is still asked of them before
    they are let in, "" once they are; `address` and `agent` are of the browser that signed in."""

    id: str
    sign_in: str
    organisation: str
    opened_at: datetime
    seen_at: datetime
    expires_at: datetime
    sure_at: datetime
    awaits: str = ""
    address: str = ""
    agent: str = ""

    def has_ended(self, now: datetime, idle: timedelta) -> bool:
        """By time, or for want of use."""
        return self.expires_at <= now or self.seen_at <= now - idle


@dataclass(frozen=True)
class Open:
    """A session and the member whose it is."""

    session: Session
    member: Member


def open_session(connection: Connection, token_hash: str, session: Session) -> None:
    """Old ones of anybody are forgotten along with it."""
    table = installation.session
    connection.execute(delete(table).where(table.c.expires_at < session.opened_at))
    connection.execute(insert(table).values(token_hash=token_hash, **vars(session)))


def session_of(connection: Connection, token_hash: str) -> Open | None:
    """The session of a token, also one that has ended and is not yet forgotten."""
    table = installation.session
    query = (
        memberships()
        .add_columns(*(table.c[name].label(f"session_{name}") for name in _NAMES))
        .join(
            table,
            (table.c.sign_in == installation.sign_in.c.id)
            & (table.c.organisation == installation.membership.c.organisation),
        )
        .where(table.c.token_hash == token_hash)
    )
    row = connection.execute(query).first()
    if row is None:
        return None
    found = {name: row._mapping[f"session_{name}"] for name in _NAMES}
    return Open(Session(**found), member_of(row))


def note_seen(connection: Connection, session: Session, now: datetime) -> Session:
    table = installation.session
    connection.execute(update(table).where(table.c.id == session.id).values(seen_at=now))
    return replace(session, seen_at=now)


def change(connection: Connection, session: Session, **values: object) -> None:
    """Raises nothing where the session has ended meanwhile: then there is nothing to change."""
    table = installation.session
    connection.execute(update(table).where(table.c.id == session.id).values(**values))


def all_of(connection: Connection, sign_in: str, now: datetime) -> list[Session]:
    """Those of one person that have not run out, the one used last first."""
    table = installation.session
    query = (
        select(*(table.c[name] for name in _NAMES))
        .where(table.c.sign_in == sign_in, table.c.expires_at > now)
        .order_by(table.c.seen_at.desc())
    )
    return [Session(**row._mapping) for row in connection.execute(query)]


def close(connection: Connection, token_hash: str) -> None:
    table = installation.session
    connection.execute(delete(table).where(table.c.token_hash == token_hash))


def close_of(
    connection: Connection, sign_in: str, *, only: str | None = None, but: str | None = None
) -> int:
    """End one's sessions: all, `only` one, or all `but` one; how many there were."""
    table = installation.session
    query = delete(table).where(table.c.sign_in == sign_in)
    if only is not None:
        query = query.where(table.c.id == only)
    if but is not None:
        query = query.where(table.c.id != but)
    return connection.execute(query).rowcount


def meet_browser(connection: Connection, session: Session) -> bool:
    """Remember the browser of a session; whether it is a new one of somebody who has others."""
    table = access.known_browser
    mine = table.c.sign_in == session.sign_in
    known = connection.execute(select(table.c.address, table.c.agent).where(mine)).all()
    if (session.address, session.agent) in {tuple(row) for row in known}:
        return False
    connection.execute(
        insert(table).values(
            sign_in=session.sign_in,
            address=session.address,
            agent=session.agent,
            first_at=session.opened_at,
        )
    )
    return bool(known)


_NAMES = tuple(Session.__dataclass_fields__)
