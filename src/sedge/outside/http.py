"""One HTTP client per service outside; its errors translated in this one place."""

import ssl
from copy import copy
from functools import cache
from typing import Any, Self

import httpx

from sedge.core.errors import OutsideRefused, OutsideSilent

TIMEOUT = httpx.Timeout(5.0)
CLOSED = (httpx.RemoteProtocolError, httpx.ReadError, httpx.WriteError)
# given up before the other side does (servers close an idle connection after 5 seconds or more): what is sent as it closes gets no answer
KEPT = httpx.Limits(max_connections=100, max_keepalive_connections=20, keepalive_expiry=2.0)


@cache
def _trusted() -> ssl.SSLContext:
    """The certificates we trust, read once for all services."""
    return httpx.create_ssl_context()


class Service:
    """`name` is how people know the service; `secret` its key, where it asks for one."""

    def __init__(self, name: str, base_url: str, secret: str = "", *, timeout: httpx.Timeout = TIMEOUT) -> None:
        self.name = name
        self._key = secret
        self._client = httpx.Client(base_url=base_url, timeout=timeout, verify=_trusted(), limits=KEPT)

    def with_key(self, secret: str) -> Self:
        """The same service, asked with another key over the same connections."""
        other = copy(self)
        other._key = secret
        return other

    def call(self, method: str, path: str, **options: Any) -> Any:
        """The answer's JSON. Raises OutsideSilent (no answer, or trouble over there; the same call may go through
        later), OutsideRefused with `reason` and the service's own facts (asking again is no use)."""
        headers = {**({"Authorization": f"Key {self._key}"} if self._key else {}), **options.pop("headers", {})}
        try:
            answer = self._ask(method, path, headers=headers, **options)
        except httpx.HTTPError as error:
            raise OutsideSilent(
                f"{self.name} does not answer. Try again in a minute.",
                service=self.name,
                cause=type(error).__name__,
                detail=str(error)[:200],
            ) from error
        if answer.status_code == httpx.codes.TOO_MANY_REQUESTS:
            wait = int(answer.headers.get("retry-after", "30")) if answer.headers.get("retry-after", "30").isdigit() else 30
            raise OutsideSilent(
                f"{self.name} has been asked too often. It answers again in {wait} seconds; what runs by itself waits for that.",
                service=self.name, wait=wait,
            )  # fmt: skip
        if answer.status_code >= 500:
            raise OutsideSilent(
                f"{self.name} has trouble of its own just now. Try again in a minute.", service=self.name, status=answer.status_code
            )
        if answer.status_code >= 400:
            detail = answer.json().get("detail", {}) if answer.headers.get("content-type", "").startswith("application/json") else {}
            facts = detail if isinstance(detail, dict) else {}
            reason = str(facts.pop("reason", answer.status_code))
            raise OutsideRefused(f"{self.name} refused: {reason}.", reason=reason, service=self.name, **facts)
        return answer.json()

    def _ask(self, method: str, path: str, **options: Any) -> httpx.Response:
        """What only reads is asked once more where the other side closed a kept connection just then (RFC 9110, 9.2.2)."""
        try:
            return self._client.request(method, path, **options)
        except CLOSED:
            if method != "GET":
                raise
            return self._client.request(method, path, **options)

    def close(self) -> None:
        self._client.close()
