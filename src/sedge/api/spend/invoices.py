"""Carriers' invoices: sent in, judged line by line, disputed or accepted."""

from decimal import Decimal

from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from typing_extensions import TypedDict

from sedge.api.amounts import OptionalAmount
from sedge.api.answers import DraftedOut, MoneyOut, Page, drafted_out, moment, money
from sedge.api.imports.files import TheFile
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money
from sedge.core.spend.invoices import LineState
from sedge.services.spend import invoice_columns, invoices
from sedge.services.spend.invoice_columns import Pending
from sedge.services.spend.invoices import InvoiceView
from sedge.store.repositories.spend.invoices import KeptLine

resource = Resource(tags=["spend"])


class VerdictOut(TypedDict):
    """`too_much` is billed beyond what was expected; negative for too little."""

    verdict: str
    lines: int
    too_much: MoneyOut


class InvoiceOut(TypedDict):
    id: str
    account: str
    reference: str
    month: str
    received_at: str
    billed: MoneyOut
    expected: MoneyOut
    too_much: MoneyOut
    open_lines: int
    verdicts: list[VerdictOut]


class InvoiceLineOut(TypedDict):
    """`expected` null: nothing like it was expected."""

    line: int
    kind: str
    number: str | None
    words: str
    billed: MoneyOut
    expected: MoneyOut | None
    verdict: str
    state: str
    why: str
    who: str
    credited: MoneyOut


class SettledAsked(BaseModel):
    """`state`: disputed, credited, accepted, or open again. `credited` where it is not what was
    billed too much."""

    model_config = ConfigDict(extra="forbid")
    lines: list[int] = Field(min_length=1, max_length=10_000)
    state: LineState
    why: str = Field(default="", max_length=2000)
    credited: OptionalAmount = ""


class SettledOut(TypedDict):
    settled: int


class InvoiceColumnOut(TypedDict):
    """A column by its position from 0; `taken_for`: what it is taken for, '' where that is not
    known."""

    position: int
    heading: str
    first: str
    taken_for: str


class PendingInvoiceOut(TypedDict):
    """An invoice that was sent in and whose columns somebody has to name."""

    id: str
    account: str
    reference: str
    month: str
    columns: list[InvoiceColumnOut]


class ColumnsNamed(BaseModel):
    """The position of each column that is known, from 0; `amount` must be among them."""

    model_config = ConfigDict(extra="forbid")
    number: int | None = Field(default=None, ge=0)
    words: int | None = Field(default=None, ge=0)
    quantity: int | None = Field(default=None, ge=0)
    amount: int | None = Field(default=None, ge=0)
    kind: int | None = Field(default=None, ge=0)
    currency: int | None = Field(default=None, ge=0)
    account: int | None = Field(default=None, ge=0)


@resource.write("/imports/invoices", May.KEEP_BOOKS)
async def import_invoice(
    context: RequestContext, data: TheFile, account: str, reference: str = "", month: str = ""
) -> InvoiceOut:
    """A CSV, XLSX or UBL 2.1 file as the body; of the carrier account, for a month (`2026-10`),
    which UBL names itself. A table whose columns are not known is kept: the answer (422, reason
    `columns`) names it as `pending`, and it goes on at `/invoices/pending/{key}/columns`."""

    def done() -> InvoiceOut:
        made = invoice_columns.receive(
            context, account, data.read(), reference=reference, month=month
        )
        if isinstance(made, invoice_columns.Pending):
            lacking = ", ".join(made.lacking)
            message = f"Say which column has: {lacking}. The invoice is kept until you do."
            raise NotUnderstood(message, field="file", reason="columns", pending=made.id)
        return _out(invoices.view(context, made.id))

    return await run_in_threadpool(done)


@resource.read("/invoices", May.SEE_MONEY)
def invoice_list(context: RequestContext) -> Page[InvoiceOut]:
    return {"items": [_out(one) for one in invoices.list_invoices(context)], "next": None}


@resource.read("/invoices/pending", May.SEE_MONEY)
def pending_invoices(context: RequestContext) -> Page[PendingInvoiceOut]:
    """Those whose columns somebody has to name."""
    return {"items": [_pending_out(one) for one in invoice_columns.waiting(context)], "next": None}


@resource.read("/invoices/pending/{key}", May.SEE_MONEY)
def pending_invoice(context: RequestContext, key: str) -> PendingInvoiceOut:
    return _pending_out(invoice_columns.get(context, key))


@resource.write("/invoices/pending/{key}/columns", May.KEEP_BOOKS)
def name_columns(context: RequestContext, key: str, asked: ColumnsNamed) -> InvoiceOut:
    """The invoice, judged; the names are remembered for the carrier's next ones."""
    made = invoice_columns.settle(context, key, asked.model_dump(exclude_none=True))
    return _out(invoices.view(context, made.id))


@resource.write("/invoices/pending/{key}", May.KEEP_BOOKS, method="DELETE")
def discard_pending(context: RequestContext, key: str) -> Page[PendingInvoiceOut]:
    invoice_columns.discard(context, key)
    return pending_invoices(context)


@resource.read("/invoices/{key}", May.SEE_MONEY)
def invoice(context: RequestContext, key: str) -> InvoiceOut:
    return _out(invoices.view(context, key))


@resource.read("/invoices/{key}/lines", May.SEE_MONEY)
def invoice_lines(
    context: RequestContext, key: str, verdict: str = "", after: int = 0, limit: int = 100
) -> Page[InvoiceLineOut]:
    """In their order; `verdict` as in the invoice's own list."""
    least = min(max(after, 0), 2**31)
    count = min(max(limit, 1), 1000)
    found = invoices.lines(context, key, verdict, after=least, limit=count)
    currency = invoices.view(context, key).invoice.currency
    more = str(found[-1].line) if len(found) == count else None
    return {"items": [_line_out(line, currency) for line in found], "next": more}


@resource.write("/invoices/{key}/settle", May.KEEP_BOOKS)
def settle_lines(context: RequestContext, key: str, asked: SettledAsked) -> SettledOut:
    credited = Decimal(asked.credited) if asked.credited else None
    done = invoices.settle(context, key, asked.lines, asked.state, asked.why, credited)
    return {"settled": done}


class ReleasedLinesAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lines: list[int] = Field(min_length=1, max_length=500)


@resource.write("/invoices/{key}/release", May.RELEASE)
def release_lines(context: RequestContext, key: str, asked: ReleasedLinesAsked) -> DraftedOut:
    """A draft of a work order that gives up the numbers of these lines."""
    return drafted_out(invoices.draft_release(context, key, asked.lines))


@resource.write("/invoices/{key}/judge", May.KEEP_BOOKS)
def judge_invoice(context: RequestContext, key: str) -> InvoiceOut:
    """Held against what is known now."""
    return _out(invoices.judge_again(context, key))


@resource.write("/invoices/{key}", May.KEEP_BOOKS, method="DELETE")
def remove_invoice(context: RequestContext, key: str) -> Page[InvoiceOut]:
    """One that came in by mistake, and of which nothing was decided."""
    invoices.remove(context, key)
    return invoice_list(context)


def _money(amount: Decimal, currency: str) -> MoneyOut:
    return money(Money(amount=amount, currency=currency))


def _out(one: InvoiceView) -> InvoiceOut:
    return {
        "id": one.invoice.id,
        "account": one.invoice.account,
        "reference": one.invoice.reference,
        "month": one.invoice.month,
        "received_at": moment(one.invoice.received_at),
        "billed": money(one.billed),
        "expected": money(one.expected),
        "too_much": money(one.too_much),
        "open_lines": one.open_lines,
        "verdicts": [
            {"verdict": verdict.value, "lines": lines, "too_much": money(amount)}
            for verdict, lines, amount in one.verdicts
        ],
    }


def _line_out(line: KeptLine, currency: str) -> InvoiceLineOut:
    return {
        "line": line.line,
        "kind": line.kind,
        "number": line.e164 or None,
        "words": line.words,
        "billed": _money(line.billed, currency),
        "expected": None if line.expected is None else _money(line.expected, currency),
        "verdict": line.verdict.value,
        "state": line.state.value,
        "why": line.why,
        "who": line.who,
        "credited": _money(line.credited, currency),
    }


def _pending_out(one: Pending) -> PendingInvoiceOut:
    return {
        "id": one.id,
        "account": one.account,
        "reference": one.reference,
        "month": one.month,
        "columns": [
            {"position": at, "heading": heading, "first": first, "taken_for": name}
            for at, heading, first, name in one.columns
        ],
    }
