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
from sedge.services.access import access, callers
from sedge.services.access.throttle import Caller
from sedge.services.context import Context, Installation
from sedge.services.ledger import ledger
from sedge.store.repositories.access.sessions import Open
from sedge.store.repositories.access.sign_ins import Member

COOKIE = "sedge_session"
NOT_SURE = "not-sure"  # the reason of a refusal that the page /sure takes away
SAFE = {"GET", "HEAD", "OPTIONS"}


class Guard:
    """Lets in who may; keeps the member on the request. `sure`: only who proved who they are a
    short while ago."""

    def __init__(self, may: May, *, sure: bool = False) -> None:
        self.may = may
        self.sure = sure

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
        if self.sure:
            require_sure(request)


def require_sure(request: Request) -> None:
    """Raises NotSignedIn for who has not proved who they are for a while."""
    found, has_typed = request.state.session, request.method not in SAFE
    if found and not access.is_sure(installation_of(request), found.session, has_typed=has_typed):
        raise NotSignedIn(
            "Type your password once more: what you want to do is for nobody else.",
            reason=NOT_SURE,
        )


def who_asks(request: Request) -> Member | None:
    """Whose session it is; from outside the networks of their role it counts for nothing."""
    if not hasattr(request.state, "member"):
        found = half_in(request)
        request.state.session = found
        whose = found.member if found and not found.session.awaits else None
        if whose and not access.is_inside(installation_of(request), whose, caller_of(request)):
            whose = None
        request.state.member = whose
    return request.state.member


def half_in(request: Request) -> Open | None:
    """The session of whoever asks, also while a second factor is still asked for."""
    return access.session_of(installation_of(request), request.cookies.get(COOKIE))


def caller_of(request: Request) -> Caller:
    return callers.caller(request.client.host if request.client else None, request.headers)


def is_local(request: Request) -> bool:
    return callers.is_local(request.client.host if request.client else None, request.headers)


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


def installation_of(request: Request) -> Installation:
    return request.app.state.installation


def address_of(request: Request) -> str:
    """Where people reach Sedge, for links that leave it; without a slash at the end."""
    return installation_of(request).settings.public_url or str(request.base_url).rstrip("/")


def context_of(request: Request) -> Context:
    member = who_asks(request)
    if member is None:
        raise NotSignedIn("Sign in to go on.")
    context = installation_of(request).context(member)
    if request.method in SAFE and not hasattr(request.state, "change_counter"):
        request.state.change_counter = ledger.change_counter(
            context
        )  # before anything is read, so that no change between is missed by an open page
    return context


RequestContext = Annotated[Context, Depends(context_of)]


class Place(APIRouter):
    """One place of the interface. `get` and `post` want the `May` their callers need."""

    def page(
        self, path: str, may: May, *, sure: bool = False, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path,
            methods=["GET"],
            dependencies=[Depends(Guard(may, sure=sure))],
            include_in_schema=False,
            **options,
        )

    def action(
        self, path: str, may: May, *, sure: bool = False, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path,
            methods=["POST"],
            dependencies=[Depends(Guard(may, sure=sure))],
            include_in_schema=False,
            **options,
        )
