"""Invoices and their lines as they are stored."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import Connection, bindparam, delete, insert, or_, select, update

from sedge.core.errors import NotFound
from sedge.core.spend.invoices import BilledFor, BilledLine, LineState, Verdict
from sedge.store.schema.spend import invoice as invoice_table
from sedge.store.schema.spend import invoice_line as line_table

MOST_LISTED = 100


@dataclass(frozen=True)
class Invoice:
    id: str
    account: str
    reference: str
    month: str
    currency: str
    digest: str
    received_at: datetime
    received_by: str


@dataclass(frozen=True)
class KeptLine:
    """A line with its verdict and what was decided; `expected` None where nothing like it was."""

    invoice: str
    line: int
    kind: str
    number: int | None
    words: str
    quantity: Decimal
    billed: Decimal
    expected: Decimal | None
    verdict: Verdict
    state: LineState
    why: str
    who: str
    credited: Decimal

    @property
    def too_much(self) -> Decimal:
        return self.billed - (self.expected or Decimal(0))

    @property
    def e164(self) -> str:
        return f"+{self.number}" if self.number else ""

    @property
    def billed_line(self) -> BilledLine:
        return BilledLine(
            self.line, BilledFor(self.kind), self.e164, self.words, self.quantity, self.billed
        )


@dataclass
class Sums:
    lines: int = 0
    billed: Decimal = Decimal(0)
    expected: Decimal = Decimal(0)
    open_lines: int = 0
    disputed: int = 0


def _row(line: KeptLine) -> dict[str, object]:
    return {
        **vars(line),
        "quantity": format(line.quantity, "f"),
        "billed": format(line.billed, "f"),
        "expected": "" if line.expected is None else format(line.expected, "f"),
        "credited": format(line.credited, "f"),
        "verdict": line.verdict.value,
        "state": line.state.value,
    }


def _line(row: Any) -> KeptLine:
    return KeptLine(
        row.invoice,
        row.line,
        row.kind,
        row.number,
        row.words,
        Decimal(row.quantity),
        Decimal(row.billed),
        Decimal(row.expected) if row.expected else None,
        Verdict(row.verdict),
        LineState(row.state),
        row.why,
        row.who,
        Decimal(row.credited),
    )


def add(connection: Connection, invoice: Invoice, lines: Iterable[KeptLine]) -> None:
    connection.execute(insert(invoice_table), {**vars(invoice), "body": "{}"})
    replace_lines(connection, invoice.id, lines)


def replace_lines(connection: Connection, key: str, lines: Iterable[KeptLine]) -> None:
    connection.execute(delete(line_table).where(line_table.c.invoice == key))
    if rows := [_row(line) for line in lines]:
        connection.execute(insert(line_table), rows)


def same(connection: Connection, invoice: Invoice) -> Invoice | None:
    """One of the same account that has its reference or its content."""
    table = invoice_table
    query = select(table).where(
        table.c.account == invoice.account,
        or_(table.c.reference == invoice.reference, table.c.digest == invoice.digest),
    )
    row = connection.execute(query.limit(1)).first()
    return _invoice(row) if row is not None else None


def _invoice(row: Any) -> Invoice:
    return Invoice(
        row.id,
        row.account,
        row.reference,
        row.month,
        row.currency,
        row.digest,
        row.received_at,
        row.received_by,
    )


def get(connection: Connection, key: str) -> Invoice:
    """Raises NotFound."""
    row = connection.execute(select(invoice_table).where(invoice_table.c.id == key)).first()
    if row is None:
        raise NotFound("There is no such invoice.", subject="invoice", id=key)
    return _invoice(row)


def list_invoices(connection: Connection) -> list[Invoice]:
    """The latest month first."""
    table = invoice_table
    query = select(table).order_by(table.c.month.desc(), table.c.received_at.desc())
    return [_invoice(row) for row in connection.execute(query.limit(MOST_LISTED))]


def sums(connection: Connection, key: str) -> dict[str, Sums]:
    """By verdict; amounts are summed as decimals, not as floats."""
    table = line_table
    query = select(table.c.verdict, table.c.state, table.c.billed, table.c.expected).where(
        table.c.invoice == key
    )
    found: dict[str, Sums] = {}
    for verdict, state, billed, expected in connection.execute(query):
        one = found.setdefault(verdict, Sums())
        one.lines += 1
        one.billed += Decimal(billed)
        one.expected += Decimal(expected or 0)
        one.open_lines += state == LineState.OPEN.value
        one.disputed += state == LineState.DISPUTED.value
    return found


def lines(
    connection: Connection, key: str, verdict: str, *, after: int, limit: int
) -> list[KeptLine]:
    table = line_table
    query = select(table).where(table.c.invoice == key, table.c.line > after)
    if verdict:
        query = query.where(table.c.verdict == verdict)
    return [_line(row) for row in connection.execute(query.order_by(table.c.line).limit(limit))]


def chosen(connection: Connection, key: str, numbers: Sequence[int]) -> list[KeptLine]:
    table = line_table
    query = select(table).where(table.c.invoice == key, table.c.line.in_(list(numbers)))
    return [_line(row) for row in connection.execute(query.order_by(table.c.line))]


def save_lines(connection: Connection, changed: Sequence[KeptLine]) -> None:
    table = line_table
    at = table.c.invoice == bindparam("of"), table.c.line == bindparam("at")
    connection.execute(
        update(table)
        .where(*at)
        .values(
            state=bindparam("new_state"),
            why=bindparam("new_why"),
            who=bindparam("new_who"),
            credited=bindparam("new_credited"),
        ),
        [
            {
                "of": line.invoice,
                "at": line.line,
                "new_state": line.state.value,
                "new_why": line.why,
                "new_who": line.who,
                "new_credited": format(line.credited, "f"),
            }
            for line in changed
        ],
    )


def with_open_lines(connection: Connection, in_order: Iterable[str], limit: int) -> list[str]:
    """Invoices of which lines that are not `in_order` are still to be settled, by their ids."""
    table = line_table
    query = (
        select(table.c.invoice)
        .where(table.c.state == LineState.OPEN.value, table.c.verdict.not_in(list(in_order)))
        .distinct()
        .limit(limit)
    )
    return list(connection.execute(query).scalars())


def has_decided(connection: Connection, key: str) -> bool:
    table = line_table
    query = select(table.c.line).where(
        table.c.invoice == key, table.c.state != LineState.OPEN.value
    )
    return connection.execute(query.limit(1)).first() is not None


def remove(connection: Connection, key: str) -> None:
    connection.execute(delete(line_table).where(line_table.c.invoice == key))
    connection.execute(delete(invoice_table).where(invoice_table.c.id == key))
