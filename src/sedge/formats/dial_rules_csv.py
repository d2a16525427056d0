"""The own dial rules of a site or a trunk as CSV (RFC 4180), one rule a line in their order."""

import csv
import io
from dataclasses import dataclass

from sedge.core.errors import NotUnderstood

DIALLED = ("name", "pattern", "strip", "before", "leads to", "right")
SENT = DIALLED[:4]
MOST_BYTES = 200_000


@dataclass(frozen=True)
class RuleLine:
    """A line as it is written; `line` counts from 1 with the header."""

    line: int
    name: str
    pattern: str
    strip: str = ""
    before: str = ""
    leads_to: str = ""
    right: str = ""

    def stripped(self) -> int:
        """How many digits are taken off the front. Raises NotUnderstood naming the line."""
        if not self.strip.isascii() or not (self.strip or "0").isdigit() or len(self.strip) > 2:
            said = f"Line {self.line}: “{self.strip}” does not say how many digits are stripped."
            raise NotUnderstood(said, field="text")
        return int(self.strip or 0)


def write_rules(lines: list[RuleLine], columns: tuple[str, ...] = DIALLED) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(columns)
    for x in lines:
        cells = [x.name, x.pattern, x.strip, x.before, x.leads_to, x.right]
        writer.writerow(cells[: len(columns)])
    return out.getvalue()


def read_rules(text: str, columns: tuple[str, ...] = DIALLED) -> list[RuleLine]:
    """Columns are found by their headers; `name` and `pattern` must be there. Raises
    NotUnderstood."""
    text = text.removeprefix("\ufeff").strip()
    if not text:
        raise NotUnderstood("There is nothing to read.", field="text")
    if len(text.encode("utf-8", "replace")) > MOST_BYTES:
        raise NotUnderstood("The text is longer than 200 kB.", field="text")
    header, _, _ = text.partition("\n")
    rows = csv.reader(io.StringIO(text), delimiter=";" if ";" in header else ",")
    found: list[RuleLine] = []
    try:
        titles = [title.strip().lower() for title in next(rows)]
        if not {"name", "pattern"} <= set(titles):
            message = f"The first line names the columns: {', '.join(columns)}."
            raise NotUnderstood(message, field="text", reason="columns")
        for number, row in enumerate(rows, 2):
            if not any(cell.strip() for cell in row):
                continue
            cells = {t: c.strip() for t, c in zip(titles, row, strict=False)}
            found.append(
                RuleLine(
                    number,
                    cells.get("name", ""),
                    cells.get("pattern", ""),
                    cells.get("strip", ""),
                    cells.get("before", ""),
                    cells.get("leads to", ""),
                    cells.get("right", ""),
                )
            )
    except csv.Error as wrong:
        raise NotUnderstood(f"This is no CSV: {wrong}.", field="text") from None
    return found
