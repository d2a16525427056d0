"""Tables from and to files: CSV (RFC 4180, as found in the wild) and XLSX (ISO/IEC 29500; values
only).

What comes in may have any of the usual encodings, delimiters and line ends. What goes out is UTF-8,
and no cell begins a formula: such cells get an apostrophe in front, which is taken off again when
they come back.
"""

import csv
import io
import json
import os
import re
import resource
import subprocess
import sys
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from itertools import islice
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sedge.core.errors import NotUnderstood
from sedge.core.imports.fields import FORMULA, plain_cell

MOST_BYTES = 250_000_000
MOST_SPREADSHEET_BYTES, MOST_UNPACKED = 60_000_000, 600_000_000
MOST_COLUMNS = 200
MOST_SECONDS, MOST_MEMORY = 120, 1_500_000_000  # of the process that reads a spreadsheet
MANY_ROWS = 50_000
FORMULAS, JOINED = "formulas", "joined cells"
WORTH_A_NOTE = {FORMULAS: re.compile(rb"<f[ >]"), JOINED: re.compile(rb"<mergeCell ")}
_DELIMITERS = ",;\t|"
_ENCODINGS = ("utf-8-sig", "utf-16", "cp1252")
_SAMPLE = 200_000


@dataclass(frozen=True)
class Head:
    """What a table's first line says. `notes` are sentences on how the file was read."""

    header: list[str]
    encoding: str
    delimiter: str
    notes: tuple[str, ...] = field(default=())


def head_of(file: Path) -> Head:
    """Header, encoding and delimiter of a CSV file. Raises NotUnderstood for one that is empty or
    no table."""
    with file.open("rb") as raw:
        sample = raw.read(_SAMPLE)
    encoding = _encoding(sample)
    text = sample.decode(encoding, errors="replace")
    first = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = max(_DELIMITERS, key=first.count)
    header = next(_rows(io.StringIO(text, newline=None), delimiter), [])
    if not 1 <= len(header) <= MOST_COLUMNS:
        raise NotUnderstood(
            f"A table has 1 to {MOST_COLUMNS} columns; this has {len(header)}.", field="file"
        )
    notes = (
        ()
        if encoding == "utf-8-sig"
        else (
            (
                f"Read as {'UTF-16' if encoding == 'utf-16' else 'Windows-1252'} text, which it is"
                " not marked as."
            ),
        )
    )
    return Head([plain_cell(cell) for cell in header], encoding, delimiter, notes)


def text_of(content: bytes) -> str:
    """What a small file says: text as it is, the first sheet of a spreadsheet as CSV. Raises
    NotUnderstood for one that is neither."""
    if content[:4] != b"PK\x03\x04":
        return content.decode(_encoding(content[:_SAMPLE]), errors="replace")
    with TemporaryDirectory() as folder:
        raw, plain = Path(folder) / "raw", Path(folder) / "plain"
        raw.write_bytes(content)
        from_spreadsheet(raw, plain)
        return plain.read_text(encoding="utf-8")


def _encoding(sample: bytes) -> str:
    if not sample.strip():
        raise NotUnderstood("The file is empty.", field="file")
    if b"\0" in sample and not sample.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise NotUnderstood(
            "This is no text file. Save the sheet as CSV or XLSX and try again.", field="file"
        )
    if sample.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    try:
        sample[:-4].decode("utf-8") if len(sample) >= _SAMPLE else sample.decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig"


def rows_of(file: Path, head: Head, *, skip: int = 0) -> Iterator[tuple[int, list[str]]]:
    """Line numbers (the header is 1, blank lines counted by row) and cells of the rows after the
    header, from the `skip`-th on."""
    with file.open(encoding=head.encoding, errors="replace", newline=None) as text:
        rows = _rows(text, head.delimiter)
        next(rows, None)
        yield from islice(enumerate(rows, start=2), skip, None)


def _rows(text: Iterable[str], delimiter: str) -> Iterator[list[str]]:
    try:
        for row in csv.reader(text, delimiter=delimiter):
            if (row and row[0] and not row[0].isspace()) or any(
                cell and not cell.isspace() for cell in row
            ):
                yield row
    except csv.Error as error:
        raise NotUnderstood(
            f"The file can't be read as CSV: {error}. Check the quotes.", field="file"
        ) from error


def from_spreadsheet(file: Path, to: Path) -> tuple[str, ...]:
    """Write the first sheet of an XLSX file as CSV; gives sentences on what was left out. Raises
    NotUnderstood.

    It is read by a process of its own, with bounds on its time and memory: what a spreadsheet
    unpacks to is known only once it is unpacked.
    """
    notes = _looked_into(file)
    command = [sys.executable, "-m", __name__, str(file), str(to), str(MOST_MEMORY)]
    try:
        done = subprocess.run(  # noqa: S603  our own module on two files of ours
            command, capture_output=True, timeout=MOST_SECONDS, check=False
        )
    except subprocess.TimeoutExpired as error:
        raise NotUnderstood(
            f"The spreadsheet takes more than {MOST_SECONDS} seconds to read. Save it as CSV UTF-8"
            " and try again.",
            field="file",
        ) from error
    if done.returncode != 0:
        raise NotUnderstood(
            "The spreadsheet can't be read. Save it as CSV UTF-8 and try again.", field="file"
        )
    return (*notes, *json.loads(done.stdout or b"[]"))


def _bound(memory: int) -> None:
    """Bounds that this process sets itself: set between fork and exec, while other threads run,
    they could leave it waiting for a lock that nobody holds any more."""
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    seconds = int(MOST_SECONDS) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))


def _convert(file: Path, to: Path) -> list[str]:
    """The reading itself. Rows are not padded to the sheet's width, which one cell far away would
    make 16,384 columns."""
    import openpyxl

    notes = []
    with file.open("rb") as packed, to.open("w", encoding="utf-8", newline="") as out:
        book = openpyxl.load_workbook(packed, read_only=True, data_only=True)
        sheet = book.worksheets[0]
        sheet.reset_dimensions()
        write = csv.writer(out).writerow
        for row in sheet.iter_rows(values_only=True):
            if not row:
                continue
            cells = [_cell(value) for value in row[: MOST_COLUMNS + 1]]
            while cells and not cells[-1]:
                cells.pop()
            if cells:
                write(cells)
        if len(book.sheetnames) > 1:
            notes.append(
                f"Only the first sheet, “{sheet.title}”, was read; the book has"
                f" {len(book.sheetnames)}."
            )
        book.close()
    return notes


def _looked_into(file: Path) -> list[str]:
    """Refuse what would unpack to too much; say where formulas and joined cells are."""
    if file.stat().st_size > MOST_SPREADSHEET_BYTES:
        raise NotUnderstood(
            "A spreadsheet may have 60 MB; this is larger. Save it as CSV, which may have 250 MB.",
            field="file",
        )
    try:
        with zipfile.ZipFile(file) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > MOST_UNPACKED:
                raise NotUnderstood(
                    "This spreadsheet unpacks to more than 600 MB. Save it as CSV and try again.",
                    field="file",
                )
            sheets = [
                entry
                for entry in packed.namelist()
                if re.fullmatch(r"xl/worksheets/sheet1\.xml", entry)
            ]
            found = _found_inside(packed, sheets[0]) if sheets else set()
    except (zipfile.BadZipFile, KeyError) as error:
        raise NotUnderstood(
            "This is no XLSX spreadsheet. Save it as XLSX or CSV and try again.", field="file"
        ) from error
    notes = []
    if FORMULAS in found:
        notes.append("Some cells have formulas: the values they last gave were read.")
    if JOINED in found:
        notes.append(
            "Some cells are joined: only the first of each has the value, the others count as"
            " empty."
        )
    return notes


def _found_inside(packed: zipfile.ZipFile, name: str) -> set[str]:
    """Which of what is worth a note a sheet has, read piece by piece. Raises NotUnderstood for one
    that is nearly all empty rows: each of them takes time and says nothing."""
    found: set[str] = set()
    before, rows, cells = b"", 0, 0
    with packed.open(name) as sheet:
        while piece := sheet.read(1 << 20):
            both = before + piece
            found |= {what for what, pattern in WORTH_A_NOTE.items() if pattern.search(both)}
            before = both[-32:]
            rows, cells = rows + piece.count(b"<row"), cells + piece.count(b"<c ")
            if rows > MANY_ROWS and cells * 10 < rows:
                raise NotUnderstood(
                    "The sheet is nearly all empty rows. Delete them, or save it as CSV UTF-8.",
                    field="file",
                )
    return found


def _cell(value: object) -> str:
    match value:
        case None:
            return ""
        case bool():
            return "yes" if value else "no"
        case float() if value.is_integer():
            return str(int(value))
        case datetime():
            return (
                value.date().isoformat()
                if value.time() == datetime.min.time()
                else value.isoformat(sep=" ")
            )
        case date():
            return value.isoformat()
        case _:
            return str(value)


Cell = str | Decimal | date
E164 = re.compile(r"\+[0-9]{1,15}")


def safe(cell: Cell) -> str:
    """The cell as text, so that no spreadsheet takes it for a formula. A telephone number with its
    plus is left as it is: digits only, it does nothing, and every other program wants it so."""
    text = (
        format(cell, "f")
        if isinstance(cell, Decimal)
        else cell.isoformat()
        if isinstance(cell, date)
        else cell
    )
    return (
        f"'{text}"
        if text.startswith(FORMULA) and not isinstance(cell, Decimal) and not E164.fullmatch(text)
        else text
    )


def to_csv(header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterator[bytes]:
    """CSV in UTF-8 with a byte order mark (without it, spreadsheets guess), piece by piece."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    yield b"\xef\xbb\xbf"
    writer.writerow([safe(cell) for cell in header])
    for row in rows:
        writer.writerow([safe(cell) for cell in row])
        if out.tell() > 60_000:
            yield out.getvalue().encode()
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode()


def to_spreadsheet(
    header: Sequence[str], rows: Iterable[Sequence[Cell]], *, title: str = "Numbers"
) -> bytes:
    """XLSX: amounts as numbers, days as dates, all else as text; the header bold and fixed."""
    import openpyxl
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet(title)
    sheet.freeze_panes = "A2"

    def typed(value: Cell) -> object:
        return text(value) if isinstance(value, str) else value

    def text(value: str, *, bold: bool = False) -> Any:
        cell = WriteOnlyCell(sheet, value=_ILLEGAL.sub("", value))
        cell.data_type = "s"
        if bold:
            cell.font = Font(bold=True)
        return cell

    sheet.append([text(name, bold=True) for name in header])
    for row in rows:
        sheet.append([typed(cell) for cell in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_ILLEGAL = re.compile(r"[\000-\010\013\014\016-\037]")


def _read_within_bounds(file: Path, to: Path, memory: int) -> int:
    """What the reading process does; gives its exit code. Everything it needs is loaded before the
    bound is set, and without numpy, which openpyxl would take along: its threads ask for more
    memory than a sheet does, and wait for ever for what they can't have."""
    sys.modules["numpy"] = None  # type: ignore[assignment]  so that an import of it fails at once
    import openpyxl  # noqa: F401

    _bound(memory)
    try:
        sys.stdout.write(json.dumps(_convert(file, to)))
        sys.stdout.flush()
    except MemoryError:
        return 1
    return 0


if __name__ == "__main__":
    # at once: with no memory left, what an interpreter does at its end may never come to one
    os._exit(_read_within_bounds(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3])))
