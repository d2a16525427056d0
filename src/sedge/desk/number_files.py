"""Bringing in numbers from a file: kept, its columns understood, looked through, then brought in by a work order.

Reading goes on in slices of a second or two beside everything else, so that a file of a million rows shows how far it is
and can be left alone; what was read is kept with it. Bringing in is a task of a work order and may be broken off and taken
up at any moment: rows that are there already are the same as if they had been read twice.
"""

import hashlib
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any, BinaryIO

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Change
from sedge.core.intake.fields import FIELDS, fingerprint, recognised
from sedge.core.intake.rows import Context, Directory, Fault, Incoming, Reader, by_names, reader
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Carrier, HolderRef, Number, Person, Role, ServiceLine, Site, Spot, Subject, Trunk
from sedge.core.reduce import changed
from sedge.desk.desk import Desk, Reading, Writing
from sedge.formats import sheets
from sedge.store import bringing_in, tables
from sedge.store import number_files as store
from sedge.store.number_files import FileState, NumberFile, Report

SMALL_ROWS = 3_000
MOST_KEPT = 200
SLICE_SECONDS = 2.0
CHUNKS_AT_ONCE = 5  # in one transaction, which begins with a cold cache: 25,000 rows hold the write lock for about a second
HELD = {"holder", "email", "extension"}


def folder(desk: Desk) -> Path:
    place = desk.house.settings.data / "files" / desk.who.organisation
    place.mkdir(parents=True, exist_ok=True)
    return place


def path_of(desk: Desk, file: NumberFile) -> Path:
    return folder(desk) / f"{file.id}.csv"


def receive(desk: Desk, name: str, data: BinaryIO) -> NumberFile:
    """Keep a file, find its columns and look through it (a large one goes on by itself). Raises NotUnderstood."""
    desk.require(May.CHANGE_ESTATE)
    key = desk.new_id("file")
    raw = folder(desk) / f"{key}.raw"
    try:
        size, digest = _stored(data, raw)
        target = folder(desk) / f"{key}.csv"
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
    mapping, options = _understood(desk, head.header)
    file = NumberFile(
        id=key, name=name[:200] or "file", digest=digest, state=FileState.NEW, created_by=desk.actor, created_at=desk.now(), header=tuple(head.header),
        encoding=head.encoding, delimiter=head.delimiter, size=size, total=_estimate(target), mapping=mapping, options=options, notes=(*notes, *head.notes),
    )  # fmt: skip
    with desk.writing() as writing:
        store.add(writing.connection, file)
        writing.touch()
    return look_through(desk, file.id) if "number" in mapping else file


def _stored(data: BinaryIO, to: Path) -> tuple[int, str]:
    digest, size = hashlib.sha256(), 0
    with to.open("wb") as out:
        while piece := data.read(1 << 20):
            size += len(piece)
            if size > sheets.MOST_BYTES:
                raise NotUnderstood(
                    "A file may have 250 MB; this is larger. Split it into parts and bring in one after the other.", field="file"
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


def _understood(desk: Desk, header: list[str]) -> tuple[dict[str, int], dict[str, str]]:
    """What the columns meant the last time, else by their words."""
    with desk.reading() as reading:
        known = store.remembered(reading.connection, fingerprint(header))
    return known or (recognised(header), {})


def get(desk: Desk, key: str) -> NumberFile:
    with desk.reading() as reading:
        return store.get(reading.connection, key)


def listing(desk: Desk) -> list[NumberFile]:
    with desk.reading() as reading:
        return store.listing(reading.connection)


def settle_columns(desk: Desk, key: str, mapping: dict[str, int], options: dict[str, str]) -> NumberFile:
    """Say which column is which, and what stands for those that are missing; remembered for files with the same headers."""
    file = get(desk, key)
    _still_to_do(file)
    unknown = [name for name in mapping if name not in FIELDS and not name.startswith("known:")]
    if unknown or any(not 0 <= at < len(file.header) for at in mapping.values()):
        raise NotUnderstood("That is no field, or no column of this file.", field=unknown[0] if unknown else "mapping")
    if "number" not in mapping:
        raise NotUnderstood("Say which column has the numbers.", field="number")
    with desk.writing() as writing:
        store.remember(writing.connection, fingerprint(file.header), mapping, options)
        store.save(writing.connection, replace(file, mapping=mapping, options=options, state=FileState.NEW, report=Report(), problem=""))
        writing.touch()
    return look_through(desk, key)


def _still_to_do(file: NumberFile) -> None:
    if file.state in {FileState.BRINGING_IN, FileState.DONE}:
        raise NotAllowedNow(f"{file.name} is {file.state} already. Bring the file in anew to change its columns.", reason="state")


def look_through(desk: Desk, key: str) -> NumberFile:
    """Begin the dry run; small files are read at once, others in slices by the runner."""
    file = replace(get(desk, key), state=FileState.READING, report=Report(), problem="")
    with desk.writing() as writing:
        store.save(writing.connection, file)
        writing.touch()
    if file.total <= SMALL_ROWS:
        while file.state is FileState.READING:
            file = read_on(desk, file)
    return file


def leave(desk: Desk, key: str) -> None:
    """Throw a file away that is not being brought in."""
    file = get(desk, key)
    if file.state is FileState.BRINGING_IN:
        raise NotAllowedNow("It is being brought in. Stop its work order first.", reason="state")
    with desk.writing() as writing:
        store.forget(writing.connection, key)
        writing.touch()
    path_of(desk, file).unlink(missing_ok=True)
    _reading.pop(key, None)


# ── reading on, slice by slice ──


class _Going:
    """A file that is being read: where it is, and what it is read against."""

    def __init__(self, desk: Desk, file: NumberFile, *, skip: int) -> None:
        self.rows = sheets.rows_of(path_of(desk, file), sheets.Head(list(file.header), file.encoding, file.delimiter), skip=skip)
        with desk.reading() as reading:
            self.context = context_of(reading, file, home=desk.organisation.home_country)
        self.read: Reader = reader(file.mapping, self.context)
        self.seen: dict[int, int] = {}
        self.at = skip


_reading: dict[str, _Going] = {}


def context_of(reading: Reading, file: NumberFile, *, home: str) -> Context:
    accounts, carriers = reading.records.all(Account), reading.records.all(Carrier)
    sites, spots = reading.records.all(Site), reading.records.all(Spot) if "spot" in file.mapping else []
    elsewhere = {value.lower(): s for s in sites for value in s.known_as.values()}
    by_code = {s.id: s for s in spots} | {value.upper(): s for s in spots for value in s.known_as.values()}
    named: dict[str, Any] = by_names(accounts)
    holders = Directory()
    if HELD & set(file.mapping):
        person = tables.person
        holders = Directory.of(reading.records.where(Person, person.c.departed.is_(False)), reading.records.all(ServiceLine), sites)
    return Context(
        home=home, now=reading.now, sites=elsewhere | by_names(sites, "code"), accounts=named, carriers=by_names(carriers),
        trunks=by_names(reading.records.all(Trunk)), spots=by_code,
        holders=holders, ids=_ids(reading) if any(name.startswith("known:") for name in file.mapping) else {}, default_site=file.options.get("site", ""), default_account=file.options.get("account", ""),
        default_price=file.options.get("price", "") or "0",
    )  # fmt: skip


def _ids(reading: Reading) -> dict[str, int]:
    table = tables.known_as
    rows = reading.connection.execute(select(table.c.value, table.c.ref).where(table.c.subject == Subject.NUMBER.value))
    return {value: int(ref) for value, ref in rows}


def _going(desk: Desk, file: NumberFile, kind: str, done: int) -> _Going:
    """The reading of this file that goes on, or one begun anew where it had come to."""
    key = f"{kind}/{file.id}"
    going = _reading.get(key)
    if going is None or going.at != done:
        going = _reading[key] = _Going(desk, file, skip=done)
    return going


def read_on(desk: Desk, file: NumberFile, *, seconds: float = SLICE_SECONDS) -> NumberFile:
    """Go on with the dry run for about so long."""
    going = _going(desk, file, "look", file.report.rows)
    report = file.report
    begun = time.monotonic()
    try:
        while chunk := list(islice(going.rows, bringing_in.CHUNK)):
            with desk.reading() as reading:
                sorted_out = sort_out(going, chunk, lambda numbers, r=reading: bringing_in.existing(r.connection, numbers))
            report = added(report, chunk, sorted_out)
            going.at += len(chunk)
            if time.monotonic() - begun > seconds:
                file = replace(file, report=report, total=max(file.total, report.rows + 1))
                break
        else:
            file = replace(file, report=report, total=report.rows, state=FileState.READ)
            _reading.pop(f"look/{file.id}", None)
    except NotUnderstood as error:
        file = replace(file, report=report, state=FileState.READ, problem=error.message)
    with desk.writing() as writing:
        store.save(writing.connection, file)
        writing.touch()
    return file


class SortedOut:
    """A chunk of rows by what is to be done with them."""

    def __init__(self) -> None:
        self.new: list[tuple[int, Incoming]] = []
        self.changed: list[tuple[int, Number, Number]] = []
        self.same = 0
        self.differs: list[tuple[int, str, str]] = []
        self.bad: list[tuple[int, str, str]] = []


def sort_out(going: _Going, chunk: list[tuple[int, list[str]]], known: Callable[[list[int]], dict[int, Number]]) -> SortedOut:
    out = SortedOut()
    good: list[tuple[int, Incoming]] = []
    seen, read = going.seen, going.read
    for line, cells in chunk:
        try:
            row = read(cells)
        except Fault as fault:
            out.bad.append((line, " ".join(cells)[:80].strip(), str(fault)))
            continue
        before = seen.setdefault(row.number, line)
        if before != line:
            out.bad.append((line, f"+{row.number}", f"the same number as in line {before}"))
        else:
            good.append((line, row))
    here = known([row.number for _, row in good])
    for line, row in good:
        number = here.get(row.number)
        if number is None:
            out.new.append((line, row))
        else:
            _compare(out, line, row, number)
    return out


def _compare(out: SortedOut, line: int, row: Incoming, number: Number) -> None:
    """A row about a number that is in the estate: small facts are taken over, all else is left as it is and said."""
    facts = {
        "label": row.label or number.label, "note": row.note or number.note, "cost_centre": row.cost_centre or number.cost_centre,
        "tags": row.tags or number.tags, "known_as": {**number.known_as, **dict(row.known_as)},
    }  # fmt: skip
    after = number.but(**facts)
    found = [
        f"{name}: {is_} here, {says} in the file"
        for name, is_, says in (
            ("state", number.state.value, row.state.value),
            ("site", number.site, row.site),
            ("carrier", number.carrier, row.carrier),
        )
        if is_ != says
    ]
    if row.holder and number.holder != row.holder:
        found.append("its holder is another one here")
    if found:
        out.differs.append((line, describe(number.e164).national, "; ".join(found)))
    if after != number:
        out.changed.append((line, number, after))
    elif not found:
        out.same += 1


def added(report: Report, chunk: list[Any], out: SortedOut) -> Report:
    first = report.first
    if len(first) < 12:
        rows = tuple((line, describe(f"+{r.number}").national, r.state.value, r.site, r.label) for line, r in out.new[: 12 - len(first)])
        first += rows
    return Report(
        rows=report.rows + len(chunk),
        new=report.new + len(out.new),
        same=report.same + out.same,
        changed=report.changed + len(out.changed),
        differs=report.differs + len(out.differs),
        bad=report.bad + len(out.bad),
        faults=(*report.faults, *out.bad)[:MOST_KEPT],
        differences=(*report.differences, *out.differs)[:MOST_KEPT],
        first=first,
    )


# ── bringing in ──


def begin(desk: Desk, key: str) -> Any:
    """The work order that brings the good rows in, run at once. Asked again, it is the one of the first time."""
    from sedge.core.workorders.tasks import ImportNumbers
    from sedge.desk import workorders

    file = get(desk, key)
    if file.work_order:
        return workorders.find(desk, f"import-{key}")
    if file.state is not FileState.READ or file.problem:
        raise NotAllowedNow(file.problem or f"{file.name} is still being read. Wait until it has been looked through.", reason="state")
    if not file.report.new and not file.report.changed:
        raise NotAllowedNow("Nothing in this file is new, so nothing is brought in.", reason="nothing")
    order = workorders.run_now(
        desk,
        f"Bring in {file.name}"[:200],
        [ImportNumbers(file=key)],
        reason=f"from a file of {file.report.rows:,} rows",
        identity=f"import-{key}",
    )
    with desk.writing() as writing:
        now = store.get(writing.connection, key)
        if now.state is FileState.READ:
            store.save(writing.connection, replace(now, state=FileState.BRINGING_IN, work_order=order.id))
        writing.touch()
    return order


def bring_in_more(
    desk: Desk, key: str, *, work_order: str, reason: str, seconds: float = SLICE_SECONDS, chunk_rows: int = bringing_in.CHUNK,
    chunks: int = CHUNKS_AT_ONCE,
) -> NumberFile:  # fmt: skip
    """Bring in for about so long, some chunks to a transaction. Done when the state says so."""
    file = get(desk, key)
    going = _going(desk, file, "in", file.done.rows)
    begun = time.monotonic()
    while file.state is not FileState.DONE:
        with desk.writing(reason=reason, work_order=work_order) as writing:
            for _ in range(chunks):
                chunk = list(islice(going.rows, chunk_rows))
                if not chunk:
                    file = replace(file, state=FileState.DONE, work_order=work_order)
                    break
                out = sort_out(going, chunk, lambda numbers, w=writing: bringing_in.existing(w.connection, numbers))
                _bring_in(writing, file, [row for _, row in out.new], going.context.holders)
                _update(writing, out.changed)
                file = replace(file, done=added(file.done, chunk, out), state=FileState.BRINGING_IN, work_order=work_order)
            store.save(writing.connection, file)
            writing.touch()
        going.at = file.done.rows
        if time.monotonic() - begun > seconds:
            break
    if file.state is FileState.DONE:
        _reading.pop(f"in/{file.id}", None)
    return file


def _bring_in(writing: Writing, file: NumberFile, rows: list[Incoming], holders: Directory) -> None:
    if not rows:
        return
    refs = set(row.holder for row in rows if row.holder)  # noqa: C401  pyright knows no frozen models in set displays
    mains = _with_main(writing, refs)
    bringing_in.bring_in(writing.connection, rows, writing.stamp, batch=file.id, names=holders.names, mains=mains)


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
        found.update(HolderRef.model_validate({"kind": kind, "id": key}) for kind, key in writing.connection.execute(query))
    return found & refs


def _update(writing: Writing, rows: list[tuple[int, Number, Number]]) -> None:
    changes: list[Change] = [changed(Subject.NUMBER, before, after, "number.labelled") for _, before, after in rows]
    for start in range(0, len(changes), 500):
        writing.save(changes[start : start + 500])


def faults_of(desk: Desk, key: str) -> Iterator[bytes]:
    """The rows that can't be brought in, as they are in the file, each with why: to be mended and brought in again."""
    file = get(desk, key)
    going = _Going(desk, file, skip=0)

    def rows() -> Iterator[list[str]]:
        while chunk := list(islice(going.rows, bringing_in.CHUNK)):
            by_line = dict(chunk)
            for line, _text, why in sort_out(going, chunk, lambda _numbers: {}).bad:
                yield [*by_line[line], str(line), why]

    return sheets.to_csv([*file.header, "line", "why not"], rows())


def go_on_reading(desk: Desk) -> int:
    """One slice of each file that is being looked through; how many were."""
    with desk.reading() as reading:
        files = store.listing(reading.connection, states=(FileState.READING,))
    for file in files:
        read_on(desk, file)
    return len(files)
