"""My account: the password, the second factor, the sessions that are open."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import SedgeError
from sedge.services.access import access, passwords, second_factor
from sedge.services.context import Context
from sedge.web.access.door import at_door
from sedge.web.access.routes import SET_UP
from sedge.web.routing import Place, RequestContext, caller_of, half_in, installation_of
from sedge.web.shared.rendering import go, render

place = Place()
HERE = "/account"


@place.page(HERE, May.LOOK)
def account(request: Request, context: RequestContext, *, changed: bool = False) -> Response:
    installation = installation_of(request)
    return render(
        request,
        "my_account.html",
        factors=second_factor.factors_of(installation, context.who.sign_in),
        asked=second_factor.is_asked_of(installation, context.who.role),
        sessions=access.sessions_of(installation, context.who),
        here=_session_id(request),
        changed=changed,
    )


def _session_id(request: Request) -> str:
    found = half_in(request)
    return found.session.id if found else ""


@place.action("/account/password", May.LOOK)
def change_password(
    request: Request,
    context: RequestContext,
    old: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    again: Annotated[str, Form()] = "",
) -> Response:
    form = {"old": old, "password": password, "again": again}
    installation = installation_of(request)
    passwords.change_password(
        installation, context.who, _session_id(request), form, caller_of(request)
    )
    return go(request, f"{HERE}?changed=1")


@place.page("/account/authenticator", May.LOOK, sure=True)
def authenticator(request: Request, context: RequestContext) -> Response:
    return at_door(request, SET_UP, enrolment=_enrolment(request, context))


def _enrolment(request: Request, context: Context) -> second_factor.Enrolment:
    return second_factor.enrol(installation_of(request), context.who)


@place.action("/account/authenticator", May.LOOK, sure=True)
def authenticator_on(
    request: Request, context: RequestContext, code: Annotated[str, Form()] = ""
) -> Response:
    try:
        codes = second_factor.confirm(
            installation_of(request), context.who, code, caller_of(request)
        )
    except SedgeError as problem:
        return at_door(request, SET_UP, problem, enrolment=_enrolment(request, context))
    return render(request, "recovery_codes.html", codes=codes, onward=HERE)


@place.action("/account/authenticator/off", May.LOOK, sure=True)
def authenticator_off(request: Request, context: RequestContext) -> Response:
    second_factor.take_off(installation_of(request), context.who)
    return go(request, HERE)


@place.action("/account/recovery-codes", May.LOOK, sure=True)
def recovery_codes(request: Request, context: RequestContext) -> Response:
    codes = second_factor.new_recovery_codes(installation_of(request), context.who)
    return render(request, "recovery_codes.html", codes=codes, onward=HERE)


@place.action("/account/sessions/end", May.LOOK)
def end_sessions(
    request: Request, context: RequestContext, only: Annotated[str, Form()] = ""
) -> Response:
    access.end_sessions(installation_of(request), context.who, _session_id(request), only or None)
    return go(request, HERE)
