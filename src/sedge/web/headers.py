"""What every answer carries: headers that keep a browser in bounds, how long the server took, the
request's id; and one line per request in the log."""

import re
import secrets
import time

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sedge import metrics
from sedge.services.context import Installation
from sedge.services.mail import ONE_TIME_PAGES
from sedge.store.repositories.access.sign_ins import Member
from sedge.web import front_gate
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
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": (
        "camera=(), geolocation=(), microphone=(self), payment=(), usb=(), browsing-topics=()"
    ),
}
WAITING = "/events"  # a stream that does nothing until something changes
ONLY_TLS = "max-age=31536000"  # a year (HSTS, RFC 6797)
ID = re.compile(r"[A-Za-z0-9._-]{8,64}")  # of a request, as a proxy in front may have given it
TOKENS = re.compile(rf"^/({'|'.join(ONE_TIME_PAGES)})/[^/]+")


class WithHeaders:
    """Security headers, how long the server took (Server-Timing, W3C), and one structured line per
    request."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started, asked = time.perf_counter(), Headers(scope=scope)
        request_id = _id_of(asked)

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                spent = (time.perf_counter() - started) * 1000
                headers = MutableHeaders(scope=message)
                headers["X-Request-Id"] = request_id
                if scope["scheme"] == "https":
                    headers["Strict-Transport-Security"] = ONLY_TLS
                _dress(headers, scope["path"], spent)
                _note(scope, message["status"], spent)
            await send(message)

        installation: Installation = scope["app"].state.installation
        weight = 0 if scope["path"] == WAITING else 1
        installation.at_work += weight
        try:
            with structlog.contextvars.bound_contextvars(request=request_id):
                refused = await front_gate.refusal(scope, asked)
                await (refused or self.app)(scope, receive, dressed)
        finally:
            installation.at_work -= weight


def _id_of(asked: Headers) -> str:
    given = asked.get("x-request-id", "")
    return given if ID.fullmatch(given) else secrets.token_hex(8)


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
    member: Member | None = scope.get("state", {}).get("member")
    route = getattr(scope.get("route"), "path", metrics.NO_ROUTE)
    metrics.answered(scope["method"], route, status, spent / 1000)
    log.info(
        "request",
        actor=member.name if member else None,
        method=scope["method"],
        path=TOKENS.sub(r"/\1/…", scope["path"]),
        status=status,
        ms=round(spent, 1),
    )
