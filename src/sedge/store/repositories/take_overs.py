"""Take-overs of estates, kept between sittings: files read into rows, words and rows that somebody
has settled."""

import json
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from sedge.core.errors import ChangedMeanwhile, NotFound
from sedge.core.imports.fields import plain_cell
from sedge.core.imports.takeover_records import Decisions, Row
from sedge.store.schema import imports


@dataclass(frozen=True)
class FileRead:
    """One file: its headers, and which field each column is."""

    name: str
    header: tuple[str, ...]
    mapping: dict[str, int]
    rows: int
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class TakeOver:
    """`state` is open or done; `spellings` say what words mean, by field."""

    id: str
    name: str
    state: str
    created_by: str
    created_at: datetime
    work_order: str | None = None
    files: tuple[FileRead, ...] = ()
    spellings: dict[str, dict[str, str]] = field(default_factory=dict)
    version: int = 0


def add(connection: Connection, one: TakeOver) -> None:
    connection.execute(insert(imports.take_over).values(**_row(one)))


def save(connection: Connection, one: TakeOver) -> TakeOver:
    """Raises ChangedMeanwhile where somebody else has saved it since it was read."""
    table = imports.take_over
    after = replace(one, version=one.version + 1)
    at = table.c.id == one.id, table.c.version == one.version
    if connection.execute(update(table).where(*at).values(**_row(after))).rowcount != 1:
        raise ChangedMeanwhile(
            f"Somebody else is at {one.name}, too. Open it again.",
            subject="take-over",
            id=one.id,
        )
    return after


def get(connection: Connection, key: str) -> TakeOver:
    table = imports.take_over
    row = connection.execute(select(table).where(table.c.id == key)).first()
    if row is None:
        raise NotFound("There is no such take-over. Begin a new one.", subject="take-over", id=key)
    return _one(row)


def list_take_overs(connection: Connection) -> list[TakeOver]:
    table = imports.take_over
    return [
        _one(row)
        for row in connection.execute(select(table).order_by(table.c.created_at.desc()).limit(100))
    ]


def forget(connection: Connection, key: str) -> None:
    for table, column in (
        (imports.take_over_row, imports.take_over_row.c.take_over),
        (imports.take_over, imports.take_over.c.id),
    ):
        connection.execute(delete(table).where(column == key))


def put_rows(
    connection: Connection, key: str, file: int, cells: Iterable[tuple[int, list[str]]]
) -> None:
    values = [
        {"take_over": key, "file": file, "line": line, "cells": json.dumps(row), "decision": None}
        for line, row in cells
    ]
    if values:
        connection.execute(insert(imports.take_over_row), values)


def rows(connection: Connection, one: TakeOver) -> tuple[list[Row], Decisions]:
    """All rows by their fields as the files' columns are understood now, and what was settled."""
    table = imports.take_over_row
    query = select(table).where(table.c.take_over == one.id).order_by(table.c.file, table.c.line)
    found, decisions = [], Decisions(one.spellings)
    for row in connection.execute(query):
        cells = json.loads(row.cells)
        mapping = one.files[row.file].mapping
        said = {
            name: plain_cell(cells[at])
            for name, at in mapping.items()
            if at < len(cells) and cells[at].strip()
        }
        found.append(Row(row.file, row.line, said))
        if row.decision:
            decisions.rows[row.file, row.line] = json.loads(row.decision)
    return found, decisions


def cells_of(
    connection: Connection, key: str, keys: Iterable[tuple[int, int]]
) -> dict[tuple[int, int], list[str]]:
    """What lines say, word for word."""
    table = imports.take_over_row
    wanted = set(keys)
    query = select(table.c.file, table.c.line, table.c.cells).where(table.c.take_over == key)
    return {
        (f, line): json.loads(cells)
        for f, line, cells in connection.execute(query)
        if (f, line) in wanted
    }


def settle(connection: Connection, key: str, file: int, line: int, said: dict[str, str]) -> None:
    """Add to what was settled about a row; Raises NotFound."""
    table = imports.take_over_row
    at = table.c.take_over == key, table.c.file == file, table.c.line == line
    row = connection.execute(select(table.c.decision).where(*at)).first()
    if row is None:
        raise NotFound("There is no such row in these files.", subject="row")
    decision = {**(json.loads(row.decision) if row.decision else {}), **said}
    connection.execute(
        update(table).where(*at).values(decision=json.dumps(decision) if decision else None)
    )


def unsettle(connection: Connection, key: str, file: int, line: int) -> None:
    table = imports.take_over_row
    at = table.c.take_over == key, table.c.file == file, table.c.line == line
    connection.execute(update(table).where(*at).values(decision=None))


def _row(one: TakeOver) -> dict[str, Any]:
    body = {"files": [vars(f) for f in one.files], "spellings": one.spellings}
    plain = {
        name: getattr(one, name)
        for name in ("id", "name", "state", "created_by", "created_at", "work_order", "version")
    }
    return {**plain, "body": json.dumps(body)}


def _one(row: Any) -> TakeOver:
    body = json.loads(row.body)
    files = tuple(
        FileRead(**{**f, "header": tuple(f["header"]), "notes": tuple(f["notes"])})
        for f in body["files"]
    )
    return TakeOver(
        row.id,
        row.name,
        row.state,
        row.created_by,
        row.created_at,
        row.work_order,
        files,
        body["spellings"],
        row.version,
    )
