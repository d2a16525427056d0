"""Passkeys: made and removed on the page My account, used at the door."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.access.roles import May
from sedge.core.errors import NotSignedIn, SedgeError
from sedge.services.access import access, passkeys
from sedge.services.access.access import Awaits
from sedge.store.repositories.access.sessions import Open
from sedge.web.access.account import HERE
from sedge.web.access.door import inside
from sedge.web.access.routes import code_door
from sedge.web.routing import Place, RequestContext, address_of, caller_of, half_in, installation_of
from sedge.web.shared.rendering import go

place = Place()


def _session(request: Request, awaits: Awaits) -> Open:
    found = half_in(request)
    if found is None or found.session.awaits != awaits:
        raise NotSignedIn("Sign in to go on.")
    return found


@place.action("/account/passkeys/options", May.LOOK, sure=True)
def offer(request: Request, context: RequestContext) -> Response:
    session = _session(request, Awaits.NOTHING).session.id
    told = passkeys.offer(installation_of(request), context.who, session, address_of(request))
    return Response(told, media_type="application/json")


@place.action("/account/passkeys", May.LOOK, sure=True)
def add(
    request: Request,
    context: RequestContext,
    credential: Annotated[str, Form()] = "",
    name: Annotated[str, Form()] = "",
) -> Response:
    session = _session(request, Awaits.NOTHING).session.id
    passkeys.add(
        installation_of(request), context.who, session, address_of(request), credential, name
    )
    return go(request, HERE)


@place.action("/account/passkeys/{key}/remove", May.LOOK, sure=True)
def remove(request: Request, context: RequestContext, key: str) -> Response:
    passkeys.remove(installation_of(request), context.who, key)
    return go(request, HERE)


@place.action("/sign-in/passkey/options", May.OPEN)
def ask(request: Request) -> Response:
    found = _session(request, Awaits.CODE)
    address = address_of(request)
    told = passkeys.ask(installation_of(request), found.member, found.session.id, address)
    return Response(told, media_type="application/json")


@place.action("/sign-in/passkey", May.OPEN)
def use(
    request: Request, credential: Annotated[str, Form()] = "", to: Annotated[str, Form()] = "/"
) -> Response:
    found, installation = _session(request, Awaits.CODE), installation_of(request)
    address, caller = address_of(request), caller_of(request)
    try:
        passkeys.check(installation, found.member, found.session.id, address, credential, caller)
    except SedgeError as problem:
        return code_door(request, found, to, problem)
    access.let_through(installation, found)
    return RedirectResponse(inside(to), 303)
