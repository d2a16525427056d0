"""Invoices whose columns nobody has named yet: kept until somebody says which is which."""

import csv
import io
from dataclasses import asdict, dataclass

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.spend.invoice_rows import FIELDS, missing, recognised
from sedge.formats import sheets
from sedge.formats.spend.ubl_invoice import is_xml
from sedge.services.context import Context
from sedge.services.imports.file_rows import folder
from sedge.services.spend import invoices
from sedge.store.repositories.spend import settings as spend_settings
from sedge.store.repositories.spend.invoices import Invoice

NAME = "invoice without columns "


@dataclass(frozen=True)
class Pending:
    """`header` are the columns in their order, `first` the cells of the first row."""

    id: str
    account: str
    reference: str
    month: str
    header: list[str]
    first: list[str]

    @property
    def columns(self) -> list[tuple[int, str, str, str]]:
        """Each column with its first cell and what it is taken for."""
        found = {at: name for name, at in recognised(self.header).items()}
        cells = [*self.first, *[""] * len(self.header)]
        return [(at, title, cells[at], found.get(at, "")) for at, title in enumerate(self.header)]

    @property
    def lacking(self) -> list[str]:
        """What no column is taken for and has to be there."""
        return missing(recognised(self.header))


def receive(
    context: Context, account: str, content: bytes, *, reference: str, month: str
) -> Invoice | Pending:
    """The invoice, or where its columns are not known what somebody has to say of them. Raises as
    `invoices.receive`."""
    try:
        return invoices.receive(context, account, content, reference=reference, month=month)
    except NotUnderstood as wrong:
        if wrong.reason != "columns" or is_xml(content):
            raise
    rows = _rows(content)
    kept = Pending(context.new_id("bill"), account, reference, month, rows[0], rows[1])
    (folder(context) / f"{kept.id}.bill").write_bytes(content)
    with context.writing() as writing:
        spend_settings.keep(writing.connection, NAME + kept.id, asdict(kept))
        writing.touch()
    return kept


def _rows(content: bytes) -> list[list[str]]:
    text = sheets.text_of(content)
    delimiter = invoices.delimiter_of(text)
    found = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if any(row)]
    return [*found[:2], [], []]


def waiting(context: Context) -> list[Pending]:
    """Invoices that still ask for their columns."""
    with context.reading() as reading:
        known = spend_settings.read_all(reading.connection, NAME)
    return [Pending(**body) for body in known.values()]


def get(context: Context, key: str) -> Pending:
    """Raises NotFound."""
    with context.reading() as reading:
        known = spend_settings.read(reading.connection, NAME + key)
    if known is None:
        raise NotFound("There is no such invoice waiting.", subject="invoice", id=key)
    return Pending(**known)


def settle(context: Context, key: str, mapping: dict[str, int]) -> Invoice:
    """Check the invoice with its columns named; remembered for the carrier's next ones. Raises
    NotFound, NotUnderstood."""
    context.require(May.KEEP_BOOKS)
    kept = get(context, key)
    known = {name: at for name, at in mapping.items() if name in FIELDS}
    if any(not 0 <= at < len(kept.header) for at in known.values()):
        raise NotUnderstood("That is no column of this invoice.", field="mapping")
    if lacking := missing(known):
        raise NotUnderstood(f"Say which column has: {', '.join(lacking)}.", field="mapping")
    content = (folder(context) / f"{kept.id}.bill").read_bytes()
    made = invoices.receive(
        context, kept.account, content, reference=kept.reference, month=kept.month, mapping=known
    )
    discard(context, key)
    return made


def discard(context: Context, key: str) -> None:
    """Raises NotFound."""
    context.require(May.KEEP_BOOKS)
    kept = get(context, key)
    with context.writing() as writing:
        spend_settings.keep(writing.connection, NAME + kept.id, None)
        writing.touch()
    (folder(context) / f"{kept.id}.bill").unlink(missing_ok=True)
