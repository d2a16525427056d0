"""Files of numbers on their way in: what is known of each, and which header meant what the last
time."""

import json
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from sedge.core.errors import NotFound
from sedge.store.schema import imports


class FileState(StrEnum):
    """*read* has been looked through (a dry run); *bringing in* is the work order at it."""

    NEW = "new"
    READING = "reading"
    READ = "read"
    BRINGING_IN = "bringing in"
    DONE = "done"


@dataclass(frozen=True)
class Report:
    """What reading has found so far: rows that are new, the same as in the estate, changed in small
    facts, that differ in more (left alone), and that can't be read. The first of each kind are kept
    with their reasons.
    """

    rows: int = 0
    new: int = 0
    same: int = 0
    changed: int = 0
    differs: int = 0
    bad: int = 0
    faults: tuple[tuple[int, str, str], ...] = ()
    differences: tuple[tuple[int, str, str], ...] = ()
    first: tuple[tuple[int, str, str, str, str], ...] = ()


@dataclass(frozen=True)
class NumberFile:
    """`mapping` says which column is which field; `options` stand for columns that are missing;
    `total` is an estimate of rows."""

    id: str
    name: str
    digest: str
    state: FileState
    created_by: str
    created_at: datetime
    header: tuple[str, ...]
    encoding: str
    delimiter: str
    size: int
    total: int
    mapping: dict[str, int] = field(default_factory=dict)
    options: dict[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    report: Report = field(default_factory=Report)
    done: Report = field(default_factory=Report)
    work_order: str | None = None
    problem: str = ""


_IN_BODY = (
    "header",
    "encoding",
    "delimiter",
    "size",
    "total",
    "mapping",
    "options",
    "notes",
    "report",
    "done",
    "problem",
)


def add(connection: Connection, file: NumberFile) -> None:
    connection.execute(insert(imports.number_file).values(**_row(file)))


def save(connection: Connection, file: NumberFile) -> None:
    table = imports.number_file
    connection.execute(update(table).where(table.c.id == file.id).values(**_row(file)))


def forget(connection: Connection, key: str) -> None:
    table = imports.number_file
    connection.execute(delete(table).where(table.c.id == key))


def get(connection: Connection, key: str) -> NumberFile:
    table = imports.number_file
    row = connection.execute(select(table).where(table.c.id == key)).first()
    if row is None:
        raise NotFound("That file is not here any more. Import it again.", subject="file", id=key)
    return _file(row)


def list_files(
    connection: Connection, *, states: tuple[FileState, ...] = (), limit: int = 50
) -> list[NumberFile]:
    """Newest first."""
    table = imports.number_file
    query = select(table).order_by(table.c.created_at.desc()).limit(limit)
    if states:
        query = query.where(table.c.state.in_([s.value for s in states]))
    return [_file(row) for row in connection.execute(query)]


def remember(
    connection: Connection, fingerprint: str, mapping: dict[str, int], options: dict[str, str]
) -> None:
    table = imports.remembered_headers
    body = json.dumps({"mapping": mapping, "options": options}, sort_keys=True)
    if (
        connection.execute(
            update(table).where(table.c.fingerprint == fingerprint).values(body=body)
        ).rowcount
        == 0
    ):
        connection.execute(insert(table).values(fingerprint=fingerprint, body=body))


def remembered(
    connection: Connection, fingerprint: str
) -> tuple[dict[str, int], dict[str, str]] | None:
    table = imports.remembered_headers
    body = connection.execute(
        select(table.c.body).where(table.c.fingerprint == fingerprint)
    ).scalar()
    known: dict[str, Any] | None = json.loads(body) if body else None
    return (known["mapping"], known["options"]) if known else None


def _row(file: NumberFile) -> dict[str, Any]:
    body = {name: getattr(file, name) for name in _IN_BODY}
    body["report"], body["done"] = vars(file.report), vars(file.done)
    plain = {
        name: getattr(file, name)
        for name in ("id", "name", "digest", "created_by", "created_at", "work_order")
    }
    return {**plain, "state": file.state.value, "body": json.dumps(body)}


def _file(row: Any) -> NumberFile:
    body = json.loads(row.body)
    for name in ("header", "notes"):
        body[name] = tuple(body[name])
    for name in ("report", "done"):
        values: dict[str, Any] = {
            k: tuple(tuple(x) for x in v) if isinstance(v, list) else v
            for k, v in body[name].items()
        }
        body[name] = Report(**values)
    plain = {
        name: getattr(row, name)
        for name in ("id", "name", "digest", "created_by", "created_at", "work_order")
    }
    return NumberFile(**plain, state=FileState(row.state), **body)
