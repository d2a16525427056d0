"""What every answer carries: headers that keep a browser in bounds, how long the server took; and
one line per request in the log."""

import time
from typing import Any

import structlog
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sedge.web.shared.assets import asset_base

log = structlog.get_logger("sedge")
SECURITY = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src"
        " 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none';"
        " media-src 'self' blob:"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


class WithHeaders:
    """Security headers, how long the server took (Server-Timing, W3C), and one structured line per
    request."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started = time.perf_counter()

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                spent = (time.perf_counter() - started) * 1000
                _dress(MutableHeaders(scope=message), scope["path"], spent)
                _note(scope, message["status"], spent)
            await send(message)

        await self.app(scope, receive, dressed)


def _dress(headers: MutableHeaders, path: str, spent: float) -> None:
    headers["Server-Timing"] = f"app;dur={spent:.1f}"
    for name, value in SECURITY.items():
        headers.setdefault(name, value)
    if path.startswith(f"{asset_base()}/"):
        headers["Cache-Control"] = "public, max-age=31536000, immutable"
    elif path.startswith("/static/"):
        headers["Cache-Control"] = "public, max-age=3600"
    else:
        headers.setdefault("Cache-Control", "no-store")
        headers["Vary"] = "HX-Request, HX-Target"


def _note(scope: Scope, status: int, spent: float) -> None:
    if scope["path"].startswith("/static/"):
        return
    member: Any = scope.get("state", {}).get("member")
    log.info(
        "request",
        actor=member.name if member else None,
        method=scope["method"],
        path=scope["path"],
        status=status,
        ms=round(spent, 1),
    )
