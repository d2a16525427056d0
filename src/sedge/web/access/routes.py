"""Signing in and out: in the demo one chooses a person; a password sign-in stands behind it, and a
second factor behind that; what to do when the password is forgotten."""

from dataclasses import replace
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from starlette.background import BackgroundTask

from sedge.core.access.roles import May
from sedge.core.errors import NotSignedIn, SedgeError
from sedge.services.access import access, first_run, passwords, second_factor, throttle
from sedge.services.access.access import Awaits
from sedge.store.repositories.access.sessions import Open
from sedge.web.access.door import (
    ABOUT_PASSWORDS,
    NEW_PASSWORD,
    Card,
    Field,
    at_door,
    inside,
    let_in,
    with_target,
)
from sedge.web.routing import (
    COOKIE,
    Place,
    address_of,
    caller_of,
    half_in,
    installation_of,
    is_local,
    who_asks,
)
from sedge.web.shared.rendering import render

place = Place()

CODE = Card(
    "One more step",
    "Type the code that your authenticator shows now. Without your phone, type one of your recovery"
    " codes.",
    (Field("code", "Code", "text", "one-time-code"),),
    "Sign in",
    template="door_code.html",
)
SET_UP = Card(
    "Set up your second factor",
    "Your role signs in with a code as well as a password. Scan this with an authenticator on your"
    " phone, then type the code that it shows.",
    (Field("code", "Code shown now", "text", "one-time-code"),),
    "Turn it on",
    template="door_set_up.html",
)
FORGOTTEN = Card(
    "A new password",
    "Type the mail address you sign in with. If somebody signs in with it, they get a letter to"
    " choose another password.",
    (Field("email", "Mail address", "email", "username"),),
    "Send the letter",
    links=(("/sign-in", "Back to the sign-in"),),
)
SURE = Card(
    "Is it you?",
    "What you want to do next is for nobody else. Type your password once more; it is not asked for"
    " again for a quarter of an hour.",
    (Field("password", "Password", autocomplete="current-password"),),
    "Go on",
)


@place.page("/sign-in", May.OPEN)
def sign_in_page(request: Request, to: str = "/") -> Response:
    if who_asks(request):
        return RedirectResponse(inside(to), 303)
    if first_run.is_open(installation_of(request)):
        return RedirectResponse("/first-run", 303)
    return sign_in_card(request, to)


def sign_in_card(
    request: Request, to: str, email: str = "", problem: SedgeError | None = None
) -> Response:
    installation = installation_of(request)
    return render(
        request,
        "sign_in.html",
        status=problem.status if problem else 200,
        people=access.demo_people(installation) if is_local(request) else [],
        to=inside(to),
        provider=installation.settings.oidc_name if installation.settings.oidc_issuer else "",
        email=email,
        problem=problem.message if problem else "",
    )


@place.action("/sign-in", May.OPEN)
def sign_in(
    request: Request,
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    who: Annotated[str, Form()] = "",
    to: Annotated[str, Form()] = "/",
) -> Response:
    installation, caller = installation_of(request), caller_of(request)
    try:
        token = (
            access.demo_sign_in(installation, who, caller, local=is_local(request))
            if who
            else access.sign_in(installation, email, password, caller)
        )
    except SedgeError as problem:
        return sign_in_card(request, to, email[:200], problem)
    return let_in(request, token, inside(to))


@place.action("/sign-out", May.OPEN)
def sign_out(request: Request) -> Response:
    access.sign_out(installation_of(request), request.cookies.get(COOKIE))
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE)
    return answer


def _awaiting(request: Request, what: Awaits) -> Open:
    """Whoever has given their password and not yet the rest. Raises NotSignedIn."""
    found = half_in(request)
    if found is None or found.session.awaits != what:
        raise NotSignedIn("Sign in to go on.")
    return found


@place.page("/sign-in/code", May.OPEN)
def code_page(request: Request, to: str = "/") -> Response:
    return code_door(request, _awaiting(request, Awaits.CODE), to)


def code_door(
    request: Request, found: Open, to: str = "/", problem: SedgeError | None = None
) -> Response:
    had = second_factor.factors_of(installation_of(request), found.member.sign_in)
    return at_door(request, CODE, problem, has_passkeys=bool(had.passkeys), to=inside(to))


@place.action("/sign-in/code", May.OPEN)
def code(request: Request, code: Annotated[str, Form()] = "", to: str = "/") -> Response:
    found = _awaiting(request, Awaits.CODE)
    try:
        access.give_code(installation_of(request), found, code, caller_of(request))
    except SedgeError as problem:
        return code_door(request, found, to, problem)
    return RedirectResponse(inside(to), 303)


@place.page("/sign-in/set-up", May.OPEN)
def set_up_page(request: Request) -> Response:
    found = _awaiting(request, Awaits.SET_UP)
    enrolment = second_factor.enrol(installation_of(request), found.member)
    return at_door(request, SET_UP, enrolment=enrolment)


@place.action("/sign-in/set-up", May.OPEN)
def set_up(request: Request, code: Annotated[str, Form()] = "", to: str = "/") -> Response:
    found, installation = _awaiting(request, Awaits.SET_UP), installation_of(request)
    try:
        codes = second_factor.confirm(installation, found.member, code, caller_of(request))
    except SedgeError as problem:
        enrolment = second_factor.enrol(installation, found.member)
        return at_door(request, SET_UP, problem, enrolment=enrolment)
    access.let_through(installation, found)
    del request.state.member  # they are in now, and the page says so
    return render(request, "recovery_codes.html", codes=codes, onward=inside(to))


@place.page("/sure", May.LOOK)
def sure_page(request: Request, to: str = "/") -> Response:
    return at_door(request, _sure_card(request, to))


def _sure_card(request: Request, to: str) -> Card:
    """Who came through another provider may have no password here: they prove it there."""
    settings = installation_of(request).settings
    if not settings.oidc_issuer:
        return SURE
    way = (with_target("/sign-in/provider", inside(to)), f"Sign in through {settings.oidc_name}")
    return replace(SURE, links=(way,))


@place.action("/sure", May.LOOK)
def sure(request: Request, password: Annotated[str, Form()] = "", to: str = "/") -> Response:
    found = half_in(request)
    if found is None:
        raise NotSignedIn("Sign in to go on.")
    try:
        access.prove_again(installation_of(request), found, password, caller_of(request))
    except SedgeError as problem:
        return at_door(request, _sure_card(request, to), problem)
    return RedirectResponse(inside(to), 303)


@place.page("/forgotten", May.OPEN)
def forgotten_page(request: Request) -> Response:
    return at_door(request, FORGOTTEN)


@place.action("/forgotten", May.OPEN)
def forgotten(request: Request, email: Annotated[str, Form()] = "") -> Response:
    installation = installation_of(request)
    try:
        throttle.knock(installation, "reset", email, caller_of(request))
    except SedgeError as problem:
        return at_door(request, FORGOTTEN, problem)
    done = "If somebody signs in with that address, a letter is on its way. It works for an hour."
    answer = at_door(request, FORGOTTEN, done=done)
    address = address_of(request)
    answer.background = BackgroundTask(passwords.write_reset, installation, email[:200], address)
    return answer


@place.page("/reset/{token}", May.OPEN)
def reset_page(request: Request, token: str) -> Response:
    return at_door(request, _reset_card(request, token))


def _reset_card(request: Request, token: str) -> Card:
    member = passwords.whose_reset(installation_of(request), token)
    mail = Field("email", "Mail address", "email", "username", member.email, readonly=True)
    return Card(
        "Choose a new password",
        f"For {member.name}. All your open sessions end.",
        (mail, *NEW_PASSWORD),
        "Set password",
        foot=(ABOUT_PASSWORDS,),
    )


@place.action("/reset/{token}", May.OPEN)
def reset(
    request: Request,
    token: str,
    password: Annotated[str, Form()] = "",
    again: Annotated[str, Form()] = "",
) -> Response:
    card, installation = _reset_card(request, token), installation_of(request)
    try:
        member = passwords.reset(installation, token, password, again)
    except SedgeError as problem:
        return at_door(request, card, problem)
    # the letter proves the mail address; a second factor is asked for all the same
    return let_in(request, access.open_session(installation, member, caller_of(request)), "/")
