"""The rows of a file on their way in: read once, kept beside the file, and sorted by what is to be
done with them.

Reading a row costs as much as writing it. The dry run therefore puts what it has read beside the
file (`.rows`), and importing takes it from there, unless what rows are read against (sites,
accounts, holders) is no longer the same; then the file is read again. `.rows` is ours, made by this
version of the code, and thrown away with the file.
"""

import hashlib
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple, get_type_hints

from pydantic import TypeAdapter
from sqlalchemy import select

from sedge.core.imports.directory import Directory
from sedge.core.imports.rows import (
    Alike,
    Fault,
    Incoming,
    Reader,
    RowContext,
    alike,
    by_names,
    reader,
)
from sedge.core.numbers.e164 import describe
from sedge.core.records import (
    ORGANISATION,
    Account,
    Carrier,
    Defaults,
    Number,
    Person,
    ServiceLine,
    Site,
    Spot,
    Subject,
    Trunk,
)
from sedge.formats import sheets
from sedge.services.context import Context, Reading
from sedge.store import bulk_import
from sedge.store.repositories.number_files import NumberFile, Report
from sedge.store.schema import projected, tables

HELD = {"holder", "email", "extension"}
MOST_KEPT = 200
MOST_SHOWN = 12
UNREADABLE = (OSError, ValueError)


class Bad(NamedTuple):
    """A row that can't be imported: its line, how it begins, and why."""

    line: int
    text: str
    why: str


class Rows(NamedTuple):
    """Some rows of a file that follow one another."""

    length: int
    good: list[Alike]
    bad: list[Bad]


# one line of the kept file each; where one is cut off, all from there on is read anew
_HINTS = get_type_hints(Incoming)
_FIELDS = tuple[tuple(_HINTS[name] for name in Incoming._fields)]  # type: ignore[valid-type]
_GOOD = list[tuple[_FIELDS, list[int], list[int]]]
ROWS: TypeAdapter[Any] = TypeAdapter(tuple[int, _GOOD, list[tuple[int, str, str]]])


def rows_of_line(line: bytes) -> Rows:
    """Raises ValueError for a line that is cut off."""
    length, good, bad = ROWS.validate_json(line)
    return Rows(
        length,
        [Alike(Incoming._make(row), lines, numbers) for row, lines, numbers in good],
        [Bad._make(one) for one in bad],
    )


def folder(context: Context) -> Path:
    place = context.installation.settings.data / "files" / context.who.organisation
    place.mkdir(parents=True, exist_ok=True)
    return place


def path_of(context: Context, file: NumberFile) -> Path:
    return folder(context) / f"{file.id}.csv"


def kept_of(context: Context, file: NumberFile) -> Path:
    """Where the rows are kept that the dry run has read."""
    return folder(context) / f"{file.id}.rows"


def throw_away(context: Context, file: NumberFile) -> None:
    kept = kept_of(context, file)
    for place in (path_of(context, file), kept, kept.with_suffix(".part")):
        place.unlink(missing_ok=True)


class LookingThrough:
    """A dry run from the file's beginning, whose rows are kept."""

    def __init__(self, context: Context, file: NumberFile) -> None:
        self.at = 0
        source = _Source(context, file)
        self._rows = source.rows(0, bulk_import.CHUNK)
        self._kept = kept_of(context, file)
        self._kept.unlink(missing_ok=True)
        self._out = self._kept.with_suffix(".part").open("wb")
        self._out.write(source.print + b"\n")

    def next(self) -> Rows | None:
        """The next rows; None at the end."""
        rows = next(self._rows, None)
        if rows:
            self.at += rows.length
            self._out.write(ROWS.dump_json(rows) + b"\n")
        else:
            self._out.close()
            self._kept.with_suffix(".part").rename(self._kept)
        return rows


class BringingIn:
    """The rows after `skip`, as the dry run kept them or read anew. What was kept may have been cut
    off (a machine that lost its power); it is never taken for the whole file, which goes on from
    there."""

    def __init__(self, context: Context, file: NumberFile, *, skip: int, chunk: int) -> None:
        self.at = skip
        self._given, self._chunk, self._whole = skip, chunk, file.report.rows
        self._source = _Source(context, file)
        self.holders = self._source.row_context.holders
        self._kept = _kept(kept_of(context, file), self._source.print, skip, chunk)
        self._rows = self._kept or self._source.rows(skip, chunk)

    def next(self) -> Rows | None:
        rows = next(self._rows, None)
        if rows is None and self._kept and self._given < self._whole:
            self._kept, self._rows = None, self._source.rows(self._given, self._chunk)
            rows = next(self._rows, None)
        self._given += rows.length if rows else 0
        return rows


def _kept(place: Path, wanted: bytes, skip: int, chunk: int) -> Iterator[Rows] | None:
    """The rows of a dry run that was read against the same things; None where they don't do."""
    if skip % bulk_import.CHUNK or chunk != bulk_import.CHUNK:
        return None
    with suppress(*UNREADABLE), place.open("rb") as file:
        if file.readline() == wanted + b"\n":
            return islice(_stream(place), skip // chunk, None)
    return None


def _stream(place: Path) -> Iterator[Rows]:
    with suppress(*UNREADABLE), place.open("rb") as file:
        file.readline()
        for line in file:
            yield rows_of_line(line)


class _Source:
    """A file with what its rows are read against. `print` differs where that differs."""

    def __init__(self, context: Context, file: NumberFile) -> None:
        self._path = path_of(context, file)
        self._head = sheets.Head(list(file.header), file.encoding, file.delimiter)
        self._mapping = file.mapping
        with context.reading() as reading:
            self.row_context = row_context_of(reading, file, home=context.organisation.home_country)
        self.print = _print(file, self.row_context)

    def rows(self, skip: int, chunk: int) -> Iterator[Rows]:
        """Rows from the `skip`-th on, so many at a time. Each number counts in the first line that
        has it."""
        read: Reader = reader(self._mapping, self.row_context)
        seen: dict[int, int] = {}
        cells_of = sheets.rows_of(self._path, self._head, skip=skip)
        while cells := list(islice(cells_of, chunk)):
            yield _read(cells, read, seen)

    def bad_rows(self) -> Iterator[list[str]]:
        """The cells of the rows that can't be imported, with their line and why."""
        cells_of = sheets.rows_of(self._path, self._head)
        for rows in self.rows(0, bulk_import.CHUNK):
            cells = dict(islice(cells_of, rows.length))
            for bad in rows.bad:
                yield [*cells[bad.line], str(bad.line), bad.why]


def _read(cells_of: list[tuple[int, list[str]]], read: Reader, seen: dict[int, int]) -> Rows:
    good: list[tuple[int, Incoming]] = []
    bad: list[Bad] = []
    for line, cells in cells_of:
        try:
            row = read(cells)
        except Fault as fault:
            bad.append(Bad(line, " ".join(cells)[:80].strip(), str(fault)))
            continue
        before = seen.setdefault(row.number, line)
        if before == line:
            good.append((line, row))
        else:
            bad.append(Bad(line, f"+{row.number}", f"the same number as in line {before}"))
    return Rows(len(cells_of), alike(good), bad)


def bad_rows(context: Context, file: NumberFile) -> Iterator[list[str]]:
    return _Source(context, file).bad_rows()


def row_context_of(reading: Reading, file: NumberFile, *, home: str) -> RowContext:
    accounts, carriers = reading.records.all(Account), reading.records.all(Carrier)
    sites, spots = (
        reading.records.all(Site),
        reading.records.all(Spot) if "spot" in file.mapping else [],
    )
    elsewhere = {value.lower(): s for s in sites for value in s.known_as.values()}
    by_code = {s.id: s for s in spots} | {
        value.upper(): s for s in spots for value in s.known_as.values()
    }
    named: dict[str, Any] = by_names(accounts)
    holders = Directory()
    if HELD & set(file.mapping):
        person = tables.person
        holders = Directory.of(
            reading.records.where(Person, person.c.departed.is_(False)),
            reading.records.all(ServiceLine),
            sites,
        )
    return RowContext(
        home=home,
        now=reading.now,
        sites=elsewhere | by_names(sites, "code"),
        accounts=named,
        carriers=by_names(carriers),
        trunks=by_names(reading.records.all(Trunk)),
        spots=by_code,
        holders=holders,
        ids=_ids(reading) if any(name.startswith("known:") for name in file.mapping) else {},
        default_site=file.options.get("site", ""),
        default_account=file.options.get("account", ""),
        default_price=file.options.get("price", "") or "0",
        defaults=reading.records.find(Defaults, ORGANISATION),
    )


def _ids(reading: Reading) -> dict[str, int]:
    table = projected.known_as
    rows = reading.connection.execute(
        select(table.c.value, table.c.ref).where(table.c.subject == Subject.NUMBER.value)
    )
    return {value: int(ref) for value, ref in rows}


def _print(file: NumberFile, row_context: RowContext) -> bytes:
    """What rows are read against and how, as one short value. Until-days are reckoned from today,
    so the day counts too."""
    digest = hashlib.blake2b(digest_size=16)
    holders = row_context.holders
    parts: tuple[object, ...] = (
        file.digest,
        sorted(file.mapping.items()),
        sorted(file.options.items()),
        row_context.now.date(),
        row_context.home,
        Incoming._fields,
        *(
            sorted((name, r.id, r.version) for name, r in known.items())
            for known in (
                row_context.sites,
                row_context.accounts,
                row_context.carriers,
                row_context.trunks,
                row_context.spots,
            )
        ),
        sorted(row_context.ids.items()),
        sorted(row_context.defaults.rests.items()) if row_context.defaults else (),
        sorted(
            (ref.kind.value, ref.id, name, holders.sites[ref], holders.spots[ref] or "")
            for ref, name in holders.names.items()
        ),
        sorted((mail, ref.id) for mail, ref in holders.by_email.items()),
        sorted(
            (extension, [ref.id for ref in refs])
            for extension, refs in holders.by_extension.items()
        ),
    )
    for part in parts:
        digest.update(repr(part).encode())
    return digest.hexdigest().encode()


class SortedOut:
    """Rows by what is to be done with them."""

    def __init__(self) -> None:
        self.new: list[Alike] = []
        self.changed: list[tuple[int, Number, Number]] = []
        self.same = 0
        self.differs: list[tuple[int, str, str]] = []

    @property
    def count_of_new(self) -> int:
        return sum(len(like.numbers) for like in self.new)

    def first(self, most: int) -> list[tuple[int, Incoming]]:
        """The first new rows, by line."""
        rows = (
            (line, like.row._replace(number=n))
            for like in self.new
            for line, n in islice(zip(like.lines, like.numbers, strict=True), most)
        )
        return sorted(rows)[:most]


def sort_out(rows: Rows, known: Callable[[list[int]], dict[int, Number]]) -> SortedOut:
    """`known` gives the open lives among numbers."""
    out = SortedOut()
    here = known([n for like in rows.good for n in like.numbers])
    if not here:
        out.new = rows.good
        return out
    fresh: list[tuple[int, Incoming]] = []
    for row, lines, numbers in rows.good:
        for line, n in zip(lines, numbers, strict=True):
            one = row._replace(number=n)
            if number := here.get(n):
                _compare(out, line, one, number)
            else:
                fresh.append((line, one))
    out.new = alike(fresh)
    return out


def _compare(out: SortedOut, line: int, row: Incoming, number: Number) -> None:
    """A row about a number that is in the estate: small facts are taken over, all else is left as
    it is and said."""
    facts = {
        "label": row.label or number.label,
        "note": row.note or number.note,
        "cost_centre": row.cost_centre or number.cost_centre,
        "tags": row.tags or number.tags,
        "known_as": {**number.known_as, **dict(row.known_as)},
    }
    after = number.copy_with(**facts)
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
        out.differs.append((line, describe(number.e164).shown, "; ".join(found)))
    if after != number:
        out.changed.append((line, number, after))
    elif not found:
        out.same += 1


def added(report: Report, rows: Rows, out: SortedOut) -> Report:
    first = report.first
    if len(first) < MOST_SHOWN:
        new = out.first(MOST_SHOWN - len(first))
        first += tuple(
            (line, describe(f"+{r.number}").shown, r.state.value, r.site, r.label)
            for line, r in new
        )
    return Report(
        rows=report.rows + rows.length,
        new=report.new + out.count_of_new,
        same=report.same + out.same,
        changed=report.changed + len(out.changed),
        differs=report.differs + len(out.differs),
        bad=report.bad + len(rows.bad),
        faults=(*report.faults, *((bad.line, bad.text, bad.why) for bad in rows.bad))[:MOST_KEPT],
        differences=(*report.differences, *out.differs)[:MOST_KEPT],
        first=first,
    )
