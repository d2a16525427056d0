"""People from a directory's CSV export (RFC 4180): UTF-8 with or without BOM, `;` or `,`, columns
found by their headers."""

import csv
import io
from dataclasses import dataclass, field

from sedge.core.errors import NotUnderstood

MOST_BYTES, MOST_ROWS = 5_000_000, 20_000
# headers in plain words, and the attribute types of LDAP directories (RFC 4519, RFC 2798)
HEADERS = {
    "name": ("name", "display name", "displayname", "full name", "person", "cn"),
    "given": ("first name", "given name", "givenname", "forename", "vorname"),
    "family": ("last name", "family name", "surname", "sn", "nachname"),
    "email": ("email", "e-mail", "mail", "mail address", "email address"),
    "site": ("site", "location", "office", "building", "standort", "l"),
    "department": ("department", "team", "dept", "abteilung", "ou", "departmentnumber"),
    "job": ("job", "job title", "title", "role", "position"),
    "extension": ("extension", "ext", "phone extension", "durchwahl"),
}


@dataclass(frozen=True)
class Row:
    """One line of the file, `number` counted from 1 with the header line."""

    number: int
    name: str
    email: str
    site: str
    department: str
    job: str
    extension: str


@dataclass(frozen=True)
class Sheet:
    """`columns` maps a field to the header it was found under; `ignored` are headers nothing was
    made of."""

    rows: list[Row]
    columns: dict[str, str]
    ignored: list[str] = field(default_factory=list)


def read_people(data: bytes) -> Sheet:
    """Raises NotUnderstood where the file is too large, not text, empty, or lacks a column that is
    needed."""
    if len(data) > MOST_BYTES:
        raise NotUnderstood(
            "The file is larger than 5 MB. Split it, or leave columns out.", field="file"
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise NotUnderstood(
            "The file is not UTF-8 text. Save it as “CSV UTF-8” and try again.", field="file"
        ) from None
    lines = text.strip()
    if not lines:
        raise NotUnderstood("The file is empty.", field="file")
    first = lines.splitlines()[0]
    delimiter = max(";,\t", key=first.count)
    try:
        table = list(csv.reader(io.StringIO(text), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise NotUnderstood(
            f"The file can't be read as CSV: {error}. Check the quotes.", field="file"
        ) from error
    header = [cell.strip() for cell in table[0]]
    columns = _columns(header)
    body = [
        (i, row) for i, row in enumerate(table[1:], start=2) if any(cell.strip() for cell in row)
    ]
    if len(body) > MOST_ROWS:
        raise NotUnderstood(
            f"At most {MOST_ROWS:,} people at a time; this file has {len(body):,}.", field="file"
        )
    used = set(columns.values())
    return Sheet(
        [_row(i, row, columns) for i, row in body],
        {name: header[at] for name, at in columns.items()},
        [h for i, h in enumerate(header) if i not in used and h],
    )


def _columns(header: list[str]) -> dict[str, int]:
    lowered = [h.lower().replace("_", " ") for h in header]
    columns = {
        name: lowered.index(found)
        for name, known in HEADERS.items()
        if (found := next((k for k in known if k in lowered), None))
    }
    if "name" not in columns and not {"given", "family"} <= set(columns):
        raise NotUnderstood(
            "No column with people's names. Name one “name”, or two “first name” and “last name”.",
            field="file",
            missing="name",
        )
    if "email" not in columns:
        raise NotUnderstood(
            "No column with mail addresses. Name one “email”.", field="file", missing="email"
        )
    return columns


def _row(number: int, cells: list[str], columns: dict[str, int]) -> Row:
    def cell(name: str) -> str:
        at = columns.get(name)
        return cells[at].strip() if at is not None and at < len(cells) else ""

    name = cell("name") or f"{cell('given')} {cell('family')}".strip()
    return Row(
        number,
        name,
        cell("email"),
        cell("site"),
        cell("department"),
        cell("job"),
        cell("extension"),
    )
