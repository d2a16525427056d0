"""The installation's own small database: organisations, sign-ins, memberships, the clock's
offset."""

import json
import secrets
from dataclasses import dataclass, fields
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select, update

from sedge.core.access.roles import KEPT_TO_SITES, AccessRole
from sedge.core.access.scope import Scope
from sedge.store.schema import installation as tables
from sedge.store.secrets import Keyring

_FIRST = (tables.organisation.c.created_at, tables.organisation.c.id)
SEALED_SECRET = "callback secret, sealed"  # noqa: S105  the name it is kept under


@dataclass(frozen=True)
class Member:
    """Somebody who is signed in and acts for one organisation. `sites` are those a site manager
    looks after; `read_only` programs change nothing whatever their role; `token` is
    the one that a program came with."""

    sign_in: str
    name: str
    email: str
    organisation: str
    role: AccessRole
    sites: tuple[str, ...] = ()
    read_only: bool = False
    token: str = ""

    @property
    def scope(self) -> Scope:
        """How far they reach: a site manager to their sites, whoever else to the whole
        organisation."""
        return Scope(frozenset(self.sites)) if self.role in KEPT_TO_SITES else Scope()


@dataclass(frozen=True)
class Organisation:
    """`asks_directory`: the directory that this installation is connected to is theirs; no other
    organisation's people come from it."""

    id: str
    name: str
    home_country: str
    asks_directory: bool = False


@dataclass(frozen=True)
class SignIn:
    id: str
    name: str
    email: str
    password_hash: str
    place: int
    password_changed_at: datetime | None
    totp_sealed: str | None
    totp_since: datetime | None
    totp_step: int | None


def organisations(connection: Connection) -> list[Organisation]:
    table = tables.organisation
    rows = connection.execute(
        select(*(table.c[f.name] for f in fields(Organisation))).order_by(table.c.created_at)
    )
    return [Organisation(*row) for row in rows]


def add_organisation(connection: Connection, organisation: Organisation, at: datetime) -> None:
    connection.execute(
        insert(tables.organisation).values(
            id=organisation.id,
            name=organisation.name,
            home_country=organisation.home_country,
            asks_directory=organisation.asks_directory,
            created_at=at,
        )
    )


def add_sign_in(connection: Connection, member: Member, password_hash: str) -> None:
    place = (connection.execute(select(func.max(tables.sign_in.c.place))).scalar() or 0) + 1
    row = {
        "id": member.sign_in,
        "name": member.name,
        "email": member.email.lower(),
        "password_hash": password_hash,
        "place": place,
    }
    connection.execute(insert(tables.sign_in).values(**row))
    add_membership(connection, member)


def add_membership(connection: Connection, member: Member) -> None:
    """Let somebody who signs in already act for another organisation; once."""
    table = tables.membership
    known = select(table.c.role).where(
        table.c.sign_in == member.sign_in, table.c.organisation == member.organisation
    )
    if connection.execute(known).first() is None:
        row = {
            "sign_in": member.sign_in,
            "organisation": member.organisation,
            "role": member.role.value,
            "sites": json.dumps(member.sites),
        }
        connection.execute(insert(table).values(**row))


def memberships_of(connection: Connection, sign_in: str) -> list[Member]:
    """All organisations somebody may act for, the first one first."""
    return [
        member_of(row)
        for row in connection.execute(
            memberships().where(tables.sign_in.c.id == sign_in).order_by(*_FIRST)
        )
    ]


def members_of(connection: Connection, organisation: str) -> list[Member]:
    """Members of an organisation, by name."""
    query = (
        memberships()
        .where(tables.membership.c.organisation == organisation)
        .order_by(tables.sign_in.c.name, tables.sign_in.c.id)
    )
    return [member_of(row) for row in connection.execute(query)]


def change_membership(
    connection: Connection,
    sign_in: str,
    organisation: str,
    role: AccessRole,
    sites: tuple[str, ...],
) -> None:
    table = tables.membership
    where = (table.c.sign_in == sign_in, table.c.organisation == organisation)
    connection.execute(update(table).where(*where).values(role=role.value, sites=json.dumps(sites)))


def end_membership(connection: Connection, sign_in: str, organisation: str) -> None:
    """With the sessions in which they act for it."""
    for table in (tables.membership, tables.session):
        connection.execute(
            delete(table).where(table.c.sign_in == sign_in, table.c.organisation == organisation)
        )


def organisation_named(connection: Connection, name: str) -> Organisation | None:
    table = tables.organisation
    row = connection.execute(
        select(*(table.c[f.name] for f in fields(Organisation))).where(
            func.lower(table.c.name) == name.lower()
        )
    ).first()
    return Organisation(*row) if row else None


def members(connection: Connection) -> list[Member]:
    """Everybody who signs in, as a member of their first organisation."""
    found: dict[str, Member] = {}
    for row in connection.execute(memberships().order_by(tables.sign_in.c.place, *_FIRST)):
        found.setdefault(row.id, member_of(row))
    return list(found.values())


def member(connection: Connection, sign_in: str) -> Member | None:
    return next(iter(memberships_of(connection, sign_in)), None)


def by_id(connection: Connection, sign_in: str) -> SignIn | None:
    row = connection.execute(select(tables.sign_in).where(tables.sign_in.c.id == sign_in)).first()
    return SignIn(**row._mapping) if row else None


def set_password(connection: Connection, sign_in: str, password_hash: str, at: datetime) -> None:
    table = tables.sign_in
    connection.execute(
        update(table)
        .where(table.c.id == sign_in)
        .values(password_hash=password_hash, password_changed_at=at)
    )


def by_email(connection: Connection, email: str) -> SignIn | None:
    row = connection.execute(
        select(tables.sign_in).where(tables.sign_in.c.email == email.strip().lower())
    ).first()
    return SignIn(**row._mapping) if row else None


def setting(connection: Connection, name: str) -> str | None:
    return connection.execute(
        select(tables.setting.c.value).where(tables.setting.c.name == name)
    ).scalar()


def put_setting(connection: Connection, name: str, value: str) -> None:
    if (
        connection.execute(
            update(tables.setting).where(tables.setting.c.name == name).values(value=value)
        ).rowcount
        == 0
    ):
        connection.execute(insert(tables.setting).values(name=name, value=value))


def callback_secret(connection: Connection, ring: Keyring) -> str:
    """What carriers sign their callbacks with: made once for an installation, kept sealed."""
    sealed = setting(connection, SEALED_SECRET)
    if sealed is not None:
        return ring.open(sealed)
    fresh = setting(connection, "callback secret") or secrets.token_hex(
        32
    )  # the unsealed one of older installations goes on
    put_setting(connection, SEALED_SECRET, ring.seal(fresh))
    connection.execute(delete(tables.setting).where(tables.setting.c.name == "callback secret"))
    return fresh


def memberships():
    s, m = tables.sign_in, tables.membership
    o = tables.organisation
    return (
        select(s.c.id, s.c.name, s.c.email, m.c.organisation, m.c.role, m.c.sites)
        .join(m, m.c.sign_in == s.c.id)
        .join(o, o.c.id == m.c.organisation)
    )


def member_of(row) -> Member:
    return Member(
        row.id,
        row.name,
        row.email,
        row.organisation,
        AccessRole(row.role),
        tuple(json.loads(row.sites)),
    )
