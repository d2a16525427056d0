"""The disk's trouble is told by codes, never by the words of a message."""

import errno
import sqlite3

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.exc import DatabaseError, OperationalError

from sedge.store.disk_trouble import Trouble, trouble_of


def coded(code, kind=sqlite3.OperationalError):
    error = kind("some words")
    error.sqlite_errorcode = code
    return error


@pytest.mark.parametrize(
    ("code", "trouble"),
    [
        (sqlite3.SQLITE_FULL, Trouble.FULL),
        (sqlite3.SQLITE_IOERR, Trouble.FULL),
        (sqlite3.SQLITE_IOERR_WRITE, Trouble.FULL),
        (sqlite3.SQLITE_READONLY, Trouble.READ_ONLY),
        (sqlite3.SQLITE_READONLY_DBMOVED, Trouble.READ_ONLY),
        (sqlite3.SQLITE_BUSY, Trouble.LOCKED),
        (sqlite3.SQLITE_BUSY_SNAPSHOT, Trouble.LOCKED),
        (sqlite3.SQLITE_CORRUPT, Trouble.DAMAGED),
        (sqlite3.SQLITE_NOTADB, Trouble.DAMAGED),
        (sqlite3.SQLITE_CANTOPEN, Trouble.CLOSED),
        (sqlite3.SQLITE_CONSTRAINT, None),
        (sqlite3.SQLITE_ERROR, None),
    ],
)
def test_sqlites_codes_and_their_extensions(code, trouble):
    assert trouble_of(coded(code)) is trouble
    wrapped = OperationalError("SELECT 1", {}, coded(code))
    assert trouble_of(wrapped) is trouble, "and as SQLAlchemy wraps it"


@pytest.mark.parametrize(
    ("number", "trouble"),
    [
        (errno.ENOSPC, Trouble.FULL),
        (errno.EDQUOT, Trouble.FULL),
        (errno.EROFS, Trouble.READ_ONLY),
        (errno.EACCES, Trouble.READ_ONLY),
        (errno.ENOENT, None),
    ],
)
def test_the_systems_numbers(number, trouble):
    assert trouble_of(OSError(number, "disk full")) is trouble


@pytest.mark.parametrize(
    "error", [None, ValueError("database is locked"), OSError("disk full"), sqlite3.Error("full")]
)
def test_words_alone_mean_nothing(error):
    assert trouble_of(error) is None


def fails_with(file, statement, *, read_only=False):
    engine = create_engine(f"sqlite:///{file}")
    with pytest.raises(DatabaseError) as failed, engine.connect() as connection:
        if read_only:
            connection.exec_driver_sql("PRAGMA query_only = 1")
        connection.execute(text(statement))
    engine.dispose()
    return trouble_of(failed.value)


def test_real_files_are_told_apart(tmp_path):
    rubbish = tmp_path / "rubbish.sqlite"
    rubbish.write_bytes(b"this is no database" * 100)
    assert fails_with(rubbish, "SELECT * FROM sqlite_master") is Trouble.DAMAGED
    assert fails_with(tmp_path / "no" / "folder.sqlite", "SELECT 1") is Trouble.CLOSED
    good = tmp_path / "good.sqlite"
    sqlite3.connect(good).execute("CREATE TABLE a (b)")
    assert fails_with(good, "INSERT INTO a VALUES (1)", read_only=True) is Trouble.READ_ONLY
    assert fails_with(good, "SELECT * FROM nothing") is None


def test_a_locked_file_is_locked(tmp_path):
    file = tmp_path / "good.sqlite"
    first = sqlite3.connect(file, isolation_level=None)
    first.execute("CREATE TABLE a (b)")
    first.execute("BEGIN EXCLUSIVE")
    second = sqlite3.connect(file, timeout=0)
    with pytest.raises(sqlite3.OperationalError) as failed:
        second.execute("SELECT * FROM a")
    assert trouble_of(failed.value) is Trouble.LOCKED
    first.execute("ROLLBACK")
