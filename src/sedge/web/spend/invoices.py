"""Invoices: what carriers billed beside what was expected."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.amounts import locale_of, read_amount
from sedge.core.errors import NotUnderstood
from sedge.core.spend.invoice_rows import FIELDS
from sedge.core.spend.invoices import IN_ORDER, LineState, Verdict
from sedge.core.spend.months import Month
from sedge.services.spend import invoice_columns, invoices
from sedge.services.trunks import trunks
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=500)]
REMEDIES = {
    Verdict.NOT_OURS: ("Compare with the carrier’s list", "/carriers/drift"),
    Verdict.AFTER_RELEASE: ("Compare with the carrier’s list", "/carriers/drift"),
    Verdict.NOT_BILLED: ("Compare with the carrier’s list", "/carriers/drift"),
    Verdict.WRONG_PRICE: ("Check rates and monthly prices", "/spend/rates"),
}


@place.page("/spend/invoices", May.SEE_MONEY)
def every(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "invoices.html",
        invoices=invoices.list_invoices(context),
        waiting=invoice_columns.waiting(context),
        accounts=[
            (a.id, f"{a.name}, {a.balance.currency}")
            for v in trunks.carriers(context)
            for a in v.accounts
        ],
        month=Month.of(context.now()).later(-1),
    )


@place.action("/spend/invoices", May.KEEP_BOOKS)
def receive(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile, File()],
    account: Typed = "",
    reference: Typed = "",
    month: Typed = "",
) -> Response:
    if not account:
        raise NotUnderstood("Choose the account that was billed.", field="account")
    content = file.file.read(invoices.MOST_BYTES + 1)
    made = invoice_columns.receive(context, account, content, reference=reference, month=month)
    if isinstance(made, invoice_columns.Pending):
        return go(request, f"/spend/invoices/columns/{made.id}")
    return go(request, f"/spend/invoices/{made.id}")


@place.page("/spend/invoices/columns/{key}", May.KEEP_BOOKS)
def columns(request: Request, context: RequestContext, key: str) -> Response:
    """Which column is which, of an invoice that does not say it in words known here."""
    pending = invoice_columns.get(context, key)
    return render(request, "invoice_columns.html", pending=pending, fields=list(FIELDS.items()))


@place.action("/spend/invoices/columns/{key}", May.KEEP_BOOKS)
async def settle_columns(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value) for name, value in (await request.form()).items()}
    mapping: dict[str, int] = {}
    for name, value in form.items():
        at = name.removeprefix("column-")
        if value in mapping:
            message = f"Two columns can't both be {FIELDS.get(value, value)}. Choose one of them."
            raise NotUnderstood(message, field=name)
        if value and at.isascii() and at.isdigit():
            mapping[value] = int(at)
    made = await run_in_threadpool(invoice_columns.settle, context, key, mapping)
    return go(request, f"/spend/invoices/{made.id}")


@place.action("/spend/invoices/columns/{key}/discard", May.KEEP_BOOKS)
def discard(request: Request, context: RequestContext, key: str) -> Response:
    invoice_columns.discard(context, key)
    return go(request, "/spend/invoices")


@place.page("/spend/invoices/{key}", May.SEE_MONEY)
def one(request: Request, context: RequestContext, key: str, verdict: str = "") -> Response:
    view = invoices.view(context, key)
    if not verdict:
        verdict = next((v.value for v, _, _ in view.verdicts if v not in IN_ORDER), "")
    shown = "" if verdict == "all" else verdict
    found = invoices.lines(context, key, shown)
    return render(
        request,
        "invoice.html",
        view=view,
        verdict=verdict,
        shows_all=verdict == "all",
        lines=[(line, invoices.about(line)) for line in found],
        in_order=[v.value for v in IN_ORDER],
        remedy=REMEDIES.get(Verdict(shown)) if shown else None,
        most=invoices.MOST_SHOWN,
        month=Month.read(view.invoice.month).name,
    )


@place.action("/spend/invoices/{key}/settle", May.KEEP_BOOKS)
def settle(
    request: Request,
    context: RequestContext,
    key: str,
    lines: Annotated[list[int] | None, Form()] = None,
    state: Typed = "",
    why: Typed = "",
    credited: Typed = "",
) -> Response:
    if state not in set(LineState):
        raise NotUnderstood("Choose what to do with these lines.", field="state")
    if not lines:
        raise NotUnderstood("Choose at least one line.", field="lines")
    amount = None
    if credited.strip():
        currency = invoices.view(context, key).invoice.currency
        locale = locale_of(context.organisation.home_country)
        amount = read_amount(credited, currency, locale, field="credited")
    invoices.settle(context, key, lines, LineState(state), why, amount)
    return go(request, f"/spend/invoices/{key}?verdict=all")


@place.action("/spend/invoices/{key}/release", May.RELEASE)
def release(
    request: Request,
    context: RequestContext,
    key: str,
    lines: Annotated[list[int] | None, Form()] = None,
) -> Response:
    """A draft that gives up the numbers of the chosen lines."""
    made = invoices.draft_release(context, key, lines or [])
    return go(request, f"/work-orders/{made.no}")


@place.action("/spend/invoices/{key}/judge", May.KEEP_BOOKS)
def judge_again(request: Request, context: RequestContext, key: str) -> Response:
    invoices.judge_again(context, key)
    return go(request, f"/spend/invoices/{key}")


@place.action("/spend/invoices/{key}/remove", May.KEEP_BOOKS)
def remove(request: Request, context: RequestContext, key: str) -> Response:
    invoices.remove(context, key)
    return go(request, "/spend/invoices")


@place.page("/spend/invoices/{key}/letter.pdf", May.SEE_MONEY)
def letter(context: RequestContext, key: str) -> Response:
    return Response(invoices.letter(context, key), media_type="application/pdf")
