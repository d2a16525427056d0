"""Telling another program over HTTP what happened, signed so that it can know who says so.

The address is typed by a person, so it may lead anywhere: to private and local addresses only where
the settings allow that (server-side request forgery), and never on to another one.
"""

import hashlib
import hmac
import socket
from ipaddress import ip_address
from urllib.parse import urlsplit

import httpx

from sedge import metrics
from sedge.core.errors import OutsideRefused, OutsideSilent

NAME = "A webhook"
MOST_ANSWER = 10_000  # bytes that are read of what the other side says


def sign(secret: str, moment: str, body: bytes) -> str:
    """HMAC-SHA256 (RFC 2104) over the moment, a full stop and the body, as hex."""
    return hmac.new(secret.encode(), moment.encode() + b"." + body, hashlib.sha256).hexdigest()


def refuse_inside(url: str) -> None:
    """Raises OutsideRefused for an address of this machine or of a private network."""
    parts = urlsplit(url)
    try:
        found = socket.getaddrinfo(parts.hostname, parts.port or 443, type=socket.SOCK_STREAM)
    except (OSError, ValueError, UnicodeError) as error:
        raise OutsideSilent(f"{parts.hostname} is not found in DNS.", service=NAME) from error
    for *_, where in found:
        if not ip_address(str(where[0]).partition("%")[0]).is_global:
            raise OutsideRefused(
                f"{parts.hostname} is {where[0]}, an address inside a network. Those who run Sedge"
                " can allow that with the setting inside_webhooks.",
                reason="inside",
                service=NAME,
            )


def tell(
    url: str, secret: str, moment: str, key: str, body: bytes, *, inside: bool, seconds: float
) -> None:
    """One event. Raises OutsideSilent for whatever is not an answer of 2xx: it is told again."""
    if not inside:
        refuse_inside(url)
    headers = {
        "Content-Type": "application/json",
        "Sedge-Event": key,
        "Sedge-Time": moment,
        "Sedge-Signature": f"v1={sign(secret, moment, body)}",
        "User-Agent": "Sedge",
    }
    try:
        with (
            metrics.calling(NAME),
            httpx.Client(timeout=seconds, follow_redirects=False) as client,
            client.stream("POST", url, content=body, headers=headers) as answer,
        ):
            next(answer.iter_bytes(MOST_ANSWER), b"")
            status = answer.status_code
    except httpx.HTTPError as error:
        raise OutsideSilent(
            f"{urlsplit(url).hostname} does not answer: {type(error).__name__}.", service=NAME
        ) from error
    if not 200 <= status < 300:
        raise OutsideSilent(
            f"{urlsplit(url).hostname} answered {status}.", service=NAME, answered=status
        )
