"""What SQLite's result codes say of the disk: decided by the code, never by the words of a message
(https://sqlite.org/rescode.html)."""

import errno
import sqlite3
from enum import StrEnum

from sqlalchemy.exc import DBAPIError


class Trouble(StrEnum):
    FULL = "full"
    READ_ONLY = "read-only"
    LOCKED = "locked"
    DAMAGED = "damaged"
    CLOSED = "can't be opened"


CODES = {
    sqlite3.SQLITE_FULL: Trouble.FULL,
    sqlite3.SQLITE_IOERR: Trouble.FULL,
    sqlite3.SQLITE_READONLY: Trouble.READ_ONLY,
    sqlite3.SQLITE_PERM: Trouble.READ_ONLY,
    sqlite3.SQLITE_BUSY: Trouble.LOCKED,
    sqlite3.SQLITE_LOCKED: Trouble.LOCKED,
    sqlite3.SQLITE_CORRUPT: Trouble.DAMAGED,
    sqlite3.SQLITE_NOTADB: Trouble.DAMAGED,
    sqlite3.SQLITE_CANTOPEN: Trouble.CLOSED,
}
NUMBERS = {
    errno.ENOSPC: Trouble.FULL,
    errno.EDQUOT: Trouble.FULL,
    errno.EROFS: Trouble.READ_ONLY,
    errno.EACCES: Trouble.READ_ONLY,
    errno.EPERM: Trouble.READ_ONLY,
}


def trouble_of(error: BaseException | None) -> Trouble | None:
    """The disk's trouble behind an error of the database or the system; None for any other."""
    if isinstance(error, DBAPIError):
        error = error.orig
    if isinstance(error, OSError):
        return NUMBERS.get(error.errno or 0)
    code = getattr(error, "sqlite_errorcode", None)  # its last byte is the primary code
    return CODES.get(code & 0xFF) if isinstance(code, int) else None
