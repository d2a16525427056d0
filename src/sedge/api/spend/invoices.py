"""Carriers' invoices: sent in, judged line by line, disputed or accepted."""

from decimal import Decimal

from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from typing_extensions import TypedDict

from sedge.api.amounts import OptionalAmount
from sedge.api.answers import DraftedOut, MoneyOut, Page, drafted_out, moment, money
from sedge.api.imports.files import TheFile
from sedge.api.routing import AtDesk, Resource
from sedge.core.access.roles import May
from sedge.core.facts import Money
from sedge.core.spend.invoices import LineState
from sedge.services.spend import invoices
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


@resource.write("/imports/invoices", May.KEEP_BOOKS)
async def import_invoice(
    desk: AtDesk, data: TheFile, account: str, reference: str = "", month: str = ""
) -> InvoiceOut:
    """A CSV, XLSX or UBL 2.1 file as the body; of the carrier account, for a month (`2026-10`),
    which UBL names itself."""

    def done() -> InvoiceOut:
        made = invoices.receive(desk, account, data.read(), reference=reference, month=month)
        return _out(invoices.view(desk, made.id))

    return await run_in_threadpool(done)


@resource.read("/invoices", May.SEE_MONEY)
def invoice_list(desk: AtDesk) -> Page[InvoiceOut]:
    return {"items": [_out(one) for one in invoices.list_invoices(desk)], "next": None}


@resource.read("/invoices/{key}", May.SEE_MONEY)
def invoice(desk: AtDesk, key: str) -> InvoiceOut:
    return _out(invoices.view(desk, key))


@resource.read("/invoices/{key}/lines", May.SEE_MONEY)
def invoice_lines(
    desk: AtDesk, key: str, verdict: str = "", after: int = 0, limit: int = 100
) -> Page[InvoiceLineOut]:
    """In their order; `verdict` as in the invoice's own list."""
    least = min(max(after, 0), 2**31)
    count = min(max(limit, 1), 1000)
    found = invoices.lines(desk, key, verdict, after=least, limit=count)
    currency = invoices.view(desk, key).invoice.currency
    more = str(found[-1].line) if len(found) == count else None
    return {"items": [_line_out(line, currency) for line in found], "next": more}


@resource.write("/invoices/{key}/settle", May.KEEP_BOOKS)
def settle_lines(desk: AtDesk, key: str, asked: SettledAsked) -> SettledOut:
    credited = Decimal(asked.credited) if asked.credited else None
    done = invoices.settle(desk, key, asked.lines, asked.state, asked.why, credited)
    return {"settled": done}


class ReleasedLinesAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lines: list[int] = Field(min_length=1, max_length=500)


@resource.write("/invoices/{key}/release", May.RELEASE)
def release_lines(desk: AtDesk, key: str, asked: ReleasedLinesAsked) -> DraftedOut:
    """A draft of a work order that gives up the numbers of these lines."""
    return drafted_out(invoices.draft_release(desk, key, asked.lines))


@resource.write("/invoices/{key}/judge", May.KEEP_BOOKS)
def judge_invoice(desk: AtDesk, key: str) -> InvoiceOut:
    """Held against what is known now."""
    return _out(invoices.judge_again(desk, key))


@resource.write("/invoices/{key}", May.KEEP_BOOKS, method="DELETE")
def remove_invoice(desk: AtDesk, key: str) -> Page[InvoiceOut]:
    """One that came in by mistake, and of which nothing was decided."""
    invoices.remove(desk, key)
    return invoice_list(desk)


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
