"""Files of call records on their way in."""

import json
from dataclasses import asdict, dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from sedge.core.errors import NotFound
from sedge.store.schema import spend

MOST_LISTED = 100


class CallFileState(StrEnum):
    """*columns*: somebody has to say which column is which; *reading* goes on by itself."""

    COLUMNS = "columns"
    READING = "reading"
    DONE = "done"


@dataclass(frozen=True)
class CallFile:
    """`rows` have been read of about `total`; `faults` are the first rows that can't be taken, with
    why, `reasons` how many of each kind; `before` names the file that said the same already."""

    id: str
    name: str
    source: str
    digest: str
    state: CallFileState
    created_by: str
    created_at: datetime
    header: tuple[str, ...] = ()
    encoding: str = ""
    delimiter: str = ""
    zone: str = ""
    mapping: dict[str, int] = field(default_factory=dict)
    total: int = 0
    rows: int = 0
    fresh: int = 0
    same: int = 0
    corrected: int = 0
    bad: int = 0
    months: tuple[str, ...] = ()
    faults: tuple[tuple[int, str], ...] = ()
    reasons: dict[str, int] = field(default_factory=dict)
    before: str = ""
    problem: str = ""

    @property
    def asks_columns(self) -> bool:
        return self.state is CallFileState.COLUMNS

    @property
    def is_going(self) -> bool:
        return self.state is CallFileState.READING


_OF_ROW = ("id", "name", "source", "digest", "state", "created_by", "created_at")


def _row(file: CallFile) -> dict[str, object]:
    whole = asdict(file)
    row = {name: whole.pop(name) for name in _OF_ROW}
    return {**row, "state": file.state.value, "body": json.dumps(whole)}


def _file(row: Any) -> CallFile:
    body = json.loads(row.body)
    for name in ("header", "months"):
        body[name] = tuple(body[name])
    body["faults"] = tuple((line, why) for line, why in body["faults"])
    named = {name: getattr(row, name) for name in _OF_ROW}
    return CallFile(**{**named, "state": CallFileState(row.state)}, **body)


def add(connection: Connection, file: CallFile) -> None:
    connection.execute(insert(spend.call_file), _row(file))


def save(connection: Connection, file: CallFile) -> None:
    table = spend.call_file
    row = _row(file)
    connection.execute(update(table).where(table.c.id == file.id).values(row))


def forget(connection: Connection, key: str) -> None:
    connection.execute(delete(spend.call_file).where(spend.call_file.c.id == key))


def get(connection: Connection, key: str) -> CallFile:
    """Raises NotFound."""
    row = connection.execute(select(spend.call_file).where(spend.call_file.c.id == key)).first()
    if row is None:
        raise NotFound("There is no such file of call records.", subject="call-file", id=key)
    return _file(row)


def with_digest(connection: Connection, digest: str) -> CallFile | None:
    """The one that said the same already."""
    table = spend.call_file
    query = select(table).where(table.c.digest == digest).order_by(table.c.created_at).limit(1)
    row = connection.execute(query).first()
    return _file(row) if row is not None else None


def list_files(connection: Connection, *states: CallFileState) -> list[CallFile]:
    """The latest first."""
    table = spend.call_file
    query = select(table).order_by(table.c.created_at.desc()).limit(MOST_LISTED)
    if states:
        query = query.where(table.c.state.in_([s.value for s in states]))
    return [_file(row) for row in connection.execute(query)]
