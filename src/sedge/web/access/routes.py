"""The sign-in page: in the demo one chooses a person; a password sign-in stands behind it."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.access.roles import May
from sedge.services.access import access
from sedge.web.routing import COOKIE, Place, house_of, who_asks
from sedge.web.shared.rendering import draw

place = Place()


@place.page("/sign-in", May.OPEN)
def sign_in_page(request: Request, to: str = "/") -> Response:
    if who_asks(request):
        return RedirectResponse(_inside(to), 303)
    return draw(
        request,
        "sign_in.html",
        people=access.demo_people(house_of(request)),
        to=_inside(to),
        email="",
        problem="",
    )


@place.action("/sign-in", May.OPEN)
def sign_in(
    request: Request,
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    who: Annotated[str, Form()] = "",
    to: Annotated[str, Form()] = "/",
) -> Response:
    house = house_of(request)
    token = access.demo_sign_in(house, who) if who else access.sign_in(house, email, password)
    return let_in(request, token, _inside(to))


def let_in(request: Request, token: str, to: str) -> Response:
    """On to a page of our own, with the session's cookie."""
    answer = RedirectResponse(to, 303)
    seconds = house_of(request).settings.session_hours * 3600
    answer.set_cookie(
        COOKIE,
        token,
        max_age=seconds,
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


@place.action("/sign-out", May.OPEN)
def sign_out(request: Request) -> Response:
    access.sign_out(house_of(request), request.cookies.get(COOKIE))
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE)
    return answer


def _inside(to: str) -> str:
    """Only paths of our own: no other host, no scheme."""
    return to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/"
