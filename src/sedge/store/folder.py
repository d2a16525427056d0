"""The folder of an installation: its owner's only, in use by one process at a time, and named in a
sentence where something is wrong with it.

The lock is the operating system's (`flock`): it ends with the process, however that ends. Known
hole: network file systems may not keep it.
"""

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from sqlalchemy.exc import DatabaseError

from sedge.core.errors import CannotStart
from sedge.store.disk_trouble import Trouble, trouble_of

LOCK = "in-use"
MINE_ONLY, FOLDER_MINE_ONLY = 0o600, 0o700
LEAST_ROOM = 50_000_000  # bytes: below it an installation is as good as full


@contextmanager
def folder_in_use(folder: Path) -> Iterator[None]:
    """The folder, made where it isn't, for this process alone until the end of the block. Raises
    CannotStart."""
    os.umask(0o077)
    with told_plainly(folder):
        folder.mkdir(parents=True, exist_ok=True)
        _for_the_owner(folder)
        lock = (folder / LOCK).open("a+")
    with lock:
        _take(lock, folder)
        yield


def _for_the_owner(folder: Path) -> None:
    """What an older Sedge left readable for others is not any more."""
    folder.chmod(FOLDER_MINE_ONLY)
    for file in folder.glob("*"):
        if file.is_file() and file.stat().st_mode & 0o077:
            file.chmod(MINE_ONLY)


def _take(lock: IO[str], folder: Path) -> None:
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        lock.seek(0)
        who = lock.read().strip() or "another process"
        raise CannotStart(
            f"{folder} is in use by {who}. Stop that first, or name another folder."
        ) from error
    lock.truncate(0)
    lock.write(f"process {os.getpid()}\n")
    lock.flush()


@contextmanager
def told_plainly(folder: Path) -> Iterator[None]:
    """Troubles of the disk as sentences. Raises CannotStart."""
    try:
        yield
    except (OSError, sqlite3.Error, DatabaseError) as error:
        raise CannotStart(_sentence(folder, error)) from error


def _sentence(folder: Path, error: Exception) -> str:
    match trouble_of(error):
        case Trouble.FULL:
            return f"There is no room left on the disk of {folder}. Make room and start again."
        case Trouble.READ_ONLY:
            return f"{folder} can't be written to. Give it to the user that runs Sedge."
        case Trouble.CLOSED:
            return f"A database in {folder} can't be opened. Look at the rights of its files."
        case Trouble.DAMAGED:
            return f"A database in {folder} is damaged. Restore it: sedge restore --help."
        case Trouble.LOCKED:
            return f"Another program holds a database in {folder}. Stop that first."
        case None:
            return f"{folder} can't be used: {str(error).splitlines()[0][:200]}"
