"""Carriers' invoices: read, held against what the month should have cost, disputed or accepted."""

import csv
import hashlib
import io
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import Money, counted, in_currency
from sedge.core.imports.fields import fingerprint
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Carrier, Number, Product
from sedge.core.spend.costs import CostKind
from sedge.core.spend.invoice_rows import FIELDS, InvoiceReader, missing, recognised
from sedge.core.spend.invoices import (
    IN_ORDER,
    NEXT_STATES,
    BilledFor,
    BilledLine,
    Expected,
    Judged,
    LineState,
    Verdict,
    judge,
)
from sedge.core.spend.months import Month
from sedge.formats import sheets
from sedge.formats.spend.dispute_letter import DisputeFacts, dispute_letter
from sedge.formats.spend.ubl_invoice import is_xml, read_ubl
from sedge.services.context import Context
from sedge.services.retiring import retiring
from sedge.services.spend import costs
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.spend import invoices as store
from sedge.store.repositories.spend import settings as spend_settings
from sedge.store.repositories.spend.invoices import Invoice, KeptLine
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import projected, tables

MOST_BYTES = 60_000_000
MOST_LINES = 200_000
MOST_SHOWN = 500
MOST_RELEASED = 500
LONGEST_REFERENCE, LONGEST_WHY = 80, 400


@dataclass(frozen=True)
class Read:
    """An invoice's rows before anything is kept."""

    reference: str
    currency: str
    month: str
    lines: list[BilledLine]


def receive(
    context: Context,
    account: str,
    content: bytes,
    *,
    reference: str = "",
    month: str = "",
    mapping: dict[str, int] | None = None,
) -> Invoice:
    """Read a CSV, XLSX or UBL 2.1 file and judge every line of it. `mapping` says which column
    (from 0) is which, once for a carrier. Raises NotFound, NotUnderstood with the line,
    NotAllowedNow for an invoice that is here already."""
    context.require(May.KEEP_BOOKS)
    if len(content) > MOST_BYTES:
        raise NotUnderstood("An invoice may have 60 MB; this is larger.", field="file")
    with context.reading() as reading:
        of = reading.records.the(Account, account)
        products = [p.name for p in reading.records.all(Product)]
    found = _read(context, of, content, products, mapping)
    name = " ".join((reference or found.reference).split())[:LONGEST_REFERENCE]
    if not name:
        raise NotUnderstood("Type the invoice's reference.", field="reference")
    when = Month.read(month or found.month or str(Month.of(context.now()).later(-1)))
    if found.currency and found.currency != of.balance.currency:
        message = (
            f"The invoice is in {found.currency}; {of.name} is in {of.balance.currency}. Choose"
            " another account."
        )
        raise NotUnderstood(message, field="account", reason="currency")
    judged = list(judge(found.lines, expected_of(context, of, when), of.balance.currency))
    invoice = Invoice(
        id=context.new_id("invoice"),
        account=of.id,
        reference=name,
        month=str(when),
        currency=of.balance.currency,
        digest=hashlib.sha256(content).hexdigest(),
        received_at=context.now(),
        received_by=context.actor,
    )
    with context.writing() as writing:
        if known := store.same(writing.connection, invoice):
            message = f"Invoice {known.reference} of {of.name} is here already."
            raise NotAllowedNow(message, reason="exists", field="file", id=known.id)
        store.add(writing.connection, invoice, [_kept(invoice, one) for one in judged])
        if mapping:
            name_of = _columns_name(of, _header(content))
            spend_settings.keep(writing.connection, name_of, mapping)
        title = f"{name}, {of.name}"
        writing.record_event("invoice.received", Subject.ACCOUNT, of.id, title)
    return invoice


def _kept(invoice: Invoice, one: Judged) -> KeptLine:
    return KeptLine(
        invoice.id,
        one.billed.line,
        one.billed.about.value,
        int(one.billed.number) if one.billed.number else None,
        one.billed.words,
        one.billed.quantity,
        one.billed.amount,
        one.expected,
        one.verdict,
        LineState.OPEN,
        "",
        "",
        Decimal(0),
    )


def _header(content: bytes) -> list[str]:
    if is_xml(content):
        return []
    text = sheets.text_of(content)
    return next(csv.reader(io.StringIO(text), delimiter=delimiter_of(text)), [])


def delimiter_of(text: str) -> str:
    first = next((line for line in text.splitlines() if line.strip()), "")
    return max(",;\t|", key=first.count)


def _columns_name(account: Account, header: Sequence[str]) -> str:
    return f"invoice columns {fingerprint([account.carrier, *header])}"


def _read(
    context: Context,
    account: Account,
    content: bytes,
    products: Sequence[str],
    mapping: dict[str, int] | None,
) -> Read:
    home, currency = context.organisation.home_country, account.balance.currency
    if is_xml(content):
        ubl = read_ubl(content)
        names = list(FIELDS)
        by_place = {name: at for at, name in enumerate(names)}
        reader = InvoiceReader(by_place, home=home, currency=currency, products=products)
        rows = [[row.get(name, "") for name in names] for row in ubl.rows]
        return Read(ubl.reference, ubl.currency, ubl.month, _lines(reader, rows, 1))
    text = sheets.text_of(content)
    try:
        found = [r for r in csv.reader(io.StringIO(text), delimiter=delimiter_of(text)) if any(r)]
    except csv.Error as error:
        message = f"The file can't be read as CSV: {error}. Check the quotes."
        raise NotUnderstood(message, field="file") from error
    if len(found) < 2:
        raise NotUnderstood("The invoice has no line.", field="file")
    header, *rows = found
    with context.reading() as reading:
        known = spend_settings.read(reading.connection, _columns_name(account, header))
    columns = mapping or known or recognised(header)
    if lacking := missing(columns):
        message = f"The invoice has no column for: {', '.join(lacking)}."
        raise NotUnderstood(message, field="file", reason="columns", header=header)
    reader = InvoiceReader(columns, home=home, currency=currency, products=products)
    return Read("", "", "", _lines(reader, rows, 2))


def _lines(reader: InvoiceReader, rows: Sequence[Sequence[str]], first: int) -> list[BilledLine]:
    if len(rows) > MOST_LINES:
        message = f"An invoice has at most {MOST_LINES:,} lines; this has {len(rows):,}."
        raise NotUnderstood(message, field="file", reason="too-many")
    found: list[BilledLine] = []
    for line, cells in enumerate(rows, start=first):
        try:
            found.append(reader.read(line, cells))
        except NotUnderstood as wrong:
            message = f"Line {line}: {wrong.message}"
            raise NotUnderstood(message, field="file", reason=wrong.field) from wrong
    return found


def expected_of(context: Context, account: Account, month: Month) -> Expected:
    """What an account should be billed for a month, from the one place that knows costs."""
    fees: dict[str, Decimal] = defaultdict(Decimal)
    calls: dict[str, Decimal] = defaultdict(Decimal)
    once: dict[str, Decimal] = defaultdict(Decimal)
    for line in costs.lines_of(context.as_system(), month, detailed=True):
        if line.account != account.id or line.currency != account.balance.currency:
            continue
        match line.kind:
            case CostKind.NUMBERS:
                fees[line.thing] += line.amount
            case CostKind.CALLS:
                calls[line.thing] += line.amount
            case CostKind.ONCE:
                once[line.thing.casefold()] += line.amount
            case CostKind.SEATS:
                pass  # no carrier's account is charged for them
    return Expected(fees, calls, {}, once, _released(context, account, month))


def _released(context: Context, account: Account, month: Month) -> frozenset[str]:
    """Numbers of the account's carrier that were gone before the month began."""
    span = projected.span
    query = (
        select(span.c.number)
        .where(span.c.carrier == account.carrier)
        .group_by(span.c.number)
        .having(func.max(func.coalesce(span.c.until, month.ends)) <= month.starts)
    )
    ended = (
        select(span.c.number)
        .where(
            span.c.carrier == account.carrier,
            span.c.state.in_(["released", "ported out", "closed"]),
            span.c.since <= month.starts,
        )
        .distinct()
    )
    with context.reading() as reading:
        read = reading.connection.execute
        return frozenset(f"+{n}" for q in (query, ended) for n in read(q).scalars())


# ── looking ──


@dataclass(frozen=True)
class InvoiceView:
    """`verdicts`: how many lines, and what they are billed too much; `billed` and `expected` in
    all."""

    invoice: Invoice
    account: str
    verdicts: list[tuple[Verdict, int, Money]]
    billed: Money
    expected: Money
    open_lines: int
    disputed: int

    @property
    def too_much(self) -> Money:
        return self.billed - self.expected


def list_invoices(context: Context) -> list[InvoiceView]:
    with context.reading() as reading:
        found = store.list_invoices(reading.connection)
    return [view(context, invoice.id) for invoice in found]


def with_open_lines(context: Context, limit: int) -> list[InvoiceView]:
    """Invoices with lines to settle."""
    with context.reading() as reading:
        found = store.with_open_lines(reading.connection, [v.value for v in IN_ORDER], limit)
    return [view(context, key) for key in found]


def view(context: Context, key: str) -> InvoiceView:
    """Raises NotFound."""
    with context.reading() as reading:
        invoice = store.get(reading.connection, key)
        sums = store.sums(reading.connection, key)
        account = reading.records.find(Account, invoice.account)

    def money(amount: Decimal) -> Money:
        return Money(amount=amount, currency=invoice.currency)

    verdicts = [(Verdict(v), s.lines, money(s.billed - s.expected)) for v, s in sums.items()]
    verdicts.sort(key=lambda row: (row[0] in IN_ORDER, -abs(row[2].amount)))
    return InvoiceView(
        invoice,
        account.name if account else invoice.account,
        verdicts,
        money(sum((s.billed for s in sums.values()), Decimal(0))),
        money(sum((s.expected for s in sums.values()), Decimal(0))),
        sum(s.open_lines for v, s in sums.items() if Verdict(v) not in IN_ORDER),
        sum(s.disputed for s in sums.values()),
    )


def lines(
    context: Context, key: str, verdict: str = "", *, after: int = 0, limit: int = MOST_SHOWN
) -> list[KeptLine]:
    """Lines in their order, of one verdict or of all. Raises NotFound, NotUnderstood."""
    if verdict and verdict not in set(Verdict):
        raise NotUnderstood(f"“{verdict[:30]}” is no verdict.", field="verdict")
    with context.reading() as reading:
        store.get(reading.connection, key)
        return store.lines(reading.connection, key, verdict, after=after, limit=limit)


def draft_release(context: Context, key: str, chosen: Sequence[int]) -> WorkOrder:
    """A work order that gives up the numbers of some lines, where it is our side that pays for what
    nobody needs. Raises NotFound; NotUnderstood where none of them is ours."""
    context.require(May.RELEASE)
    wanted = set(chosen)
    with context.reading() as reading:
        store.get(reading.connection, key)
        billed = store.lines(reading.connection, key, "", after=0, limit=MOST_LINES)
        numbers = {int(x.number) for x in billed if x.line in wanted and x.number}
        ours = reading.records.where(
            Number, is_open(), tables.life.c.number.in_(numbers), limit=MOST_RELEASED + 1
        )
    if not 1 <= len(ours) <= MOST_RELEASED:
        message = (
            f"At most {MOST_RELEASED:,} numbers at a time."
            if ours
            else "Choose lines of numbers that are ours."
        )
        raise NotUnderstood(message, field="lines", reason="none")
    tasks = retiring.many(context, [n.e164 for n in ours], then="release", rest=None)
    title = f"Give up {counted(len(ours), 'billed number')}"
    return workorders.draft(context, title, tasks, look=True)


# ── deciding ──


def settle(
    context: Context,
    key: str,
    chosen: Sequence[int],
    state: LineState,
    why: str,
    credited: Decimal | None = None,
) -> int:
    """Dispute, accept or note as credited lines of an invoice, with why and by whom; how many.
    Raises NotFound, NotUnderstood, NotAllowedNow."""
    context.require(May.KEEP_BOOKS)
    why = " ".join(why.split())
    if state in {LineState.DISPUTED, LineState.ACCEPTED} and not why:
        raise NotUnderstood("Say why; it is kept with the lines.", field="why")
    if len(why) > LONGEST_WHY:
        raise NotUnderstood(f"At most {LONGEST_WHY} characters.", field="why")
    with context.writing(reason=why) as writing:
        invoice = store.get(writing.connection, key)
        found = store.chosen(writing.connection, key, chosen)
        if not found or len(found) != len(set(chosen)):
            raise NotUnderstood("Choose lines of this invoice.", field="lines")
        for line in found:
            if line.verdict in IN_ORDER:
                message = f"Line {line.line} is right: there is nothing to settle."
                raise NotAllowedNow(message, reason="right")
            if state not in NEXT_STATES[line.state]:
                message = f"Line {line.line} is {line.state}, so it can't be {state}."
                raise NotAllowedNow(message, reason="state")
        after = [
            replace(
                line,
                state=state,
                why=why or line.why,
                who=context.actor,
                credited=_credit(line, state, credited),
            )
            for line in found
        ]
        store.save_lines(writing.connection, after)
        title = f"{invoice.reference}: {len(after)} {state}"
        writing.record_event(f"invoice.{state}", Subject.ACCOUNT, invoice.account, title)
    return len(after)


def _credit(line: KeptLine, state: LineState, amount: Decimal | None) -> Decimal:
    if state is not LineState.CREDITED:
        return Decimal(0)
    return amount if amount is not None else line.too_much


def judge_again(context: Context, key: str) -> InvoiceView:
    """Hold an invoice against what is known now; what was decided about its lines stays."""
    context.require(May.KEEP_BOOKS)
    with context.reading() as reading:
        invoice = store.get(reading.connection, key)
        account = reading.records.the(Account, invoice.account)
        kept = store.lines(reading.connection, key, "", after=0, limit=MOST_LINES)
    billed = [line.billed_line for line in kept if line.verdict is not Verdict.NOT_BILLED]
    judged = judge(
        billed, expected_of(context, account, Month.read(invoice.month)), invoice.currency
    )
    decided = {(line.kind, line.number, line.words): line for line in kept}
    after: list[KeptLine] = []
    for one in judged:
        new = _kept(invoice, one)
        old = decided.get((new.kind, new.number, new.words))
        if old is not None and old.verdict is new.verdict:
            new = replace(new, state=old.state, why=old.why, who=old.who, credited=old.credited)
        after.append(new)
    with context.writing(reason="checked against what is known now") as writing:
        store.replace_lines(writing.connection, key, after)
        writing.touch()
    return view(context, key)


def remove(context: Context, key: str) -> None:
    """Take away an invoice that came in by mistake. Raises NotFound, NotAllowedNow."""
    context.require(May.KEEP_BOOKS)
    with context.writing() as writing:
        invoice = store.get(writing.connection, key)
        if store.has_decided(writing.connection, key):
            message = "Lines of this invoice were disputed or accepted, so it stays."
            raise NotAllowedNow(message, reason="decided")
        store.remove(writing.connection, key)
        writing.record_event("invoice.removed", Subject.ACCOUNT, invoice.account, invoice.reference)


def letter(context: Context, key: str) -> bytes:
    """The letter about all disputed lines. Raises NotFound, NotAllowedNow."""
    with context.reading() as reading:
        invoice = store.get(reading.connection, key)
        account = reading.records.the(Account, invoice.account)
        carrier = reading.records.the(Carrier, account.carrier)
        kept = store.lines(reading.connection, key, "", after=0, limit=MOST_LINES)
    disputed = [line for line in kept if line.state is LineState.DISPUTED]
    if not disputed:
        message = "No line is disputed. Choose lines and dispute them first."
        raise NotAllowedNow(message, reason="nothing")

    def shown(amount: Decimal | None) -> str:
        return "–" if amount is None else in_currency(amount, invoice.currency)

    total = sum((line.too_much for line in disputed), Decimal(0))
    return dispute_letter(
        DisputeFacts(
            context.organisation.name,
            carrier.name,
            account.theirs or account.id,
            invoice.reference,
            Month.read(invoice.month).name,
            f"{context.now():%-d %B %Y}",
            tuple(
                (
                    str(line.line),
                    about(line),
                    shown(line.billed),
                    shown(line.expected),
                    f"{line.verdict.capitalize()}. {line.why}",
                )
                for line in disputed
            ),
            shown(total),
            context.actor,
        )
    )


def about(line: KeptLine) -> str:
    """What a line is about, as people read it."""
    shown = describe(line.e164).shown if line.e164 else ""
    if line.kind == BilledFor.CALLS and shown:
        return f"calls of {shown}"
    return " ".join(part for part in (shown, line.words) if part) or line.kind
