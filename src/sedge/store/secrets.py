"""Secrets at rest: sealed with a key that lies in a file of its own beside the databases, readable
by nobody else.

Sealing is Fernet (AES-128-CBC with HMAC-SHA256). Known hole: whoever has the whole data folder has
both.
"""

import os
from collections.abc import Iterable
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy import Connection, delete, insert, select

from sedge.core.errors import CannotStart, NotAllowedNow
from sedge.store.schema import mails
from sedge.store.stamp import Stamp


class Keyring:
    def __init__(self, file: Path) -> None:
        try:
            self._fernet = Fernet(_key_in(file))
        except ValueError as error:
            raise CannotStart(
                f"{file} is no key: it has {file.stat().st_size} bytes that can't be read as one."
                " Put the right file back, from a backup if need be."
            ) from error

    def seal(self, text: str) -> str:
        return self._fernet.encrypt(text.encode()).decode()

    def open(self, sealed: str) -> str:
        """Raises NotAllowedNow where it was sealed with another key."""
        try:
            return self._fernet.decrypt(sealed.encode()).decode()
        except InvalidToken as error:
            raise NotAllowedNow(
                "A secret can't be read: the key file is another than when it was kept. Put the old"
                " file back, or give the secret anew.",
                reason="sealed",
            ) from error


def _key_in(file: Path) -> bytes:
    """The key in the file; made where there is none yet, for the owner's eyes only."""
    if file.exists():
        return file.read_bytes()
    if (file.parent / "installation.sqlite").exists() and any(file.parent.glob("estate-*.sqlite")):
        raise CannotStart(
            f"{file} is missing, and the databases beside it have secrets sealed with it. Put it"
            " back from a backup."
        )
    file.parent.mkdir(parents=True, exist_ok=True)
    key = Fernet.generate_key()
    with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as opened:
        opened.write(key)
    return key


def keep_secret(connection: Connection, ring: Keyring, name: str, text: str, stamp: Stamp) -> None:
    connection.execute(delete(mails.secret).where(mails.secret.c.name == name))
    connection.execute(insert(mails.secret).values(name=name, sealed=ring.seal(text), at=stamp.at))


def kept(connection: Connection, names: Iterable[str]) -> set[str]:
    """Which of the names a secret is kept under."""
    column = mails.secret.c.name
    return set(connection.execute(select(column).where(column.in_(sorted(names)))).scalars())


def read(connection: Connection, ring: Keyring, name: str) -> str:
    """The secret's text; empty where none is kept."""
    sealed = connection.execute(
        select(mails.secret.c.sealed).where(mails.secret.c.name == name)
    ).scalar()
    return ring.open(sealed) if sealed else ""
