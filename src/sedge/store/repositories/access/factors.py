"""Second factors: the secret of one-time codes, recovery codes, passkeys; and letters that set a
new password."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select, update

from sedge.store.schema import access, installation


@dataclass(frozen=True)
class Passkey:
    """A credential of WebAuthn. `id` and `public_key` are base64url; `sign_count` is its counter as
    it was used last."""

    id: str
    sign_in: str
    name: str
    public_key: str
    sign_count: int
    made_at: datetime
    used_at: datetime | None = None


def set_totp(
    connection: Connection, sign_in: str, sealed: str | None, since: datetime | None = None
) -> None:
    """A secret that is not yet proven has no `since`; None takes it away."""
    table = installation.sign_in
    connection.execute(
        update(table)
        .where(table.c.id == sign_in)
        .values(totp_sealed=sealed, totp_since=since, totp_step=None)
    )


def use_step(connection: Connection, sign_in: str, step: int) -> bool:
    """Note a code as used; False where it, or a later one, was used already (RFC 6238, 5.2)."""
    table = installation.sign_in
    fresh = (table.c.totp_step.is_(None)) | (table.c.totp_step < step)
    done = connection.execute(
        update(table).where(table.c.id == sign_in, fresh).values(totp_step=step)
    )
    return done.rowcount == 1


def put_recovery_codes(connection: Connection, sign_in: str, hashes: list[str]) -> None:
    """In place of all earlier ones."""
    table = access.recovery_code
    connection.execute(delete(table).where(table.c.sign_in == sign_in))
    if hashes:
        connection.execute(
            insert(table), [{"sign_in": sign_in, "code_hash": found} for found in hashes]
        )


def use_recovery_code(connection: Connection, sign_in: str, code_hash: str, now: datetime) -> bool:
    table = access.recovery_code
    unused = (
        table.c.sign_in == sign_in,
        table.c.code_hash == code_hash,
        table.c.used_at.is_(None),
    )
    return connection.execute(update(table).where(*unused).values(used_at=now)).rowcount == 1


def recovery_codes_left(connection: Connection, sign_in: str) -> int:
    table = access.recovery_code
    query = select(func.count()).where(table.c.sign_in == sign_in, table.c.used_at.is_(None))
    return connection.execute(query).scalar() or 0


def who_has_one(connection: Connection, sign_ins: list[str]) -> set[str]:
    """Those of the sign-ins that have an authenticator or a passkey."""
    table, key = installation.sign_in, access.passkey
    codes = select(table.c.id).where(table.c.id.in_(sign_ins), table.c.totp_since.is_not(None))
    keys = select(key.c.sign_in).where(key.c.sign_in.in_(sign_ins))
    return set(connection.execute(codes.union(keys)).scalars())


def passkeys(connection: Connection, sign_in: str) -> list[Passkey]:
    table = access.passkey
    query = select(table).where(table.c.sign_in == sign_in).order_by(table.c.made_at)
    return [Passkey(**row._mapping) for row in connection.execute(query)]


def add_passkey(connection: Connection, passkey: Passkey) -> None:
    connection.execute(insert(access.passkey).values(**vars(passkey)))


def use_passkey(connection: Connection, key: str, sign_count: int, now: datetime) -> None:
    table = access.passkey
    connection.execute(
        update(table).where(table.c.id == key).values(sign_count=sign_count, used_at=now)
    )


def remove_passkey(connection: Connection, sign_in: str, key: str) -> bool:
    table = access.passkey
    mine = (table.c.sign_in == sign_in, table.c.id == key)
    return connection.execute(delete(table).where(*mine)).rowcount == 1


def linked(connection: Connection, issuer: str, subject: str) -> str | None:
    """Whose an identity at another provider is."""
    table = access.identity
    query = select(table.c.sign_in).where(table.c.issuer == issuer, table.c.subject == subject)
    return connection.execute(query).scalar()


def link(connection: Connection, issuer: str, subject: str, sign_in: str, at: datetime) -> None:
    """From now on the identity is this person's, whatever mail address it has later."""
    values = {"issuer": issuer, "subject": subject, "sign_in": sign_in, "linked_at": at}
    connection.execute(insert(access.identity).values(**values))


def has_identity(connection: Connection, issuer: str, sign_in: str) -> bool:
    table = access.identity
    query = select(table.c.subject).where(table.c.issuer == issuer, table.c.sign_in == sign_in)
    return connection.execute(query).first() is not None


def put_reset(connection: Connection, digest: str, sign_in: str, expires_at: datetime) -> None:
    """In place of an earlier one of the same person."""
    table = access.password_reset
    connection.execute(delete(table).where(table.c.sign_in == sign_in))
    connection.execute(insert(table).values(id=digest, sign_in=sign_in, expires_at=expires_at))


def whose_reset(connection: Connection, digest: str, now: datetime) -> str | None:
    table = access.password_reset
    query = select(table.c.sign_in).where(table.c.id == digest, table.c.expires_at > now)
    return connection.execute(query).scalar()


def take_reset(connection: Connection, digest: str, now: datetime) -> str | None:
    """Used once: whose it was, None for one that was used or is too old."""
    found = whose_reset(connection, digest, now)
    connection.execute(delete(access.password_reset).where(access.password_reset.c.id == digest))
    return found
