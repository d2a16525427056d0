"""Numbers out of Sedge: what a view shows, as CSV, spreadsheet or JSON; read page by page, so that
a million rows fit."""

import json
from collections.abc import Iterator, Sequence
from datetime import datetime

from sedge.core.errors import NotUnderstood
from sedge.formats import sheets
from sedge.services.context import Context
from sedge.services.numbers import estate
from sedge.services.numbers.columns import Column, seen_by
from sedge.store.repositories import numbers as store
from sedge.store.repositories.numbers import Filter

A_PAGE = 1_000
MOST_SPREADSHEET_ROWS = 200_000
TYPES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
}


def numbers(
    context: Context,
    form: str,
    wanted: Filter,
    columns: Sequence[Column],
    *,
    sort: str = "number",
    at: datetime | None = None,
) -> Iterator[bytes]:
    """The file, piece by piece. JSON has every column the member may see. Raises NotUnderstood for
    another form, or more than a spreadsheet holds."""
    if form not in TYPES:
        raise NotUnderstood(f"Numbers are exported as {', '.join(TYPES)}.", field="form")
    rows = _rows(context, wanted, sort=sort, at=at)
    if form == "json":
        return _as_json(rows, seen_by(context.who.role))
    header, cells = [c.title for c in columns], ([c.exported(row) for c in columns] for row in rows)
    if form == "csv":
        return sheets.to_csv(header, cells)
    if at is None and estate.counts_of(context, wanted).total > MOST_SPREADSHEET_ROWS:
        raise NotUnderstood(
            f"A spreadsheet holds {MOST_SPREADSHEET_ROWS:,} rows here. Narrow the list, or take"
            " CSV.",
            field="form",
        )
    return iter([sheets.to_spreadsheet(header, cells)])


def _rows(
    context: Context, wanted: Filter, *, sort: str, at: datetime | None
) -> Iterator[estate.Row]:
    after: str | None = ""
    while after is not None:
        if at is not None:
            listing = estate.list_numbers(context, wanted, after=after, limit=A_PAGE, at=at)
            found, after = listing.rows, listing.next
        else:
            with context.reading() as reading:
                page = store.page(reading.connection, wanted, sort=sort, after=after, limit=A_PAGE)
                found, after = estate.rows_of(reading, page), page.next
        yield from found


def _as_json(rows: Iterator[estate.Row], columns: Sequence[Column]) -> Iterator[bytes]:
    yield b"["
    for i, row in enumerate(rows):
        values: dict[str, object] = {column.key: column.value(row) for column in columns}
        values["tags"], values["known_as"] = list(row.number.tags), row.number.known_as
        yield ((",\n" if i else "\n") + json.dumps(values, ensure_ascii=False)).encode()
    yield b"\n]\n"
