"""What is refused before anything else looks at a request.

A host name that is not ours: links in mails would lead there, and a page elsewhere could pass for
one of ours (DNS rebinding). A large body from somebody who is not signed in, or larger than
anything we take: it would be read whole before anybody asked who sends it.
"""

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.requests import HTTPConnection
from starlette.responses import JSONResponse, PlainTextResponse, RedirectResponse, Response
from starlette.types import Scope

from sedge.core.errors import Forbidden
from sedge.services.access import access, callers, tokens
from sedge.services.context import Installation
from sedge.web.routing import COOKIE, SAFE

HEALTH = frozenset({"/healthz", "/readyz"})  # asked under an address, by whatever watches
MOST_UNASKED = 64_000  # bytes from somebody of whom nothing is known: any form at the door is less
MOST_FORM, MOST_FILE = 16_000_000, 270_000_000
FORMS = ("application/json", "application/scim+json", "application/x-www-form-urlencoded")


async def refusal(scope: Scope, asked: Headers) -> Response | None:
    """The answer to what goes no further; None for all else."""
    installation: Installation = scope["app"].state.installation
    if scope["path"] in HEALTH:
        return None
    if callers.host_name(asked.get("host", "")) not in installation.settings.answered_hosts:
        return PlainTextResponse(
            "Sedge does not answer to this host name. Use the address that you were given; those"
            " who run Sedge can add a name with the setting SEDGE_HOSTS.",
            421,
        )
    if scope["method"] in SAFE:
        return None
    return await _too_large(scope, asked, installation)


async def _too_large(scope: Scope, asked: Headers, installation: Installation) -> Response | None:
    told = asked.get("content-length", "")
    size = int(told) if told.isdecimal() and len(told) < 16 else None
    if size is None and "transfer-encoding" not in asked:
        return None
    kind = asked.get("content-type", "").partition(";")[0].strip().lower()
    most = MOST_FORM if kind in FORMS else MOST_FILE
    if size is not None and size > most:
        return _told(scope, 413, f"This is larger than {most // 1_000_000} MB. Send it in parts.")
    if size is not None and size <= MOST_UNASKED:
        return None
    if await run_in_threadpool(_is_known, scope, installation):
        return None
    if _is_program(scope):
        return _told(scope, 401, "Send a token first; nothing of the body was read.")
    return RedirectResponse("/sign-in", 303, headers={"Connection": "close"})


def _is_program(scope: Scope) -> bool:
    return scope["path"].startswith(("/api/", "/scim/", "/standins/"))


def _told(scope: Scope, status: int, words: str) -> Response:
    headers = {"Connection": "close"}
    if not _is_program(scope):
        return PlainTextResponse(words, status, headers)
    body = {"type": "about:blank", "title": words, "status": status, "detail": words}
    return JSONResponse(body, status, headers, media_type="application/problem+json")


def _is_known(scope: Scope, installation: Installation) -> bool:
    connection = HTTPConnection(scope)
    if access.whose(installation, connection.cookies.get(COOKIE)):
        return True
    scheme, _, token = connection.headers.get("authorization", "").partition(" ")
    if scheme.lower() != "bearer":
        return False
    address = connection.client.host if connection.client else None
    local = callers.is_local(address, connection.headers)
    if access.by_demo_token(installation, token.strip(), local=local):
        return True
    caller = callers.caller(address, connection.headers)
    try:
        return tokens.whose(installation, token.strip(), caller) is not None
    except Forbidden:  # from a network that its role is not let in from
        return False
