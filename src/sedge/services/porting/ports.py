"""Ports: from pasted numbers to ports, their papers and dates; what the losing carrier
answers; the calendar of all."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.numbers.e164 import describe, read_one
from sedge.core.numbers.ranges import NumberSet
from sedge.core.porting.bill import Compared, compare
from sedge.core.porting.dates import (
    Earliest,
    earliest,
    holiday_parts,
    part_of,
    refused_day,
)
from sedge.core.porting.lead_times import LEADS
from sedge.core.porting.life import PortEvent, allows
from sedge.core.porting.records import AccountDetails, Port, PortState, Said
from sedge.core.porting.reducers import gone_through
from sedge.core.porting.rejections import Rejection, rejection
from sedge.core.records import Account, Carrier, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.formats.porting.mandate import MandateFacts, mandate
from sedge.formats.porting.port_calendar import PortDate, write
from sedge.formats.sheets import text_of
from sedge.services.context import Context, Reading, Writing
from sedge.services.porting import change_freezes
from sedge.services.supply import documents
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

MOST_NUMBERS = 10_000
MOST_TEXT = 400
MOST_CODE = 40
MOST_BILL = 20_000
MOST_FILE = 1_000_000
LISTED = 200
FIELDS = tuple(AccountDetails.model_fields)


# ── planning ──


def with_file(text: str, content: bytes) -> str:
    """What was typed, and what a file says beside it (CSV, XLSX or text). Raises NotUnderstood."""
    if len(content) > MOST_FILE:
        raise NotUnderstood(
            "A file of numbers may have 1 MB; this is larger. Leave out the columns without"
            " numbers.",
            field="file",
        )
    return f"{text}\n{text_of(content)}" if content else text


# ── one port ──


@dataclass(frozen=True)
class Lacking:
    """Something a port needs before it can be submitted; `done` with what there is."""

    what: str
    done: bool
    says: str


@dataclass(frozen=True)
class PortView:
    """`lacking` in the order in which it is done; `rejection` with its remedy while it is rejected;
    `earliest` from now; `wrong_day` why nothing can be switched on the day the losing carrier
    named; `silent`: it is past the time it has to answer in.
    """

    port: Port
    site: Site
    account: Account
    gaining: Carrier
    earliest: Earliest | None
    lacking: list[Lacking]
    rejected: tuple[Said, Rejection] | None
    ranges: list[str]
    wrong_day: str
    silent: bool

    @property
    def code_name(self) -> str:
        """What the country calls the code that each number has there; '' where it has none."""
        return LEADS[self.port.country].needs_code if self.port.country in LEADS else ""

    @property
    def parts(self) -> list[tuple[str, str]]:
        """Parts of the country with public holidays of their own."""
        return holiday_parts(self.port.country)

    def may(self, event: str) -> bool:
        return allows(self.port.state, PortEvent(event))


def list_ports(context: Context) -> list[Port]:
    with context.reading() as reading:
        return reading.records.where(Port, order_by=tables.port.c.no.desc(), limit=LISTED)


def open_ports(reading: Reading | Writing) -> list[Port]:
    return reading.records.where(Port, tables.port.c.open.is_(True), order_by=tables.port.c.no)


def view_port(context: Context, key: str) -> PortView:
    """Raises NotFound."""
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        account = reading.records.the(Account, port.account)
        site, gaining = (
            reading.records.the(Site, port.site),
            reading.records.the(Carrier, account.carrier),
        )
        free = change_freezes.blackouts(reading, port.site)
    when = None
    if port.numbers and port.state in {PortState.DRAFT, PortState.READY, PortState.REJECTED}:
        when = earliest(
            port.country,
            context.now(),
            subdivision=port.subdivision,
            numbers=len(port.numbers),
            timezone=site.timezone,
            blackouts=free,
            toll_free=port.toll_free,
        )
    last = next((s for s in reversed(port.said) if s.what == "rejected"), None)
    rejected = (
        (last, rejection(last.code))
        if last and port.state in {PortState.REJECTED, PortState.DRAFT}
        else None
    )
    spans = [
        (describe(f"+{s.first}").shown, describe(f"+{s.last}").shown, s.last - s.first + 1)
        for s in NumberSet.of(port.numbers).spans
    ]
    told = [
        first if first == last_ else f"{first} to {last_} ({count})"
        for first, last_, count in spans
    ]
    wrong = ""
    if port.foc and port.state in {PortState.ACCEPTED, PortState.DUE}:
        wrong = refused_day(port.country, port.subdivision, port.foc, free, site.timezone)
    return PortView(
        port,
        site,
        account,
        gaining,
        when,
        _lacking(port),
        rejected,
        told,
        wrong,
        port.is_silent(context.now()),
    )


def _lacking(port: Port) -> list[Lacking]:
    d = port.details
    told = [
        w
        for w, v in (
            ("account number", d.account),
            ("account holder", d.name),
            ("billing address", d.address),
        )
        if not v
    ]
    found = [
        Lacking(
            "The account, word for word",
            not told,
            f"missing: {', '.join(told)}" if told else f"{d.name}, {d.account}",
        )
    ]
    for line in (x for x in port.lines if x.carries_something):
        settled = next((s for s in port.settled if line.e164 in s), "")
        found.append(
            Lacking(
                f"{describe(line.e164).shown} carries the {line.hangs}",
                bool(settled),
                settled.partition(": ")[2] or "what becomes of it?",
            )
        )
    if port.left_behind and any(x.is_main_billing_number for x in port.lines):
        main = d.new_main_number
        found.append(
            Lacking(
                "A new main billing number",
                bool(main),
                describe(main).shown if main else "numbers stay behind: which becomes it?",
            )
        )
    if code := LEADS[port.country].needs_code if port.country in LEADS else "":
        without = sum(not x.code for x in port.lines if not x.refused)
        found.append(
            Lacking(
                f"The {code} of each number",
                not without,
                (
                    f"{without:,} of {len(port.numbers):,} missing; ask for it from the line itself"
                    if without
                    else "all told"
                ),
            )
        )
    found.append(
        Lacking(
            "The mandate, signed",
            bool(port.signed),
            f"by {port.signed}" if port.signed else "print it and have it signed",
        )
    )
    return found


def change_port(context: Context, key: str, form: dict[str, str]) -> Port:
    """Account details, the day wished for, what becomes of lines that something hangs on. What was
    signed is to be signed again.

    `version` is the one the form was filled in from. Raises NotUnderstood naming the field,
    ChangedMeanwhile, NotAllowedNow while the losing carrier has it.
    """
    context.require(May.PORT)
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        if form.get("version", str(port.version)) != str(port.version):
            raise ChangedMeanwhile(
                "Somebody else has changed this port meanwhile. Open it again, then type yours.",
                subject=Subject.PORT,
                id=key,
            )
        values = {name: form.get(name, "").strip() for name in FIELDS}
        if long := next((n for n, v in values.items() if len(v) > MOST_TEXT), None):
            raise NotUnderstood(f"At most {MOST_TEXT} characters.", field=long)
        for name in ("main_number", "new_main_number"):
            values[name] = _number(values[name], port, name)
        settled = tuple(
            f"{x.e164}: {said}"
            for x in port.lines
            if (said := form.get(f"settle:{x.e164}", "").strip()[:MOST_TEXT])
        )
        codes = _codes(port, form)
        lines = tuple(x.copy_with(code=codes[x.e164]) for x in port.lines)
        after = {
            "details": AccountDetails(**values),
            "settled": settled,
            "lines": lines,
            "wanted": day_of(form.get("wanted", "")),
            "signed": "",
            "subdivision": part_of(port.country, form.get("subdivision", port.subdivision)),
        }
        return writing.save([gone_through(port, PortEvent.CHANGE, **after)])[0].after


def _codes(port: Port, form: dict[str, str]) -> dict[str, str]:
    """The codes of numbers: from a field each, or pasted, a number and its code a line. Raises
    NotUnderstood naming the line."""
    told = {x.e164: form.get(f"code:{x.e164}", x.code).strip()[:MOST_CODE] for x in port.lines}
    for no, line in enumerate(form.get("codes", "").splitlines(), start=1):
        number, *rest = (part.strip() for part in re.split(r"[;,:\t|]", line, maxsplit=1))
        if not number:
            continue
        if not rest:
            raise NotUnderstood(
                f"Line {no}: put a semicolon or a tab between the number and its code.",
                field="codes",
            )
        e164 = _number(number, port, "codes")
        if e164 not in told:
            raise NotUnderstood(
                f"Line {no}: {describe(e164).shown} is not in this port.", field="codes"
            )
        told[e164] = rest[0][:MOST_CODE]
    lead = LEADS.get(port.country)
    wrong = next(
        (
            (e164, why)
            for e164, code in told.items()
            if lead and code and (why := lead.code_problem(code))
        ),
        None,
    )
    if wrong:
        field = "codes" if form.get("codes", "").strip() else f"code:{wrong[0]}"
        raise NotUnderstood(f"{describe(wrong[0]).shown}: {wrong[1]}", field=field)
    return told


def _number(typed: str, port: Port, field: str) -> str:
    return read_one(typed, port.country, field=field) if typed else ""


def day_of(typed: str) -> date | None:
    try:
        return date.fromisoformat(typed) if typed.strip() else None
    except ValueError as error:
        raise NotUnderstood(
            "Type the day as 2026-12-24; there has to be such a day.", field="wanted"
        ) from error


def compare_with_bill(context: Context, key: str, bill: str) -> list[Compared]:
    """What is told of the account beside the text of the losing carrier's bill; nothing is kept.
    Raises NotUnderstood."""
    if not bill.strip():
        raise NotUnderstood("Paste the text of the bill.", field="bill")
    if len(bill) > MOST_BILL:
        raise NotUnderstood(
            f"At most {MOST_BILL:,} characters; the first page is enough.", field="bill"
        )
    found = compare(view_port(context, key).port.details, bill)
    if not found:
        raise NotUnderstood(
            "Nothing is told of the account yet. Fill it in and keep it first.", field="bill"
        )
    return found


def put_bill(context: Context, key: str, filename: str, content: bytes) -> Port:
    """The bill from which the account was copied, kept on file with the port. Raises NotUnderstood
    for what is no PDF or picture."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
    document = documents.put_on_file(
        context,
        paper="bill of a losing carrier",
        filename=filename,
        content=content,
        title=f"Bill of {port.losing}, port {port.no}",
    )
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        return writing.save(
            [changed(Subject.PORT, port, port.copy_with(bill=document.id), "port.bill-filed")]
        )[0].after


def leave_out(context: Context, key: str, number: str) -> Port:
    """A number that is not to move after all; it stays on the account. Raises NotAllowedNow for the
    last one."""
    context.require(May.PORT)
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        left = tuple(x for x in port.lines if x.e164 != number)
        if not left:
            raise NotAllowedNow(
                "This is the last number of the port; cancel it instead.", reason="last"
            )
        behind = (*port.left_behind, number) if number in port.numbers else port.left_behind
        return writing.save(
            [gone_through(port, PortEvent.CHANGE, lines=left, left_behind=behind, signed="")]
        )[0].after


def sign(context: Context, key: str, by: str) -> Port:
    """The mandate is signed, by whom. Raises NotUnderstood."""
    context.require(May.PORT)
    if not 2 <= len(by.strip()) <= 120:
        raise NotUnderstood("Who signed the mandate?", field="signed")
    with context.writing() as writing:
        return writing.save(
            [gone_through(writing.records.the(Port, key), PortEvent.SIGN, signed=by.strip())]
        )[0].after


def submission(context: Context, key: str) -> WorkOrder:
    """A draft that submits the port: its checks say what the losing carrier would refuse."""
    with context.reading() as reading:
        port = reading.records.the(Port, key)
    return workorders.draft(
        context,
        f"Submit port {port.no}: {counted(len(port.numbers), 'number')} from {port.losing}",
        [t.SubmitPort(port=key)],
    )


# ── papers and dates ──


def mandate_of(context: Context, key: str) -> bytes:
    """The customer's mandate (PDF), from the record."""
    view = view_port(context, key)
    port, d = view.port, view.port.details
    account = tuple(
        (name, getattr(d, name))
        for name in ("name", "address", "account", "pin")
        if getattr(d, name)
    )
    account += tuple(
        (name, describe(getattr(d, name)).shown)
        for name in ("main_number", "new_main_number")
        if getattr(d, name)
    )
    codes = tuple((x.e164, x.code) for x in port.lines if x.code and not x.refused)
    return mandate(
        MandateFacts(
            port.country,
            context.organisation.name,
            port.losing,
            view.gaining.name,
            f"port {port.no}",
            context.now().date(),
            account,
            port.numbers,
            codes,
            port.wanted,
            len(port.left_behind),
            port.toll_free,
        )
    )


DATE_KINDS = {"answer": "answer due"}


def _date(
    port: Port, kind: str, what: str, starts: datetime, *, hours: int, text: str = ""
) -> PortDate:
    ends = starts + timedelta(hours=hours)
    said = DATE_KINDS.get(kind, kind)
    return PortDate(f"{port.id}-{kind}", said, what, starts, ends, text, port.version)


def dates(context: Context, ports: Sequence[Port] | None = None) -> list[PortDate]:
    """What is due when: answers, switches, and for drafts the earliest day."""
    with context.reading() as reading:
        found = list(ports) if ports is not None else open_ports(reading)
        zones = {s.id: s.timezone for s in reading.records.many(Site, {p.site for p in found})}
        free = {site: change_freezes.blackouts(reading, site) for site in zones}
    entries: list[PortDate] = []
    for port in found:
        what = f"port {port.no}: {counted(len(port.numbers), 'number')} from {port.losing}"
        if port.foc:
            entries.append(_date(port, "switch", f"Switch {what}", port.foc, hours=6))
        elif port.state in {PortState.SUBMITTED, PortState.QUERIED} and port.answer_due:
            due = port.answer_due
            entries.append(_date(port, "answer", f"Answer due, {what}", due, hours=1))
        elif port.numbers and port.state in {PortState.DRAFT, PortState.READY}:
            when = earliest(
                port.country,
                context.now(),
                subdivision=port.subdivision,
                numbers=len(port.numbers),
                toll_free=port.toll_free,
                blackouts=free[port.site],
                timezone=zones.get(port.site, ""),
            )
            text = "\n".join(when.reasons)
            day = f"Earliest day, {what}"
            entries.append(_date(port, "earliest", day, when.moment, hours=6, text=text))
    return sorted(entries, key=lambda e: e.starts)


def calendar(context: Context, ports: Sequence[Port] | None = None) -> bytes:
    return write(dates(context, ports), context.now(), f"Ports of {context.organisation.name}")
