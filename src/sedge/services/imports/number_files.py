"""Importing numbers from a file: kept, its columns understood, looked through, then imported by
a work order.

Reading goes on in slices of a second or two beside everything else, so that a file of a million
rows shows how far it is and can be left alone; what was read is kept with it. Importing is a task
of a work order and may be broken off and taken up at any moment: rows that are there already are
the same as if they had been read twice.
"""

import hashlib
import time
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, BinaryIO

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Change
from sedge.core.imports.directory import Directory
from sedge.core.imports.fields import FIELDS, fingerprint, recognised
from sedge.core.imports.rows import Alike
from sedge.core.records import HolderRef, Number, Role, Subject
from sedge.core.workorders.tasks import ImportNumbers
from sedge.formats import sheets
from sedge.services.context import Context, Writing
from sedge.services.imports.file_rows import (
    BringingIn,
    LookingThrough,
    added,
    bad_rows,
    folder,
    kept_of,
    sort_out,
    throw_away,
)
from sedge.services.periodic import periodic
from sedge.services.process import Slot
from sedge.services.workorders import order_running, workorders
from sedge.store import bulk_import
from sedge.store.repositories import number_files as store
from sedge.store.repositories.number_files import FileState, NumberFile, Report
from sedge.store.schema import tables

SMALL_ROWS = 3_000
SLICE_SECONDS = 2.0
CHUNKS_AT_ONCE = 5  # in one transaction, 25,000 rows hold the write lock for about a second


def receive(context: Context, name: str, data: BinaryIO) -> NumberFile:
    """Keep a file, find its columns and look through it (a large one goes on by itself). Raises
    NotUnderstood."""
    context.require(May.IMPORT)
    key = context.new_id("file")
    raw = folder(context) / f"{key}.raw"
    try:
        size, digest = _stored(data, raw)
        target = folder(context) / f"{key}.csv"
        notes: tuple[str, ...] = ()
        with raw.open("rb") as begun:
            is_book = begun.read(4) == b"PK\x03\x04"
        if is_book:
            notes = sheets.from_spreadsheet(raw, target)
        else:
            raw.rename(target)
        try:
            head = sheets.head_of(target)
        except NotUnderstood:
            target.unlink(missing_ok=True)
            raise
    finally:
        raw.unlink(missing_ok=True)
    mapping, options = _understood(context, head.header)
    file = NumberFile(
        id=key,
        name=name[:200] or "file",
        digest=digest,
        state=FileState.NEW,
        created_by=context.actor,
        created_at=context.now(),
        header=tuple(head.header),
        encoding=head.encoding,
        delimiter=head.delimiter,
        size=size,
        total=_estimate(target),
        mapping=mapping,
        options=options,
        notes=(*notes, *head.notes),
    )
    with context.writing() as writing:
        store.add(writing.connection, file)
        writing.touch()
    return look_through(context, file.id) if "number" in mapping else file


def _stored(data: BinaryIO, to: Path) -> tuple[int, str]:
    digest, size = hashlib.sha256(), 0
    with to.open("wb") as out:
        while piece := data.read(1 << 20):
            size += len(piece)
            if size > sheets.MOST_BYTES:
                raise NotUnderstood(
                    "A file may have 250 MB; this is larger. Split it into parts and import one"
                    " after the other.",
                    field="file",
                )
            digest.update(piece)
            out.write(piece)
    return size, digest.hexdigest()


def _estimate(path: Path) -> int:
    """About how many rows there are, from the length of the first ones."""
    size = path.stat().st_size
    with path.open("rb") as raw:
        sample = raw.read(200_000)
    lines = sample.count(b"\n") or sample.count(b"\r") or 1
    return max(1, round(lines * size / max(1, len(sample))) - 1)


def _understood(context: Context, header: list[str]) -> tuple[dict[str, int], dict[str, str]]:
    """What the columns meant the last time, else by their words."""
    with context.reading() as reading:
        known = store.remembered(reading.connection, fingerprint(header))
    return known or (recognised(header), {})


def get(context: Context, key: str) -> NumberFile:
    with context.reading() as reading:
        return store.get(reading.connection, key)


def list_files(context: Context) -> list[NumberFile]:
    with context.reading() as reading:
        return store.list_files(reading.connection)


def settle_columns(
    context: Context, key: str, mapping: dict[str, int], options: dict[str, str]
) -> NumberFile:
    """Say which column is which, and what stands for those that are missing; remembered for files
    with the same headers."""
    file = get(context, key)
    _still_to_do(file)
    unknown = [name for name in mapping if name not in FIELDS and not name.startswith("known:")]
    if unknown or any(not 0 <= at < len(file.header) for at in mapping.values()):
        raise NotUnderstood(
            "That is no field, or no column of this file.",
            field=unknown[0] if unknown else "mapping",
        )
    if "number" not in mapping:
        raise NotUnderstood("Say which column has the numbers.", field="number")
    with context.writing() as writing:
        store.remember(writing.connection, fingerprint(file.header), mapping, options)
        store.save(
            writing.connection,
            replace(
                file,
                mapping=mapping,
                options=options,
                state=FileState.NEW,
                report=Report(),
                problem="",
            ),
        )
        writing.touch()
    return look_through(context, key)


def _still_to_do(file: NumberFile) -> None:
    if file.state in {FileState.BRINGING_IN, FileState.DONE}:
        raise NotAllowedNow(
            f"{file.name} is {'imported' if file.state is FileState.DONE else 'being imported'}"
            " already. Upload the file again to change its columns.",
            reason="state",
        )


def look_through(context: Context, key: str) -> NumberFile:
    """Begin the dry run; small files are read at once, others in slices by the runner."""
    file = replace(get(context, key), state=FileState.READING, report=Report(), problem="")
    with context.writing() as writing:
        store.save(writing.connection, file)
        writing.touch()
    if file.total <= SMALL_ROWS:
        while file.state is FileState.READING:
            file = read_on(context, file)
    return file


def leave(context: Context, key: str) -> None:
    """Throw a file away that is not being imported."""
    file = get(context, key)
    if file.state is FileState.BRINGING_IN:
        raise NotAllowedNow(
            "The file is being imported. Stop its work order first.", reason="state"
        )
    with context.writing() as writing:
        store.forget(writing.connection, key)
        writing.touch()
    throw_away(context, file)
    context.installation.process.under_way(LOOKING).pop(key, None)


# ── reading on, slice by slice ──


LOOKING = Slot[LookingThrough]("files looked through")
BRINGING = Slot[BringingIn]("files imported")


def read_on(context: Context, file: NumberFile, *, seconds: float = SLICE_SECONDS) -> NumberFile:
    """Go on with the dry run for about so long."""
    report = file.report
    begun = time.monotonic()
    try:
        looking = context.installation.process.under_way(LOOKING)
        going = looking.pop(file.id, None)
        if going is None or going.at != report.rows:
            going, report = (
                LookingThrough(context, file),
                Report(),
            )  # what is twice in the file is known only from its beginning
        while rows := going.next():
            with context.reading() as reading:
                sorted_out = sort_out(rows, partial(bulk_import.existing, reading.connection))
            report = added(report, rows, sorted_out)
            if time.monotonic() - begun > seconds:
                file = replace(file, report=report, total=max(file.total, report.rows + 1))
                looking[file.id] = going
                break
        else:
            file = replace(file, report=report, total=report.rows, state=FileState.READ)
    except NotUnderstood as error:
        file = replace(file, report=report, state=FileState.READ, problem=error.message)
    with context.writing() as writing:
        store.save(writing.connection, file)
        writing.touch()
    return file


# ── importing ──


def begin(context: Context, key: str) -> Any:
    """The work order that brings the good rows in, run at once. Asked again, it is the one of the
    first time."""
    file = get(context, key)
    if file.work_order:
        return workorders.find(context, f"import-{key}")
    if file.state is not FileState.READ or file.problem:
        raise NotAllowedNow(
            file.problem
            or f"{file.name} is still being read. Wait until it has been looked through.",
            reason="state",
        )
    if not file.report.new and not file.report.changed:
        raise NotAllowedNow(
            "Nothing in this file is new, so nothing is imported.", reason="nothing"
        )
    order = order_running.run_now(
        context,
        f"Import {file.name}",
        [ImportNumbers(file=key)],
        reason=f"from a file of {file.report.rows:,} rows",
        identity=f"import-{key}",
    )
    with context.writing() as writing:
        now = store.get(writing.connection, key)
        if now.state is FileState.READ:
            store.save(
                writing.connection, replace(now, state=FileState.BRINGING_IN, work_order=order.id)
            )
        writing.touch()
    return order


def bring_in_more(
    context: Context,
    key: str,
    *,
    work_order: str,
    reason: str,
    seconds: float = SLICE_SECONDS,
    chunk_rows: int = bulk_import.CHUNK,
    chunks: int = CHUNKS_AT_ONCE,
) -> NumberFile:
    """Import for about so long, some chunks to a transaction. Done when the state says so."""
    file = get(context, key)
    bringing = context.installation.process.under_way(BRINGING)
    going = bringing.pop(key, None)  # what fails is begun anew, from where it had come to
    if going is None or going.at != file.done.rows:
        going = BringingIn(context, file, skip=file.done.rows, chunk=chunk_rows)
    begun = time.monotonic()
    while file.state is not FileState.DONE:
        with context.writing(reason=reason, work_order=work_order) as writing:
            for _ in range(chunks):
                rows = going.next()
                if rows is None:
                    file = replace(file, state=FileState.DONE, work_order=work_order)
                    break
                out = sort_out(rows, partial(bulk_import.existing, writing.connection))
                _bring_in(writing, file, out.new, going.holders)
                _update(writing, out.changed)
                file = replace(
                    file,
                    done=added(file.done, rows, out),
                    state=FileState.BRINGING_IN,
                    work_order=work_order,
                )
            store.save(writing.connection, file)
            writing.touch()
        going.at = file.done.rows
        if time.monotonic() - begun > seconds:
            break
    if file.state is FileState.DONE:
        kept_of(context, file).unlink(missing_ok=True)
    else:
        bringing[key] = going
    return file


def _bring_in(writing: Writing, file: NumberFile, found: list[Alike], holders: Directory) -> None:
    if not found:
        return
    # pyright knows no frozen models in set displays
    refs = set(row.holder for row, _, _ in found if row.holder)  # noqa: C401
    mains = _with_main(writing, refs)
    bulk_import.bring_in(
        writing.connection, found, writing.stamp, batch=file.id, names=holders.names, mains=mains
    )


def _with_main(writing: Writing, refs: set[HolderRef]) -> set[HolderRef]:
    """Holders that have a main number already."""
    if not refs:
        return set()
    life = tables.life
    found: set[HolderRef] = set()
    ids = sorted(ref.id for ref in refs)
    for start in range(0, len(ids), 900):
        query = select(life.c.holder_kind, life.c.holder_id).where(
            life.c.holder_id.in_(ids[start : start + 900]), life.c.role == Role.MAIN.value
        )
        found.update(
            HolderRef.model_validate({"kind": kind, "id": key})
            for kind, key in writing.connection.execute(query)
        )
    return found & refs


def _update(writing: Writing, rows: list[tuple[int, Number, Number]]) -> None:
    changes: list[Change] = [
        changed(Subject.NUMBER, before, after, "number.labelled") for _, before, after in rows
    ]
    for start in range(0, len(changes), 500):
        writing.save(changes[start : start + 500])


def faults_of(context: Context, key: str) -> Iterator[bytes]:
    """The rows that can't be imported, as they are in the file, each with why: to be mended and
    imported again."""
    file = get(context, key)
    return sheets.to_csv([*file.header, "line", "why not"], bad_rows(context, file))


@periodic("files read")
def go_on_reading(context: Context) -> int:
    """One slice of each file that is being looked through; how many were."""
    with context.reading() as reading:
        files = store.list_files(reading.connection, states=(FileState.READING,))
    for file in files:
        read_on(context, file)
    return len(files)
