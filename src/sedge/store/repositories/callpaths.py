"""Call paths on their shelf: versions, who follows and names them, drafts and clipboards."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, update

from sedge.core.callpaths.editing import Clip
from sedge.core.callpaths.steps import Path
from sedge.core.records import PathVersion, Subject
from sedge.store.repositories.records import is_open
from sedge.store.schema import callpaths, tables

MOST_UNDO = 100


@dataclass(frozen=True)
class Draft:
    """A call path that is being drawn. `based_on` is the published version it began from, 0 for a
    new path; `version` counts changes."""

    path: str
    name: str
    site: str
    based_on: int
    version: int
    at: datetime
    actor: str
    body: Path
    can_undo: int = 0
    can_redo: int = 0


# ── versions ──


def version(connection: Connection, path: str, number: int) -> PathVersion | None:
    table = tables.path_version
    row = connection.execute(
        select(table.c.body).where(table.c.path == path, table.c.number == number)
    ).first()
    return PathVersion.model_validate_json(row.body) if row else None


def versions(connection: Connection, path: str, limit: int = 100) -> list[tuple[int, datetime]]:
    """Numbers of the versions there have been, with the moment each came in force, newest first."""
    table = tables.path_version
    rows = connection.execute(
        select(table.c.number, table.c.in_force_from)
        .where(table.c.path == path)
        .order_by(table.c.number.desc())
        .limit(limit)
    )
    return [(row.number, row.in_force_from) for row in rows]


def in_force_at(connection: Connection, path: str, at: datetime) -> PathVersion | None:
    """The version that answered at a moment."""
    table = tables.path_version
    row = connection.execute(
        select(table.c.body)
        .where(table.c.path == path, table.c.in_force_from <= at)
        .order_by(table.c.number.desc())
        .limit(1)
    ).first()
    return PathVersion.model_validate_json(row.body) if row else None


# ── who follows, who names ──


def users(connection: Connection) -> dict[str, int]:
    """How many numbers follow each path."""
    life = tables.life
    rows = connection.execute(
        select(life.c.path, func.count())
        .where(is_open(), life.c.path.is_not(None))
        .group_by(life.c.path)
    ).all()
    return {row[0]: row[1] for row in rows}


def naming(connection: Connection, subject: Subject, key: str) -> set[str]:
    """Published paths that name something, themselves or through other paths they go on in."""
    names = tables.path_names
    found: set[str] = set()
    waiting = [(subject.value, key)]
    while waiting:
        kind, ref = waiting.pop()
        rows = connection.execute(
            select(names.c.path).where(names.c.subject == kind, names.c.subject_id == ref)
        ).scalars()
        for path in rows:
            if path not in found:
                found.add(path)
                waiting.append((Subject.PATH.value, path))
    return found


def asks_to_answer(connection: Connection, colleague: str) -> list[str]:
    """People for whom somebody may answer, by their own rules."""
    table = callpaths.answers_for
    return list(
        connection.execute(
            select(table.c.person).where(table.c.colleague == colleague).order_by(table.c.person)
        ).scalars()
    )


# ── drafts ──


def drafts(connection: Connection) -> list[Draft]:
    table = callpaths.path_draft
    return [_draft(row) for row in connection.execute(select(table).order_by(table.c.at.desc()))]


def draft(connection: Connection, path: str) -> Draft | None:
    table = callpaths.path_draft
    row = connection.execute(select(table).where(table.c.path == path)).first()
    return _draft(row) if row else None


def _draft(row: Any) -> Draft:
    return Draft(
        row.path,
        row.name,
        row.site,
        row.based_on,
        row.version,
        row.at,
        row.actor,
        Path.model_validate_json(row.body),
        len(json.loads(row.undo)),
        len(json.loads(row.redo)),
    )


def begin(connection: Connection, draft: Draft) -> None:
    connection.execute(
        insert(callpaths.path_draft).values(
            path=draft.path,
            name=draft.name,
            site=draft.site,
            based_on=draft.based_on,
            version=1,
            at=draft.at,
            actor=draft.actor,
            body=draft.body.model_dump_json(),
            undo="[]",
            redo="[]",
        )
    )


def keep_draft(
    connection: Connection,
    now: Draft,
    *,
    body: Path,
    name: str,
    at: datetime,
    actor: str,
    based_on: int | None = None,
) -> bool:
    """The next state of a draft; the state before can be taken back. False where somebody else was
    faster."""
    table = callpaths.path_draft
    row = connection.execute(
        select(table.c.undo, table.c.redo).where(table.c.path == now.path)
    ).first()
    undo, redo = json.loads(row.undo) if row else [], json.loads(row.redo) if row else []
    if body != now.body:
        undo, redo = [now.body.model_dump(mode="json"), *undo][:MOST_UNDO], []
    return _put(
        connection,
        now,
        body,
        name,
        undo,
        redo,
        at,
        actor,
        now.based_on if based_on is None else based_on,
    )


def step_back(
    connection: Connection, now: Draft, *, forward: bool, at: datetime, actor: str
) -> bool | None:
    """Undo, or redo: the state before or after. None where there is none, False where somebody else
    was faster."""
    table = callpaths.path_draft
    row = connection.execute(
        select(table.c.undo, table.c.redo).where(table.c.path == now.path)
    ).first()
    undo, redo = json.loads(row.undo) if row else [], json.loads(row.redo) if row else []
    source, other = (redo, undo) if forward else (undo, redo)
    if not source:
        return None
    body = Path.model_validate(source.pop(0))
    other.insert(0, now.body.model_dump(mode="json"))
    return _put(connection, now, body, now.name, undo, redo, at, actor, now.based_on)


def _put(
    connection: Connection,
    now: Draft,
    body: Path,
    name: str,
    undo: list[object],
    redo: list[object],
    at: datetime,
    actor: str,
    based_on: int,
) -> bool:
    table = callpaths.path_draft
    done = connection.execute(
        update(table)
        .where(table.c.path == now.path, table.c.version == now.version)
        .values(
            body=body.model_dump_json(),
            name=name,
            undo=json.dumps(undo),
            redo=json.dumps(redo),
            at=at,
            actor=actor,
            version=now.version + 1,
            based_on=based_on,
        )
    )
    return done.rowcount == 1


def drop(connection: Connection, path: str) -> None:
    connection.execute(delete(callpaths.path_draft).where(callpaths.path_draft.c.path == path))


# ── clipboards ──


def published(connection: Connection, path: str, body: Path) -> None:
    """A drawing that has been published as it stands is over; one that has gone on since goes on
    from the new version."""
    known = draft(connection, path)
    if known is None:
        return
    if known.body == body:
        drop(connection, path)
        return
    table = callpaths.path_draft
    version = (
        connection.execute(
            select(func.max(tables.path_version.c.number)).where(tables.path_version.c.path == path)
        ).scalar()
        or 0
    )
    connection.execute(update(table).where(table.c.path == path).values(based_on=version + 1))


def clip_of(connection: Connection, actor: str) -> Clip | None:
    table = callpaths.clip
    row = connection.execute(select(table.c.body).where(table.c.actor == actor)).first()
    return Clip.model_validate_json(row.body) if row else None


def put_clip(connection: Connection, actor: str, clip: Clip) -> None:
    table = callpaths.clip
    connection.execute(delete(table).where(table.c.actor == actor))
    connection.execute(insert(table).values(actor=actor, body=clip.model_dump_json()))
