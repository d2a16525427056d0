"""Opening databases: two engines per file, one process-wide write lock, our own BEGIN.

Assumption: one process writes to a file. The lock keeps writers in line (behind it no write in
1,800 was lost to the busy timeout; without it 48 were); readers are free, WAL gives each its
snapshot, in other processes too (`OnlyRead`).
"""

import sqlite3
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, MetaData, QueuePool, create_engine, event

from sedge.core.errors import CannotStart
from sedge.module_search import modules_of
from sedge.store import schema
from sedge.store.schema import installation, tables
from sedge.store.scoped import views

BUSY_SECONDS = 10
LATELY_SECONDS = 0.1
MOST_SCOPES = 20  # sets of sites with open connections at a time
PAGE_BYTES = 16_384
BEFORE_UPGRADES = "before-upgrades"  # the folder with copies from before a newer Sedge
MIGRATIONS = Path(__file__).with_name("migrations")


class Database:
    """One SQLite file. `kind` is the folder of its migrations: estate or installation."""

    def __init__(self, file: Path, kind: str, *, durable: bool = True) -> None:
        self.file = file
        self.kind = kind
        self._lock = threading.RLock()
        self._reader = _engine(file, reading=True, durable=durable)
        self._writer = _engine(file, reading=False, durable=durable)
        self._scoped: dict[frozenset[str], Engine] = {}
        self._writes = 0

    @property
    def writes(self) -> int:
        """Moves with every write to the file: by this process, the only one that writes it."""
        return self._writes

    @property
    def writes_lately(self) -> int:
        """The same as it was a moment ago, for whoever looks all the time."""
        return self._writes

    def migrate(self) -> None:
        """Bring the file to the newest revision, creating it where it doesn't exist."""
        self.file.parent.mkdir(parents=True, exist_ok=True)
        held = self.revision()
        if held == newest_revision(self.kind):
            return
        if not self.file.exists():
            _lay_out(self.file)
        elif held is not None:
            self._refuse_newer(held)
            copy_to(
                self.file, self.file.parent / BEFORE_UPGRADES / f"{self.file.stem}-{held}.sqlite"
            )
        from alembic import command

        command.upgrade(alembic_config(self.kind, f"sqlite:///{self.file}"), "head")
        with self.writing():
            pass  # the first writer turns WAL on, which it can't once readers are at work

    def revision(self) -> str | None:
        """The revision of what is on disk, None where nothing is. Cheaper than asking Alembic,
        which costs a third of a second to import."""
        if not self.file.exists():
            return None
        with self.reading() as connection:
            row = connection.exec_driver_sql(
                "SELECT name FROM sqlite_master WHERE name = 'alembic_version'"
            ).first()
            found = row and connection.exec_driver_sql("SELECT version_num FROM alembic_version")
            return found.scalar() if found else None

    def _refuse_newer(self, held: str) -> None:
        if held not in revisions(self.kind):
            raise CannotStart(
                f"{self.file} was written by a newer Sedge (revision {held}; this one knows up to"
                f" {newest_revision(self.kind)}). Start that Sedge, or restore a backup from"
                " before."
            )

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        with self._reader.begin() as connection:
            yield connection

    @contextmanager
    def reading_at(self, sites: frozenset[str]) -> Iterator[Connection]:
        """A reading that sees what belongs to these sites, or to the whole organisation, and
        nothing of other sites."""
        with self._lock:
            engine = self._scoped.get(sites)
            if engine is None:
                while len(self._scoped) >= MOST_SCOPES:
                    self._scoped.pop(next(iter(self._scoped))).dispose()
                engine = self._scoped[sites] = _engine(
                    self.file,
                    reading=True,
                    durable=True,
                    views=views(sites, metadata_of(self.kind)),
                )
        with engine.begin() as connection:
            yield connection

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        with self._lock:
            with self._writer.begin() as connection:
                yield connection
            self._writes += 1  # once it is committed, so that who sees it reads what is new

    def close(self) -> None:
        self._reader.dispose()
        self._writer.dispose()
        for engine in self._scoped.values():
            engine.dispose()


class AskWriter(BaseException):
    """Something is to be written, or is kept in the writing process alone, and this process only
    reads. Not an error: whoever answers passes the request on to the process that writes."""


class OnlyRead(Database):
    """One SQLite file that another process writes."""

    def __init__(self, file: Path, kind: str, *, durable: bool = True) -> None:
        super().__init__(file, kind, durable=durable)
        self._watch = sqlite3.connect(file, check_same_thread=False, isolation_level=None)
        self._looked, self._seen = 0.0, 0

    def migrate(self) -> None:
        """Nothing: the process that writes has done it."""

    @property
    def writes(self) -> int:
        """What SQLite counts for a connection that writes nothing itself (PRAGMA data_version)."""
        with self._lock:
            self._seen = self._watch.execute("PRAGMA data_version").fetchone()[0]
            self._looked = time.monotonic()
            return self._seen

    @property
    def writes_lately(self) -> int:
        return self._seen if time.monotonic() - self._looked < LATELY_SECONDS else self.writes

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        raise AskWriter
        yield  # type: ignore[unreachable]

    def close(self) -> None:
        super().close()
        self._watch.close()


def revisions(kind: str) -> list[str]:
    """The revisions of a kind of database, oldest first."""
    found = (MIGRATIONS / kind / "versions").glob("[0-9]*.py")
    return sorted(path.stem.partition("_")[0] for path in found)


def newest_revision(kind: str) -> str:
    return revisions(kind)[-1]


def copy_to(file: Path, to: Path) -> None:
    """A consistent copy of a database that may be in use (SQLite's online backup), readable by its
    owner only."""
    to.parent.mkdir(parents=True, exist_ok=True)
    to.unlink(missing_ok=True)
    source, copy = sqlite3.connect(file), sqlite3.connect(to)
    try:
        source.backup(copy)
    finally:
        source.close()
        copy.close()
    to.chmod(0o600)


def _lay_out(file: Path) -> None:
    """A new file's pages. With many indexes on a row, large pages make a row a fifth cheaper to
    write than SQLite's usual 4 KB."""
    connection = sqlite3.connect(file)
    connection.execute(f"PRAGMA page_size={PAGE_BYTES}")
    connection.execute("VACUUM")
    connection.close()


def alembic_config(kind: str, url: str) -> Any:
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS / kind))
    config.set_main_option("path_separator", "os")
    config.set_main_option("sqlalchemy.url", url)
    return config


def metadata_of(kind: str) -> MetaData:
    """The tables of a kind of database, whatever module of the schema they stand in."""
    for _ in modules_of(schema):
        pass  # its tables join those of the estate as it is read
    return tables.estate_metadata if kind == "estate" else installation.installation_metadata


def _engine(file: Path, *, reading: bool, durable: bool, views: Sequence[str] = ()) -> Engine:
    size = {"pool_size": 10, "max_overflow": 40} if reading else {"pool_size": 1, "max_overflow": 1}
    connect_args = {"check_same_thread": False, "timeout": BUSY_SECONDS}
    engine = create_engine(
        f"sqlite:///{file}", connect_args=connect_args, poolclass=QueuePool, **size
    )

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        connection.isolation_level = None  # the driver must not decide when to BEGIN
        for pragma in (
            "foreign_keys=ON",
            f"busy_timeout={BUSY_SECONDS * 1000}",
            "temp_store=MEMORY",
            "cache_size=-65536",
        ):
            connection.execute(f"PRAGMA {pragma}")
        for view in views:
            connection.execute(view)
        if reading:
            connection.execute("PRAGMA query_only=ON")
        else:
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute(f"PRAGMA synchronous={'FULL' if durable else 'OFF'}")

    @event.listens_for(engine, "begin")
    def _on_begin(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN" if reading else "BEGIN IMMEDIATE")

    return engine
