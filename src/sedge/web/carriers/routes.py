"""Carriers: accounts and their balances, trunks and their status."""

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.carriers import accounts, balances, connections, payments
from sedge.services.trunks import trunks
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.runway import runway_chart
from sedge.web.shared.rendering import go, render, target

place = Place()
Typed = Annotated[str, Form(max_length=500)]
DEPOSIT = r"^deposit-[0-9a-f]{1,40}$"


def _facts(context: RequestContext) -> dict[str, Any]:
    return {
        "rows": trunks.carriers(context),
        "outlooks": balances.outlooks(context),
        "chart": runway_chart,
    }


@place.page("/carriers", May.LOOK)
def carriers(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "_carriers.html" if target(request) == "carriers" else "carriers.html",
        **_facts(context),
        tried=None,
    )


@place.action("/carriers/{carrier}/test", May.SEE_MONEY)
def test_connection(request: Request, context: RequestContext, carrier: str) -> Response:
    """What a test of the connection found, drawn beside its button; a page of its own without
    JavaScript."""
    tried = connections.test(context, carrier)
    if target(request):
        return render(request, "_connection.html", tried=tried)
    return render(request, "carriers.html", **_facts(context), tried=tried)


@place.page("/carriers/{carrier}/accounts", May.PAY, sure=True)
def new_accounts(request: Request, context: RequestContext, carrier: str) -> Response:
    """The form for one more account, or for many at once; for the first one where we have none with
    this carrier yet."""
    if not accounts.has_one(context, carrier):
        of = payments.carrier_of(context, carrier)
        return render(
            request, "first_account.html", carrier=of, on_the_wire=of.id in context.outside.carriers
        )
    return render(
        request,
        "new_accounts.html",
        carrier=payments.carrier_of(context, carrier),
        batch=context.new_id("account"),
        most=accounts.MOST_AT_ONCE,
    )


@place.action("/carriers/{carrier}/accounts", May.PAY, sure=True)
def open_accounts(
    request: Request,
    context: RequestContext,
    carrier: str,
    lines: Annotated[str, Form()] = "",
    batch: Annotated[str, Form(pattern=r"^account-[0-9a-f]{1,40}$")] = "account-0",
    currency: Annotated[str, Form(pattern=r"^([A-Z]{3})?$")] = "",
    confirmed: Annotated[bool, Form()] = False,
) -> Response:
    """First what would be opened and paid in, then what was opened, with each key. Sent again,
    nothing is opened or paid twice."""
    of = payments.carrier_of(context, carrier)
    wanted = accounts.lines_in(context, lines, accounts.currency_for(context, carrier, currency))
    if not confirmed:
        plan = accounts.plan_opening(context, carrier, wanted, batch=batch, currency=currency)
        return render(
            request,
            "_plan_accounts.html" if target(request) else "plan_accounts.html",
            plan=plan,
            carrier=of,
            lines=lines,
        )
    opened = accounts.open_many(
        context, carrier, wanted, batch=batch, currency=currency, show_again=True
    )
    return render(
        request,
        "_opened_accounts.html" if target(request) else "opened_accounts.html",
        opened=opened,
        carrier=of,
    )


@place.action("/carriers/{carrier}/first-account", May.PAY, sure=True)
def add_first_account(
    request: Request, context: RequestContext, carrier: str, name: Typed = "", key: Typed = ""
) -> Response:
    return go(
        request, f"/carriers/accounts/{accounts.add_first(context, carrier, name=name, key=key).id}"
    )


@place.page("/carriers/accounts/{account}", May.SEE_MONEY)
def account_page(request: Request, context: RequestContext, account: str) -> Response:
    """One account: balance, outlook, rules, key, and what has moved on it."""
    found, carrier, has_key = payments.account_to_pay(context, account)
    return render(
        request,
        "account.html",
        account=found,
        carrier=carrier,
        has_key=has_key,
        outlook=balances.outlooks(context)[found.id],
        chart=runway_chart,
        moves=payments.moves(context, found.id),
        on_the_wire=carrier.id in context.outside.carriers,
    )


@place.action("/carriers/accounts/{account}/terms", May.PAY, sure=True)
def set_terms(
    request: Request,
    context: RequestContext,
    account: str,
    low_mark: Typed = "",
    contact: Typed = "",
    alert_mail: Typed = "",
    alert_phone: Typed = "",
    top_up_at: Typed = "",
    top_up_amount: Typed = "",
    top_up_most: Typed = "",
    grace_days: Typed = "",
) -> Response:
    form = {
        "low_mark": low_mark,
        "contact": contact,
        "alert_mail": alert_mail,
        "alert_phone": alert_phone,
        "top_up_at": top_up_at,
        "top_up_amount": top_up_amount,
        "top_up_most": top_up_most,
        "grace_days": grace_days,
    }
    accounts.set_terms(context, account, form)
    return go(request, f"/carriers/accounts/{account}")


@place.action("/carriers/accounts/{account}/key", May.PAY, sure=True)
def put_key(request: Request, context: RequestContext, account: str, key: Typed = "") -> Response:
    accounts.put_key(context, account, key)
    return go(request, f"/carriers/accounts/{account}")


@place.action("/carriers/accounts/{account}/new-key", May.PAY, sure=True)
def make_key(request: Request, context: RequestContext, account: str) -> Response:
    """A key made anew, shown this once."""
    key = accounts.make_key(context, account)
    found, carrier, _ = payments.account_to_pay(context, account)
    return render(
        request,
        "_new_key.html" if target(request) else "new_key.html",
        key=key,
        account=found,
        carrier=carrier,
    )


@place.page("/carriers/accounts/{account}/deposit", May.PAY, sure=True)
def plan_deposit(
    request: Request, context: RequestContext, account: str, amount: str = "", back: str = ""
) -> Response:
    """What a payment does before it is made, with a button that names it; an amount that can't be
    used is asked for again. `back` is the page of the hold that waits for the money, with what was
    typed there."""
    found, _, _ = payments.account_to_pay(context, account)
    try:
        plan, problem = (
            (payments.plan_deposit(context, account, amount) if amount.strip() else None),
            "",
        )
    except NotUnderstood as error:
        plan, problem = None, error.message
    here, onward = f"/carriers/accounts/{account}/deposit", _after_deposit(account, back)
    return render(
        request,
        "deposit.html",
        plan=plan,
        account=found,
        amount=amount[:40],
        problem=problem,
        here=here,
        back=back,
        onward=onward,
    )


@place.action("/carriers/accounts/{account}/deposit", May.PAY, sure=True)
def deposit(
    request: Request,
    context: RequestContext,
    account: str,
    amount: Annotated[str, Form()],
    key: Annotated[str, Form(pattern=DEPOSIT)],
    back: Annotated[str, Form(max_length=4000)] = "",
) -> Response:
    """The payment that was shown, once however often its button is pressed; then back to the hold
    that waited for it."""
    payments.deposit(context, account, amount, identity=key)
    return go(request, _after_deposit(account, back))


def _after_deposit(account: str, back: str) -> str:
    is_hold = (
        back.startswith("/supply/holds/")
        and back.isascii()
        and back.isprintable()
        and "\\" not in back
    )
    return back if is_hold else f"/carriers/accounts/{account}"
