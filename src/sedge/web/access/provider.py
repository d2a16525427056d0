"""Signing in through another provider: out to it, and back."""

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, SedgeError
from sedge.services.access import other_provider
from sedge.web.access.door import inside, let_in
from sedge.web.access.routes import sign_in_card
from sedge.web.routing import Place, address_of, caller_of, installation_of

place = Place()
BACK = "/sign-in/provider/back"
STATE = "sedge_journey"


@place.page("/sign-in/provider", May.OPEN)
def leave(request: Request, to: str = "/") -> Response:
    installation = installation_of(request)
    try:
        back = f"{address_of(request)}{BACK}"
        journey = other_provider.begin(installation, back, inside(to), caller_of(request))
    except NotFound:
        raise
    except SedgeError as problem:
        return sign_in_card(request, to, problem=problem)
    answer = RedirectResponse(journey.address, 303)
    answer.set_cookie(
        STATE,
        journey.state,
        max_age=int(other_provider.LASTS.total_seconds()),
        path=BACK,
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


@place.page(BACK, May.OPEN)
def come_back(request: Request, state: str = "", code: str = "") -> Response:
    installation = installation_of(request)
    try:
        token, to = other_provider.finish(
            installation,
            state,
            request.cookies.get(STATE, ""),
            code[:4000],
            f"{address_of(request)}{BACK}",
            caller_of(request),
        )
    except NotFound:
        raise
    except SedgeError as problem:
        return sign_in_card(request, "/", problem=problem)
    answer = let_in(request, token, inside(to))
    answer.delete_cookie(STATE, path=BACK)
    return answer
