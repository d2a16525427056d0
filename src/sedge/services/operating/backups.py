"""Backups of a whole installation: taken while it serves, sealed to a passphrase where there is
one, and counted as made only once they have been unpacked and looked through.

Each database is copied by SQLite's online backup, so each is consistent in itself; the
installation's own comes first, so that an organisation it names has at least the estate it had
then.
"""

import hashlib
import json
import os
import re
import shutil
import sqlite3
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory

from sedge import __version__
from sedge.core.errors import CannotStart
from sedge.store.chain_files import chain_of
from sedge.store.database import copy_to
from sedge.store.folder import LOCK, folder_in_use, told_plainly
from sedge.store.sealed_file import is_sealed, seal, unseal

MANIFEST = "manifest.json"
NAME = re.compile(r"sedge-\d{8}T\d{6}Z\.backup")
PLAIN_FILES = ("secret.key", "seeded", "made-by-sedge-demo")
FOLDERS = ("files",)


@dataclass(frozen=True)
class Backup:
    """A backup that was looked through: its file, its size in bytes, how many files are in it."""

    file: Path
    size: int
    files: int


def make(
    data: Path,
    to: Path,
    passphrase_file: Path | None = None,
    keep: int = 14,
    at: datetime | None = None,
) -> Backup:
    """Back `data` up into a file of its own in `to`, and forget the oldest beyond `keep`. Raises
    CannotStart; then nothing that was there is touched."""
    if not (data / "installation.sqlite").exists():
        raise CannotStart(f"{data} is no folder of Sedge: it has no installation.sqlite.")
    passphrase = _passphrase(passphrase_file)
    moment = at or datetime.now(UTC)
    with told_plainly(to):
        to.mkdir(parents=True, exist_ok=True)
        with _scratch(to) as scratch:
            staged, packed = scratch / "staged", scratch / "packed"
            names = _stage(data, staged, moment)
            _pack(staged, packed)
            shutil.rmtree(staged)
            ready = packed
            if passphrase:
                ready = scratch / "sealed"
                seal(packed, ready, passphrase)
                packed.unlink()
            _look_through(ready, scratch / "looked", passphrase)
            file = to / f"sedge-{moment:%Y%m%dT%H%M%SZ}.backup"
            ready.replace(file)
        for old in kept(to)[keep:]:
            old.unlink()
    return Backup(file, file.stat().st_size, names)


def kept(folder: Path) -> list[Path]:
    """The backups in a folder, the newest first; whatever else lies there is not ours."""
    found = [file for file in folder.glob("sedge-*.backup") if NAME.fullmatch(file.name)]
    return sorted(found, key=lambda file: file.name, reverse=True)


def restore(file: Path, data: Path, passphrase_file: Path | None = None) -> int:
    """Put a backup into an empty folder; how many files. Raises CannotStart for a folder that has
    anything in it, and for a backup that can't be read whole: then nothing is left there."""
    if not file.is_file():
        raise CannotStart(f"There is no file {file}.")
    if data.exists() and any(file.name != LOCK for file in data.iterdir()):
        raise CannotStart(
            f"{data} has files in it. Restore into an empty folder, then put it in the place of the"
            " old one."
        )
    with told_plainly(data), folder_in_use(data), _scratch(data) as scratch:
        names = _look_through(file, scratch / "looked", _passphrase(passphrase_file))
        for found in (scratch / "looked").iterdir():
            if found.name != MANIFEST:
                found.replace(data / found.name)
    return names


def _passphrase(file: Path | None) -> str:
    if file is None:
        return ""
    with told_plainly(file):
        text = file.read_text().strip()
    if len(text) < 12:
        raise CannotStart(f"The passphrase in {file} has fewer than 12 characters.")
    return text


@contextmanager
def _scratch(folder: Path) -> Iterator[Path]:
    """A folder beside where the result goes, so that moving it there is one step."""
    with TemporaryDirectory(prefix=".sedge-", dir=folder) as made:
        yield Path(made)


def _stage(data: Path, staged: Path, at: datetime) -> int:
    staged.mkdir()
    databases = sorted(data.glob("*.sqlite"), key=lambda f: (f.name != "installation.sqlite", f))
    for file in databases:
        copy_to(file, staged / file.name)
    for name in PLAIN_FILES:
        if (data / name).exists():
            shutil.copy2(data / name, staged / name)
    for name in FOLDERS:
        if (data / name).is_dir():
            shutil.copytree(data / name, staged / name)
    names = sorted(f.relative_to(staged).as_posix() for f in staged.rglob("*") if f.is_file())
    manifest = {
        "sedge": __version__,
        "made_at": at.isoformat(),
        "files": {name: _digest(staged / name) for name in names},
    }
    (staged / MANIFEST).write_text(json.dumps(manifest, indent=1))
    return len(names)


def _pack(staged: Path, to: Path) -> None:
    with os.fdopen(os.open(to, os.O_WRONLY | os.O_CREAT, 0o600), "wb") as out:
        with tarfile.open(fileobj=out, mode="w:gz", compresslevel=3) as packed:
            for file in sorted(staged.rglob("*"), key=lambda f: (f.name != MANIFEST, f)):
                if file.is_file():
                    packed.add(file, file.relative_to(staged).as_posix(), recursive=False)
        out.flush()
        os.fsync(out.fileno())


def _look_through(file: Path, into: Path, passphrase: str) -> int:
    """Unpack a backup, and hold each file against its digest, each database against itself and its
    ledger; how many files. Raises CannotStart."""
    packed = file
    if is_sealed(file):
        if not passphrase:
            raise CannotStart(f"{file} is sealed. Name the file with its passphrase.")
        packed = into.with_name("unsealed")
        unseal(file, packed, passphrase)
    into.mkdir()
    try:
        with tarfile.open(packed, "r:gz") as opened:
            opened.extractall(into, filter="data")
        manifest = json.loads((into / MANIFEST).read_text())["files"]
    except (tarfile.TarError, EOFError, OSError, ValueError, KeyError) as error:
        raise CannotStart(f"{file} can't be read as a backup: {error}.") from error
    for name, digest in manifest.items():
        if not (into / name).is_file() or _digest(into / name) != digest:
            raise CannotStart(f"{file} is damaged: {name} is not what it was.")
    for database in into.glob("*.sqlite"):
        _sound(database)
    if packed != file:
        packed.unlink()
    return len(manifest)


def _sound(file: Path) -> None:
    """Raises CannotStart for a database that is not whole, or whose ledger does not hold."""
    connection = sqlite3.connect(file)
    try:
        said = connection.execute("PRAGMA integrity_check").fetchone()[0]
        if said != "ok":
            raise CannotStart(f"{file.name} in the backup is damaged: {said}.")
    finally:
        connection.close()
    if file.name.startswith("estate-"):
        found = chain_of(file)
        if found.broken_at is not None:
            raise CannotStart(
                f"The ledger in {file.name} breaks at entry {found.broken_at}. The copy was not"
                " kept."
            )


def _digest(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()
