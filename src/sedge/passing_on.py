"""Between processes that only read and the one that writes: requests are passed on over a socket
file, with who sent them."""

import json
import secrets
from collections.abc import AsyncIterator, Callable, Iterable
from pathlib import Path

import httpx
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sedge.store.database import AskWriter

SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
OF_THE_WRITER = ("/readyz", "/metrics", "/system", "/api/v1/system")
SEAL, SENDER = "x-sedge-seal", "x-sedge-sender"
OWN = frozenset({SEAL.encode(), SENDER.encode()})
OF_ONE_HOP = frozenset(  # RFC 9110, section 7.6.1
    {b"connection", b"keep-alive", b"te", b"transfer-encoding", b"upgrade", b"proxy-connection"}
)
PATIENCE_SECONDS = 600.0  # the writing process has ends of its own
CONNECTIONS = httpx.Limits(max_connections=200, max_keepalive_connections=20)


class PassesOn:
    """Answers what it can by reading, and passes on what changes something, or is known to the
    writing process alone. `keep_up` is called before each answer, for what that one changed."""

    def __init__(self, app: ASGIApp, writer: Path, seal: str, keep_up: Callable[[], None]) -> None:
        self.app, self.seal, self.keep_up = app, seal, keep_up
        self.writer = httpx.AsyncClient(
            transport=httpx.AsyncHTTPTransport(uds=str(writer), limits=CONNECTIONS),
            timeout=PATIENCE_SECONDS,
        )

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if scope["method"] not in SAFE or scope["path"].startswith(OF_THE_WRITER):
            await self._pass_on(scope, receive, send)
            return
        self.keep_up()
        has_begun = False

        async def noting(message: Message) -> None:
            nonlocal has_begun
            has_begun = True
            await send(message)

        try:
            await self.app(scope, receive, noting)
        except AskWriter:
            if has_begun:
                raise
            await self._pass_on(scope, receive, send)

    async def _pass_on(self, scope: Scope, receive: Receive, send: Send) -> None:
        sender = {"client": scope.get("client"), "scheme": scope["scheme"]}
        headers = [
            *_kept(scope["headers"]),
            (SEAL.encode(), self.seal.encode()),
            (SENDER.encode(), json.dumps(sender).encode()),
        ]
        path = scope.get("raw_path") or scope["path"].encode()
        query = b"?" + scope["query_string"] if scope["query_string"] else b""
        request = httpx.Request(
            scope["method"],
            httpx.URL(scheme="http", host="writer", raw_path=path + query),
            headers=headers,
            content=_body(receive) if _has_body(Headers(scope=scope)) else None,
        )
        answer = await self.writer.send(request, stream=True)
        try:
            headers = _kept((name.lower(), value) for name, value in answer.headers.raw)
            await send(
                {"type": "http.response.start", "status": answer.status_code, "headers": headers}
            )
            async for part in answer.aiter_raw():
                await send({"type": "http.response.body", "body": part, "more_body": True})
            await send({"type": "http.response.body", "body": b"", "more_body": False})
        finally:
            await answer.aclose()


class FromReaders:
    """In the process that writes: a request that was passed on comes from whoever sent it. Those
    headers from anybody else are dropped."""

    def __init__(self, app: ASGIApp, seal: str) -> None:
        self.app, self.seal = app, seal

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            headers = Headers(scope=scope)
            scope = {**scope, "headers": [h for h in scope["headers"] if h[0] not in OWN]}
            if secrets.compare_digest(headers.get(SEAL, "").encode(), self.seal.encode()):
                sender = json.loads(headers[SENDER])
                scope["client"] = tuple(sender["client"]) if sender["client"] else None
                scope["scheme"] = sender["scheme"]
        await self.app(scope, receive, send)


def _kept(headers: Iterable[tuple[bytes, bytes]]) -> list[tuple[bytes, bytes]]:
    return [h for h in headers if h[0] not in OF_ONE_HOP and h[0] not in OWN]


def _has_body(headers: Headers) -> bool:
    return "content-length" in headers or "transfer-encoding" in headers


async def _body(receive: Receive) -> AsyncIterator[bytes]:
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            raise ConnectionAbortedError
        yield message.get("body", b"")
        if not message.get("more_body"):
            return
