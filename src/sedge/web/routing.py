"""The doors of the pages: every route says what it asks of whoever comes in.

`Place` is a router whose routes can't be added without a `May`; the guard checks it before anything
else runs, and refuses writes that come from another site (Fetch Metadata and Origin; RFC 6454).
"""

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request

from sedge.core.access.roles import May, allowed
from sedge.core.errors import Forbidden, NotSignedIn
from sedge.services.access import access
from sedge.services.context import Desk, House
from sedge.services.ledger import ledger
from sedge.store.repositories.installation import Member

COOKIE = "sedge_session"
SAFE = {"GET", "HEAD", "OPTIONS"}


class Guard:
    """Lets in who may; keeps the member on the request."""

    def __init__(self, may: May) -> None:
        self.may = may

    def __call__(self, request: Request) -> None:
        if request.method not in SAFE:
            refuse_cross_site(request)
        member = who_asks(request)
        if not allowed(member.role if member else None, self.may):
            if member is None:
                raise NotSignedIn("Sign in to go on.")
            raise Forbidden(
                f"As {member.role} you may not {self.may}. Ask an administrator of your"
                " organisation.",
                may=self.may.value,
            )


def who_asks(request: Request) -> Member | None:
    if not hasattr(request.state, "member"):
        request.state.member = access.whose(house_of(request), request.cookies.get(COOKIE))
    return request.state.member


def refuse_cross_site(request: Request) -> None:
    """A write must come from Sedge's own pages."""
    site = request.headers.get("sec-fetch-site")
    origin = request.headers.get("origin")
    strange = site not in {None, "same-origin", "none"} or (
        origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    )
    if strange:
        raise Forbidden(
            "This came from another site, so it was not done. Do it again from Sedge's own page."
        )


def house_of(request: Request) -> House:
    return request.app.state.house


def desk_of(request: Request) -> Desk:
    member = who_asks(request)
    if member is None:
        raise NotSignedIn("Sign in to go on.")
    desk = house_of(request).desk(member)
    if request.method in SAFE and not hasattr(request.state, "pulse"):
        request.state.pulse = ledger.pulse(
            desk
        )  # before anything is read, so that no change between is missed by an open page
    return desk


AtDesk = Annotated[Desk, Depends(desk_of)]


class Place(APIRouter):
    """One place of the interface. `get` and `post` want the `May` their callers need."""

    def page(
        self, path: str, may: May, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path,
            methods=["GET"],
            dependencies=[Depends(Guard(may))],
            include_in_schema=False,
            **options,
        )

    def action(
        self, path: str, may: May, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path,
            methods=["POST"],
            dependencies=[Depends(Guard(may))],
            include_in_schema=False,
            **options,
        )
