"""The stand-ins' own memory: one SQLite file of named shelves with JSON documents, and their clock.

It knows nothing of Sedge. Writes are durable before they are answered, so that a killed process
forgets nothing it has promised.
"""

import json
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

# an object of JSON, as it goes over the wire and is kept
Json = dict[str, Any]


class Book:
    def __init__(self, file: Path) -> None:
        self._lock = threading.RLock()
        self._opened = 0
        self._moved = 0  # writes that only moved the clock
        self.stands_at: datetime | None = None  # what real time is taken to be, for tests
        self.open(file)

    def open(self, file: Path) -> None:
        """Remember in this file from now on; whatever was open before is to be closed first."""
        file.parent.mkdir(parents=True, exist_ok=True)
        self._opened += 1
        self._connection = sqlite3.connect(file, check_same_thread=False, isolation_level=None)
        self._connection.execute("PRAGMA journal_mode=WAL")
        self._connection.execute("PRAGMA synchronous=NORMAL")
        self._connection.execute(
            "CREATE TABLE IF NOT EXISTS page (shelf TEXT, key TEXT, body TEXT NOT NULL, PRIMARY KEY"
            " (shelf, key))"
        )

    @contextmanager
    def writing(self) -> Iterator[None]:
        """One transaction; what is inside lands together or not at all."""
        with self._lock:
            if self._connection.in_transaction:
                yield
                return
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield
            except BaseException:
                self._connection.execute("ROLLBACK")
                raise
            self._connection.execute("COMMIT")

    def get(self, shelf: str, key: str) -> Any:
        with self._lock:
            row = self._connection.execute(
                "SELECT body FROM page WHERE shelf = ? AND key = ?", (shelf, key)
            ).fetchone()
        return json.loads(row[0]) if row else None

    def put(self, shelf: str, key: str, body: Any) -> None:
        with self._lock:
            self._connection.execute(
                "INSERT INTO page VALUES (?, ?, ?) ON CONFLICT (shelf, key) DO UPDATE SET body ="
                " excluded.body",
                (shelf, key, json.dumps(body)),
            )

    def remove(self, shelf: str, key: str) -> None:
        with self._lock:
            self._connection.execute("DELETE FROM page WHERE shelf = ? AND key = ?", (shelf, key))

    def all(self, shelf: str) -> Json:
        with self._lock:
            rows = self._connection.execute(
                "SELECT key, body FROM page WHERE shelf = ? ORDER BY rowid", (shelf,)
            ).fetchall()
        return {key: json.loads(body) for key, body in rows}

    def next_id(self, prefix: str) -> str:
        with self.writing():
            number = (self.get("counter", prefix) or 0) + 1
            self.put("counter", prefix, number)
        return f"{prefix}{number:05d}"

    @property
    def version(self) -> tuple[int, int]:
        """Moves with every write but those of the clock, and when another file is opened."""
        with self._lock:
            return self._opened, self._connection.total_changes - self._moved

    def now(self) -> datetime:
        real = self.stands_at or datetime.now(UTC)
        return real + timedelta(seconds=self.get("clock", "offset") or 0)

    def advance(self, seconds: float) -> None:
        with self.writing():
            before = self._connection.total_changes
            self.put("clock", "offset", (self.get("clock", "offset") or 0) + seconds)
            self._moved += self._connection.total_changes - before

    def close(self) -> None:
        with self._lock:
            self._connection.close()


def stamp(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat()


def moment(text: str) -> datetime:
    return datetime.fromisoformat(text)
