"""Orders on a form, for carriers that can't be reached over the wire: written, printed, marked
sent, arrivals entered."""

import csv
import io
import re
from datetime import date
from decimal import Decimal

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Capacity
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import MailFile, Money
from sedge.core.mail_addresses import is_mail_address
from sedge.core.numbers.e164 import describe, read
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Account, Address, Carrier, Order, Site, Spot, Subject
from sedge.core.supply.records import OrderForm
from sedge.core.supply.tasks import ArrivedLine
from sedge.core.workorders import tasks as t
from sedge.formats.letters import Letter
from sedge.formats.order_form import FormFacts, order_form
from sedge.services import mail
from sedge.services.carriers.payments import amount_in
from sedge.services.context import Context, Writing
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder

MOST = 1000
KINDS = ("geographic", "national", "toll-free", "mobile")
SENT_HOW = ("by mail", "by post", "by fax", "handed over")


def form_accounts(context: Context) -> list[tuple[Account, Carrier]]:
    """Accounts whose carrier takes orders on a form only."""
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        return [
            (a, carriers[a.carrier])
            for a in reading.records.all(Account)
            if a.carrier not in context.outside.carriers
        ]


def write(context: Context, typed: dict[str, str]) -> Order:
    """A new order on a form, not yet sent. Raises NotUnderstood naming the field."""
    context.require(May.BUY)
    account = next((a for a, _ in form_accounts(context) if a.id == typed.get("account")), None)
    if account is None:
        raise NotUnderstood(
            "Choose an account whose carrier takes orders on a form.", field="account"
        )
    reference = typed.get("reference", "").strip()
    if not 1 <= len(reference) <= 80:
        raise NotUnderstood(
            "Give the order a reference of 1 to 80 characters, so that you find it again.",
            field="reference",
        )
    if not typed.get("area", "").strip():
        raise NotUnderstood("Name an area, such as Bristol or 0117.", field="area")
    with context.writing() as writing:
        site = writing.records.the(Site, typed.get("site", ""))
        spot = writing.records.the(Spot, typed["spot"]).id if typed.get("spot") else None
        order = Order(
            id=context.new_id("form"),
            reference=reference,
            account=account.id,
            site=site.id,
            spot=spot,
            key=context.new_id("form-key"),
            lines=(),
            form=OrderForm(
                quantity=_quantity(typed.get("quantity", "")),
                area=typed["area"].strip()[:80],
                kind=_kind(typed.get("kind", "")),
                capacity=(
                    Capacity(typed["capacity"])
                    if typed.get("capacity") in set(Capacity)
                    else Capacity.ANY
                ),
                in_a_row=bool(typed.get("in_a_row")),
                wanted_by=_day(typed.get("wanted_by", ""), "wanted_by"),
                note=typed.get("note", "").strip()[:1000],
            ),
        )
        return writing.save([changed(Subject.ORDER, None, order, "order.form-written")])[0].after


def _quantity(text: str) -> int:
    if not (text.strip().isascii() and text.strip().isdigit() and 1 <= int(text) <= MOST):
        raise NotUnderstood(f"Ask for 1 to {MOST:,} numbers.", field="quantity")
    return int(text)


def _kind(text: str) -> str:
    if text and text not in KINDS:
        raise NotUnderstood(f"The kind is one of: {', '.join(KINDS)}.", field="kind")
    return text or "geographic"


def _day(text: str, field: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field=field) from error


def printed(context: Context, key: str) -> tuple[str, bytes]:
    """The order as PDF, with a name for the file. Raises NotFound, NotAllowedNow for one that went
    over the wire."""
    with context.reading() as reading:
        order = reading.records.the(Order, key)
        form = _form_of(order)
        account = reading.records.the(Account, order.account)
        carrier = reading.records.the(Carrier, account.carrier)
        site = reading.records.the(Site, order.site)
        address = reading.records.find(Address, site.address)
        spot = reading.records.find(Spot, order.spot)
    where = address.elements.one_line if address else ""
    rows = (
        ("Account", f"{account.name}{f', {account.theirs}' if account.theirs else ''}"),
        (
            "Numbers wanted",
            f"{form.quantity}{', in a row' if form.in_a_row and form.quantity > 1 else ''}",
        ),
        ("Kind and area", f"{form.kind}, {form.area}, {COUNTRIES[site.country].name}"),
        (
            "Calls at once",
            {"single": "one for each number", "many": "many for each number", "any": "any number"}[
                form.capacity
            ],
        ),
        ("For the site", f"{site.name}\n{where}" if where else site.name),
        *((("Emergency address", f"{where}\n{spot.name}"),) if spot else ()),
        *((("Wanted by", f"{form.wanted_by:%-d %B %Y}"),) if form.wanted_by else ()),
        ("Answer to", account.contact or context.who.email),
    )
    facts = FormFacts(
        title="Order of telephone numbers",
        to=f"{carrier.name}\n{carrier.contact}".strip(),
        sender=context.organisation.name,
        reference=order.reference,
        day=form.sent_on or context.now().date(),
        rows=rows,
        note=form.note,
    )
    name = re.sub(r"[^A-Za-z0-9-]+", "-", order.reference).strip("-").lower() or "order"
    return f"order-{name}.pdf", order_form(facts)


def _form_of(order: Order) -> OrderForm:
    if order.form is None:
        raise NotAllowedNow(
            f"Order {order.reference} went over the wire; there is no form of it.", reason="no-form"
        )
    return order.form


def mark_sent(context: Context, key: str, *, on: str, how: str) -> Order:
    """Somebody has sent the form; from now on it is waited for. Raises NotUnderstood,
    NotAllowedNow."""
    context.require(May.BUY)
    day = _day(on, "sent_on") or context.now().date()
    if day > context.now().date():
        raise NotUnderstood("This day is still to come.", field="sent_on")
    if how not in SENT_HOW:
        raise NotUnderstood(
            f"It went {', '.join(SENT_HOW[:-1])} or was {SENT_HOW[-1]}.", field="sent_how"
        )
    with context.writing() as writing:
        return _mark_sent(writing, key, day, how)


def _mark_sent(writing: Writing, key: str, day: date, how: str) -> Order:
    order = writing.records.the(Order, key)
    form = _form_of(order)
    if form.sent_on or order.refused:
        raise NotAllowedNow(
            f"Order {order.reference} is {'cancelled' if order.refused else 'sent already'}.",
            reason="sent",
        )
    after = order.copy_with(form=form.copy_with(sent_on=day, sent_how=how), placed_at=writing.now)
    return writing.save([changed(Subject.ORDER, order, after, "order.form-sent")])[0].after


def orders_to(context: Context, key: str) -> str:
    """The mail address that takes a carrier's orders: of a contact whose role speaks of orders,
    else of the first who has one, else the carrier's own; '' where nobody has said any."""
    with context.reading() as reading:
        order = reading.records.the(Order, key)
        account = reading.records.the(Account, order.account)
        carrier = reading.records.the(Carrier, account.carrier)
    contacts = sorted(carrier.contacts, key=lambda c: "order" not in c.role.lower())
    known = [*(c.mail for c in contacts), carrier.contact, account.contact]
    return next((mail for mail in known if is_mail_address(mail)), "")


def send_by_mail(context: Context, key: str, to: str = "") -> Order:
    """Mails the form as PDF, and what it asks for as CSV, and marks it as sent. Raises
    NotUnderstood; NotAllowedNow where it was sent, or no mail server is connected."""
    context.require(May.BUY)
    to = to.strip() or orders_to(context, key)
    if not is_mail_address(to):
        message = "Type the mail address that takes the carrier's orders."
        raise NotUnderstood(message, field="to", reason="address")
    if not context.outside.mail.is_connected:
        message = "No mail server is connected. Download the PDF and send it yourself."
        raise NotAllowedNow(message, reason="no-mail")
    name, paper = printed(context, key)
    with context.writing(reason=f"mailed to {to}") as writing:
        sent = _mark_sent(writing, key, writing.now.date(), "by mail")
        files = (
            MailFile(name, "application/pdf", paper),
            MailFile(name.replace(".pdf", ".csv"), "text/csv", _as_csv(sent).encode()),
        )
        text = (
            f"Please find attached our order {sent.reference}, as a form and as a table.\n\n"
            f"Answers go to {context.who.email}.\n\n{context.organisation.name}\n"
        )
        letter = Letter(f"Order {sent.reference}, {context.organisation.name}", text, files=files)
        mail.write(writing, f"order-form-{sent.id}"[:120], to, letter)
        writing.record_event("order.form-mailed", Subject.ORDER, sent.id, sent.reference)
    return sent


def _as_csv(order: Order) -> str:
    form = _form_of(order)
    facts = {
        "reference": order.reference,
        "quantity": form.quantity,
        "kind": form.kind,
        "area": form.area,
        "calls_at_once": form.capacity.value,
        "in_a_row": "yes" if form.in_a_row else "no",
        "wanted_by": form.wanted_by.isoformat() if form.wanted_by else "",
        "site": order.site,
        "remarks": form.note,
    }
    made = io.StringIO()
    rows = csv.DictWriter(made, list(facts))
    rows.writeheader()
    rows.writerow(facts)
    return made.getvalue()


def cancel(context: Context, key: str) -> Order:
    """Nothing more is waited for; the carrier must be told by whoever sent the form. What has
    arrived stays."""
    context.require(May.BUY)
    with context.writing() as writing:
        order = writing.records.the(Order, key)
        _form_of(order)
        if not order.is_open:
            raise NotAllowedNow(
                f"Nothing of order {order.reference} is waited for any more.", reason="settled"
            )
        return writing.save(
            [
                changed(
                    Subject.ORDER,
                    order,
                    order.copy_with(refused="cancelled by us"),
                    "order.form-cancelled",
                )
            ]
        )[0].after


def arrivals_in(
    context: Context, text: str, currency: str, *, setup: str, monthly: str
) -> list[ArrivedLine]:
    """Lines of a letter or a file: a number, and where they differ from the usual ones its set-up
    and monthly price, with commas, semicolons or tabs between. A first line of headings is passed
    over. Raises NotUnderstood naming the line.
    """
    usual = tuple(
        amount_in(context, x or "0", currency, field, least=Decimal(0))
        for x, field in ((setup, "setup"), (monthly, "monthly"))
    )
    delimiter = max(";\t,", key=text.count)
    found: dict[str, ArrivedLine] = {}
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:  # a cell of more than 131,072 characters
        message = "This is no list of numbers: one a line, with its prices where they differ."
        raise NotUnderstood(message, field="lines") from error
    for number, row in enumerate(rows, start=1):
        cells = [cell.strip() for cell in row]
        if not any(cells) or (number == 1 and not any(ch.isdigit() for ch in cells[0])):
            continue
        candidates = read(cells[0], context.organisation.home_country).candidates
        if len(candidates) != 1:
            raise NotUnderstood(
                f"Line {number}: “{cells[0][:40]}” is not one whole number.", field="lines"
            )
        try:
            prices = [
                (
                    amount_in(context, cells[i], currency, "lines", least=Decimal(0))
                    if len(cells) > i and cells[i]
                    else usual[i - 1]
                )
                for i in (1, 2)
            ]
        except NotUnderstood as error:
            raise NotUnderstood(f"Line {number}: {error.message}", field="lines") from error
        money = [Money(amount=p, currency=currency) for p in prices]
        found[candidates[0].e164] = ArrivedLine(
            number=candidates[0].e164, setup=money[0], monthly=money[1]
        )
    if not 1 <= len(found) <= MOST:
        raise NotUnderstood(
            (
                "Type the numbers that have arrived, one a line."
                if not found
                else f"At most {MOST:,} at a time."
            ),
            field="lines",
        )
    return list(found.values())


def arrived(
    context: Context, key: str, text: str, *, setup: str = "", monthly: str = ""
) -> WorkOrder:
    """The draft of a work order that takes in what has arrived: checked, run by whoever looks at
    it. Raises NotUnderstood."""
    context.require(May.BUY)
    with context.reading() as reading:
        order = reading.records.the(Order, key)
        account = reading.records.the(Account, order.account)
    _form_of(order)
    lines = arrivals_in(context, text, account.balance.currency, setup=setup, monthly=monthly)
    first = describe(lines[0].number).shown
    title = (
        f"Arrived for {order.reference}:"
        f" {first if len(lines) == 1 else f'{len(lines)} numbers from {first}'}"
    )
    return workorders.draft(context, title, [t.RecordArrival(order=order.id, lines=tuple(lines))])
