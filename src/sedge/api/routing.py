"""The doors of the JSON interface: bearer tokens, or the page's own session; idempotency keys;
lists with cursors."""

import hashlib
import json
import re
from collections.abc import Callable, Coroutine
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request
from fastapi.encoders import jsonable_encoder
from fastapi.responses import JSONResponse, Response
from fastapi.routing import APIRoute

from sedge.core.access.hiding import without_amounts
from sedge.core.access.roles import May, allowed
from sedge.core.errors import Forbidden, NotSignedIn, NotUnderstood
from sedge.services import idempotency
from sedge.services.access import access, callers, tokens
from sedge.services.context import Context, Installation
from sedge.store.repositories.access.sign_ins import Member

BASE = "/api/v1"
COOKIE = "sedge_session"
SAFE = {"GET", "HEAD", "OPTIONS"}
MOST_LISTED = 1000
MOST_CURSOR = 2**53
Cursor = Annotated[int, Query(ge=0, le=MOST_CURSOR, description="`next` of the page before")]


class ApiGuard:
    """Lets in who may. A session cookie counts only for calls that come from Sedge's own pages."""

    def __init__(self, may: May) -> None:
        self.may = may

    def __call__(self, request: Request) -> None:
        member = _member(request)
        if not allowed(member.role if member else None, self.may):
            if member is None:
                raise NotSignedIn("Send a token: Authorization: Bearer TOKEN.")
            raise Forbidden(f"As {member.role} you may not {self.may}.", may=self.may.value)
        if member and member.read_only and request.method not in SAFE:
            raise Forbidden("This token only reads. Make another one that may change things.")


def _member(request: Request) -> Member | None:
    if hasattr(request.state, "member"):
        return request.state.member
    installation: Installation = request.app.state.installation
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    wanted = request.headers.get("sedge-organisation")
    if scheme.lower() == "bearer":
        return _program(request, installation, token.strip(), wanted)
    if request.method in SAFE or request.headers.get("sec-fetch-site") == "same-origin":
        request.state.member = access.whose(installation, request.cookies.get(COOKIE))
    else:
        request.state.member = None
    if request.state.member and wanted and wanted != request.state.member.organisation:
        request.state.member = access.as_member_of(installation, request.state.member, wanted)
    return request.state.member


def _program(
    request: Request, installation: Installation, token: str, wanted: str | None
) -> Member | None:
    """Whoever a token stands for. One that was made here is for its organisation only."""
    address = request.client.host if request.client else None
    local = callers.is_local(address, request.headers)
    member = access.by_demo_token(installation, token, local=local)
    if member and wanted and wanted != member.organisation:
        member = access.as_member_of(installation, member, wanted)
    if member is None:
        member = tokens.whose(installation, token, callers.caller(address, request.headers))
        if member and wanted and wanted != member.organisation:
            raise Forbidden("This token is for another organisation.", organisation=wanted)
    request.state.member = member
    return member


def _context(request: Request) -> Context:
    member = _member(request)
    if member is None:
        raise NotSignedIn("Send a token: Authorization: Bearer TOKEN.")
    return request.app.state.installation.context(member)


RequestContext = Annotated[Context, Depends(_context)]


NO_TEXT = re.compile(r"[\x00\ud800-\udfff]")


def refuse_no_text(body: bytes) -> None:
    """Raises NotUnderstood, naming the field, for JSON with characters that are no text: NUL, and
    halves of surrogate pairs (RFC 8259, 8.2)."""
    if b"\\u" not in body:
        return
    try:
        field = _without_text(json.loads(body), "")
    except (ValueError, RecursionError):
        return  # answered as what it is by whoever reads it
    if field is not None:
        raise NotUnderstood(
            f"{field or 'The body'} has characters that are no text. Leave them out.",
            field=field or None,
        )


def _without_text(value: object, at: str) -> str | None:
    """Where the first such character is, as a dotted path; None where there is none."""
    match value:
        case str():
            return at if NO_TEXT.search(value) else None
        case dict():
            pairs = ((f"{at}.{key}".lstrip("."), item) for key, item in value.items())
            return next(
                (
                    found
                    for where, item in pairs
                    if (found := _without_text(item, where)) is not None
                ),
                None,
            )
        case list():
            inner = ((f"{at}.{i}".lstrip("."), item) for i, item in enumerate(value))
            return next(
                (
                    found
                    for where, item in inner
                    if (found := _without_text(item, where)) is not None
                ),
                None,
            )
        case _:
            return None


class WithoutMoney(APIRoute):
    """A route whose JSON has no amounts for callers who may not see money, whatever its handler put
    in."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[object, object, Response]]:
        answer = super().get_route_handler()

        async def handled(request: Request) -> Response:
            if request.method not in SAFE:
                refuse_no_text(await request.body())
            response = await answer(request)
            member = getattr(request.state, "member", None)
            if (
                member is None
                or allowed(member.role, May.SEE_MONEY)
                or not isinstance(response, JSONResponse)
            ):
                return response
            return JSONResponse(
                without_amounts(json.loads(bytes(response.body))), response.status_code
            )

        return handled


class Resource(APIRouter):
    """One resource of the interface; every route says what it asks of its caller. `base` is where
    all of them stand."""

    def __init__(self, *, prefix: str = "", base: str = BASE, **options: Any) -> None:
        super().__init__(prefix=base + prefix, route_class=WithoutMoney, **options)

    def read(
        self, path: str, may: May = May.LOOK, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path, methods=["GET"], dependencies=[Depends(ApiGuard(may))], **options
        )

    def write(
        self, path: str, may: May, method: str = "POST", **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        return self.api_route(
            path, methods=[method], dependencies=[Depends(ApiGuard(may))], **options
        )

    def creates(
        self, path: str, may: May, answer: Any, **options: Any
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """A POST that makes something and hands out `once`; `answer` is what is made."""
        return self.write(path, may, status_code=201, response_model=answer, **options)

    def file(
        self, path: str, may: May, *media_types: str
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """A download of one of the media types."""
        content = {one: {"schema": {"type": "string", "format": "binary"}} for one in media_types}
        return self.read(path, may, response_class=Response, responses={200: {"content": content}})


def once(request: Request, context: Context, body: Any, make: idempotency.Make) -> Response:
    """Answer a creating POST; with an `Idempotency-Key` the same key and body give the same answer,
    another body 409.

    `make` is handed the identity of what it makes under a key, None without one.
    """
    key = request.headers.get("idempotency-key")
    if not key:
        status, answer = make(None)
        return JSONResponse(jsonable_encoder(answer), status)
    if len(key) > 120:
        raise NotUnderstood(
            "An idempotency key has at most 120 characters.", field="Idempotency-Key"
        )
    digest = hashlib.sha256(
        json.dumps(
            [request.url.path, str(request.query_params), body], sort_keys=True, default=str
        ).encode()
    ).hexdigest()

    def make_plain(identity: str | None) -> tuple[int, object]:
        status, answer = make(identity)
        return status, jsonable_encoder(answer)

    status, answer = idempotency.once(context, f"{context.who.sign_in}:{key}", digest, make_plain)
    return JSONResponse(answer, status)


def page_limit(limit: int) -> int:
    if not 1 <= limit <= MOST_LISTED:
        raise NotUnderstood(f"limit is 1 to {MOST_LISTED:,}.", field="limit")
    return limit
