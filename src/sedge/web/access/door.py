"""The card at the door: a heading, a few fields, one button."""

from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.errors import SedgeError
from sedge.services.access import access
from sedge.services.access.access import Awaits
from sedge.web.routing import COOKIE, installation_of
from sedge.web.shared.rendering import render


@dataclass(frozen=True)
class Field:
    name: str
    label: str
    type: str = "password"
    autocomplete: str = "off"
    value: str = ""
    readonly: bool = False


NEW_PASSWORD = (
    Field("password", "New password", autocomplete="new-password"),
    Field("again", "The same again", autocomplete="new-password"),
)
ABOUT_PASSWORDS = (
    "At least twelve characters, and not easy to guess; four words that don't belong together do"
    " well."
)


@dataclass(frozen=True)
class Card:
    """`foot` are sentences below the form, `links` pairs of address and words."""

    heading: str
    lede: str
    fields: tuple[Field, ...]
    words: str
    foot: tuple[str, ...] = ()
    links: tuple[tuple[str, str], ...] = ()
    template: str = "door.html"


def at_door(
    request: Request,
    card: Card,
    problem: SedgeError | None = None,
    done: str = "",
    **facts: Any,
) -> Response:
    status = problem.status if problem else 200
    return render(
        request, card.template, status=status, card=card, problem=problem, done=done, **facts
    )


def let_in(request: Request, token: str, to: str) -> Response:
    """On to a page of our own, with the session's cookie; by way of the second factor where one is
    asked for."""
    installation = installation_of(request)
    found = access.session_of(installation, token)
    awaits = found.session.awaits if found else ""
    way = {Awaits.CODE: "/sign-in/code", Awaits.SET_UP: "/sign-in/set-up"}.get(Awaits(awaits))
    answer = RedirectResponse(with_target(way, to) if way else to, 303)
    answer.set_cookie(
        COOKIE,
        token,
        max_age=installation.settings.session_hours * 3600,
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


def with_target(door: str, to: str) -> str:
    return f"{door}?to={quote(to)}" if to != "/" else door


def inside(to: str) -> str:
    """Only paths of our own: no other host, no scheme."""
    return to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/"
