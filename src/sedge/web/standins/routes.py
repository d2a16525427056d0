"""The stand-ins' panel: the simulated outside world looked at and steered. In the demo only, and
plainly no part of Sedge's own pages."""

from datetime import datetime, timedelta
from decimal import Decimal, InvalidOperation
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.numbers.e164 import read_one
from sedge.core.numbers.pasted import numbers_in
from sedge.outside.desk_services import Control
from sedge.services import simulation_clock
from sedge.services.carriers import accounts, payments
from sedge.services.supply import supply
from sedge.services.trunks import trunks
from sedge.web.routing import Place, RequestContext, address_of
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=200)]
STEPS = {
    "60": "1 minute",
    "600": "10 minutes",
    "3600": "1 hour",
    "86400": "1 day",
    "604800": "1 week",
}
FAULTS = ("timeout", "error", "slow", "reject", "duplicate_callback")
SIP_FAULTS = {
    "": "nothing",
    "wrong-certificate": "a certificate for another name",
    "expired-certificate": "a certificate that has ended",
    "early-certificate": "a certificate that has not begun",
    "ending-certificate": "a certificate that ends tomorrow",
    "self-signed": "a certificate signed by itself",
    "silent": "silence",
    "slow": "slowness",
    "403": "403 Forbidden",
    "404": "404 Not Found",
    "486": "486 Busy Here",
    "503": "503 Service Unavailable",
    "302": "302 Moved Temporarily",
    "wrong-realm": "another realm",
    "old-nonce": "nonces that are too old",
    "cut-short": "answers cut short",
    "rubbish": "binary rubbish",
    "wrong-length": "a wrong Content-Length",
}
BACK = "/standins"


def _control(context: RequestContext) -> Control:
    if not context.installation.settings.demo:
        raise NotFound("There is nothing to steer here: this is not the demo.")
    return simulation_clock.control_of(context.installation)


def _back() -> Response:
    return RedirectResponse(BACK, 303)


@place.page("/standins", May.STEER)
def panel(request: Request, context: RequestContext) -> Response:
    state = _control(context).state()
    known = [
        (x.trunk.id, x.trunk.name, x.trunk.id not in state["down"])
        for row in trunks.carriers(context)
        for x in row.trunks
    ]
    carriers = [
        (key, service.name, state["dearer"].get(key, 0))
        for key, service in context.outside.carriers.items()
    ]
    return render(
        request,
        "standins_panel.html",
        state=state,
        now_there=datetime.fromisoformat(state["now"]),
        steps=STEPS.items(),
        faults=FAULTS,
        sip_faults=SIP_FAULTS,
        trunks=known,
        carriers=carriers,
        accounts=supply.buyable_accounts(context),
        sip=_control(context).sip(),
    )


@place.action("/standins/panel/sip", May.STEER)
def sip_fault(context: RequestContext, domain: Typed = "", fault: Typed = "") -> Response:
    """How the SIP side of a carrier fails from now on."""
    control = _control(context)
    if domain not in {x["domain"] for x in control.sip()["users"]}:
        raise NotUnderstood("Choose a carrier.", field="domain")
    if fault not in SIP_FAULTS:
        raise NotUnderstood("Choose one of the faults.", field="fault")
    control.set_sip_fault(domain, fault)
    return _back()


@place.action("/standins/panel/clock", May.STEER)
def clock(context: RequestContext, seconds: Typed = "") -> Response:
    _control(context)
    if seconds not in STEPS:
        raise NotUnderstood("Choose one of the steps.", field="seconds")
    simulation_clock.advance(context.installation, timedelta(seconds=int(seconds)))
    return _back()


@place.action("/standins/panel/accounts", May.PAY)
def open_account(
    request: Request, context: RequestContext, carrier: Typed = "", name: Typed = ""
) -> Response:
    """The simulated sales desk opens a first account; its key is kept at once. Pressed again, there
    is one already."""
    of = payments.carrier_of(context, carrier)
    if accounts.has_one(context, of.id) or of.id not in context.outside.carriers:
        raise NotAllowedNow(
            f"{of.name} has an account for you already, or opens none over the wire.",
            reason="exists",
        )
    key = _control(context).open_account(
        of.id, name.strip()[:80] or of.name, context.organisation.home_country
    )
    return go(
        request, f"/carriers/accounts/{accounts.add_first(context, of.id, name=name, key=key).id}"
    )


@place.action("/standins/panel/faults", May.STEER)
def fault(
    context: RequestContext, service: Typed = "", fault: Typed = "", count: Typed = "1"
) -> Response:
    """A count of 0 takes an ordered fault back. Raises OutsideRefused where there is no such
    service or fault."""
    _control(context)
    simulation_clock.order_fault(
        context.installation, {"service": service, "fault": fault, "count": _whole(count, 1000)}
    )
    return _back()


@place.action("/standins/panel/prices", May.STEER)
def prices(context: RequestContext, carrier: Typed = "", percent: Typed = "0") -> Response:
    if carrier not in context.outside.carriers:
        raise NotUnderstood("Choose a carrier.", field="carrier")
    _control(context).set_prices(carrier, _whole(percent, 500))
    return _back()


@place.action("/standins/panel/review", May.STEER)
def review(context: RequestContext, verdict: Typed = "accepted", reason: Typed = "") -> Response:
    """What the person says of the next paper."""
    if verdict not in {"accepted", "rejected"}:
        raise NotUnderstood("A paper is accepted or rejected.", field="verdict")
    _control(context).steer_review(verdict, reason, 1)
    return _back()


@place.action("/standins/panel/trunks", May.STEER)
def trunk(context: RequestContext, trunk: Typed = "", up: Typed = "") -> Response:
    _control(context).set_trunk(trunk, up=bool(up))
    trunks.refresh(context)
    return _back()


@place.action("/standins/panel/directory", May.STEER)
def directory(
    request: Request,
    context: RequestContext,
    kind: Typed = "joiner",
    who: Typed = "",
    name: Typed = "",
    site: Typed = "",
) -> Response:
    """Somebody joins, moves, leaves or changes in the directory, which then tells Sedge over
    SCIM."""
    if kind not in {"joiner", "mover", "leaver", "changed"}:
        raise NotUnderstood("Somebody joins, moves, leaves or changes.", field="kind")
    control = _control(context)
    control.connect_directory(
        f"{address_of(request)}/scim/v2/", context.installation.settings.demo_token
    )
    event = {"kind": kind, "who": who[:200], "name": name[:120], "site": site[:120]}
    control.in_directory({key: value for key, value in event.items() if value})
    return _back()


@place.action("/standins/panel/port-outs", May.STEER)
def port_out(
    context: RequestContext,
    numbers: Typed = "",
    account: Typed = "",
    pin: Typed = "",
    unasked: Typed = "",
) -> Response:
    """Another carrier asks for numbers of an account, or takes them without asking."""
    control = _control(context)
    known = {a.id: a for a, _ in supply.buyable_accounts(context)}
    if account not in known:
        raise NotUnderstood("Choose an account.", field="account")
    wanted = [f"+{n}" for n in numbers_in(numbers, context.organisation.home_country).numbers]
    if not wanted:
        raise NotUnderstood("Type the numbers that are asked for.", field="numbers")
    ours = {
        "carrier": known[account].carrier,
        "account": account,
        "account_number": known[account].theirs or account,
    }
    control.ask_for_numbers(
        {
            **ours,
            "numbers": wanted,
            "name": context.organisation.name,
            "pin": pin,
            "unasked": bool(unasked),
        }
    )
    return _back()


@place.action("/standins/panel/porting", May.STEER)
def porting(context: RequestContext, silent: Typed = "") -> Response:
    """Whether losing carriers leave what they are asked from now on lying about."""
    _control(context).steer_porting(silent=bool(silent))
    return _back()


@place.action("/standins/panel/drift", May.STEER)
def drift(
    context: RequestContext, number: Typed = "", what: Typed = "", monthly: Typed = ""
) -> Response:
    """A carrier's list changes by itself: a number is dropped from it, or costs something else."""
    control = _control(context)
    e164 = read_one(number, context.organisation.home_country)
    if what == "dropped":
        control.let_drift({"dropped": [e164]})
    elif what == "price":
        try:
            control.let_drift({"prices": {e164: str(Decimal(monthly))}})
        except InvalidOperation:
            raise NotUnderstood(
                "Type the price of a month, such as 0.95.", field="monthly"
            ) from None
    else:
        raise NotUnderstood("Choose what becomes different.", field="what")
    return _back()


def _whole(text: str, most: int) -> int:
    if not (text.isascii() and text.isdigit() and int(text) <= most):
        raise NotUnderstood(f"Type a whole number up to {most}.", field="count")
    return int(text)
