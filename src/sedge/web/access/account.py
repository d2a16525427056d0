"""My account: the password, the second factor, the sessions that are open."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import SedgeError
from sedge.services.access import access, passwords, second_factor
from sedge.services.context import Desk
from sedge.web.access.door import at_door
from sedge.web.access.routes import SET_UP
from sedge.web.routing import AtDesk, Place, caller_of, half_in, house_of
from sedge.web.shared.rendering import draw, go

place = Place()
HERE = "/account"


@place.page(HERE, May.LOOK)
def account(request: Request, desk: AtDesk, *, changed: bool = False) -> Response:
    house = house_of(request)
    return draw(
        request,
        "my_account.html",
        factors=second_factor.factors_of(house, desk.who.sign_in),
        asked=second_factor.is_asked_of(house, desk.who.role),
        sessions=access.sessions_of(house, desk.who),
        here=_session_id(request),
        changed=changed,
    )


def _session_id(request: Request) -> str:
    found = half_in(request)
    return found.session.id if found else ""


@place.action("/account/password", May.LOOK)
def change_password(
    request: Request,
    desk: AtDesk,
    old: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    again: Annotated[str, Form()] = "",
) -> Response:
    form = {"old": old, "password": password, "again": again}
    house = house_of(request)
    passwords.change(house, desk.who, _session_id(request), form, caller_of(request))
    return go(request, f"{HERE}?changed=1")


@place.page("/account/authenticator", May.LOOK, sure=True)
def authenticator(request: Request, desk: AtDesk) -> Response:
    return at_door(request, SET_UP, enrolment=_enrolment(request, desk))


def _enrolment(request: Request, desk: Desk) -> second_factor.Enrolment:
    return second_factor.enrol(house_of(request), desk.who)


@place.action("/account/authenticator", May.LOOK, sure=True)
def authenticator_on(request: Request, desk: AtDesk, code: Annotated[str, Form()] = "") -> Response:
    try:
        codes = second_factor.confirm(house_of(request), desk.who, code, caller_of(request))
    except SedgeError as problem:
        return at_door(request, SET_UP, problem, enrolment=_enrolment(request, desk))
    return draw(request, "recovery_codes.html", codes=codes, onward=HERE)


@place.action("/account/authenticator/off", May.LOOK, sure=True)
def authenticator_off(request: Request, desk: AtDesk) -> Response:
    second_factor.take_off(house_of(request), desk.who)
    return go(request, HERE)


@place.action("/account/recovery-codes", May.LOOK, sure=True)
def recovery_codes(request: Request, desk: AtDesk) -> Response:
    codes = second_factor.new_recovery_codes(house_of(request), desk.who)
    return draw(request, "recovery_codes.html", codes=codes, onward=HERE)


@place.action("/account/sessions/end", May.LOOK)
def end_sessions(request: Request, desk: AtDesk, only: Annotated[str, Form()] = "") -> Response:
    access.end_sessions(house_of(request), desk.who, _session_id(request), only or None)
    return go(request, HERE)
