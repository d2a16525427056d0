"""One HTTP client per service outside; its errors translated in this one place.

Whatever a service answers, callers see an answer they can use, OutsideSilent or OutsideRefused: an
error page, an empty body, a list where an object was promised, a field that is missing or can't be
read are a service that has trouble, never an error of ours.
"""

import ssl
from collections.abc import Callable
from copy import copy
from functools import cache, wraps
from typing import Any, Self

import httpx
import structlog

from sedge import metrics, traces
from sedge.core.errors import OutsideRefused, OutsideSilent

TIMEOUT = httpx.Timeout(5.0)
CLOSED = (httpx.RemoteProtocolError, httpx.ReadError, httpx.WriteError)
# given up before the other side does (servers close an idle connection after 5 seconds or more):
# what is sent as it closes gets no answer
KEPT = httpx.Limits(max_connections=100, max_keepalive_connections=20, keepalive_expiry=2.0)


OURS = frozenset({"message", "field", "reason", "service", "self"})
UNREADABLE = (AttributeError, KeyError, IndexError, TypeError, ValueError, ArithmeticError)
TELLING = frozenset({"PUT", "DELETE"})
NOT_CONNECTED = "not connected"
log = structlog.get_logger("sedge.outside")


def _request_id() -> dict[str, str]:
    """What the call is done for, so that both sides' logs can be laid side by side."""
    known = structlog.contextvars.get_contextvars().get("request")
    return {"X-Request-Id": known} if known else {}


class Answer(dict[str, Any]):
    """An answer of a service. Asking it for a field it has not says so as trouble over there."""

    def __init__(self, service: str, values: dict[str, Any]) -> None:
        super().__init__(values)
        self._from = service

    def __missing__(self, key: str) -> object:
        raise OutsideSilent(
            f"{self._from} answered without “{key}”. Try again in a minute.",
            service=self._from,
            missing=key,
        )


def _wrapped(service: str, value: object) -> object:
    match value:
        case dict():
            return Answer(service, {key: _wrapped(service, item) for key, item in value.items()})
        case list():
            return [_wrapped(service, item) for item in value]
        case _:
            return value


def not_understood(service: str, error: Exception) -> OutsideSilent:
    log.warning("answer not understood", service=service, error=repr(error)[:300])
    return OutsideSilent(
        f"{service} answers in a way that Sedge does not understand. Try again in a minute.",
        service=service,
        cause=type(error).__name__,
    )


def _guarded(method: Callable[..., object]) -> Callable[..., object]:
    """A method of a client, whose troubles with reading an answer are trouble of the service."""

    @wraps(method)
    def call(self: "Service", *args: Any, **named: Any) -> Any:
        try:
            return method(self, *args, **named)
        except UNREADABLE as error:
            raise not_understood(self.name, error) from error

    return call


@cache
def _trusted() -> ssl.SSLContext:
    """The certificates we trust, read once for all services."""
    return httpx.create_ssl_context()


class Service:
    """`name` is how people know the service; `secret` its key, where it asks for one.

    Without a `base_url` it is one that this installation has not: telling it how things are is
    nothing, asking it for something says that it is not there, and `instead` what to do.
    """

    def __init__(
        self,
        name: str,
        base_url: str,
        secret: str = "",
        *,
        timeout: httpx.Timeout = TIMEOUT,
        instead: str = "",
    ) -> None:
        self.name = name
        self.is_connected = bool(base_url)
        self._instead = instead
        self._key = secret
        self._client = httpx.Client(
            base_url=base_url, timeout=timeout, verify=_trusted(), limits=KEPT
        )

    def with_key(self, secret: str) -> Self:
        """The same service, asked with another key over the same connections."""
        other = copy(self)
        other._key = secret
        return other

    def call(self, method: str, path: str, **options: Any) -> Any:
        """The answer's JSON. Raises OutsideSilent (no answer, or trouble over there; the same call
        may go through later), OutsideRefused with `reason` and the service's own facts (asking
        again is no use).
        """
        if not self.is_connected:
            return self._without(method)
        headers = {
            **_request_id(),
            **({"Authorization": f"Key {self._key}"} if self._key else {}),
            **options.pop("headers", {}),
        }
        with metrics.calling(self.name):
            return self._answered(method, path, headers | traces.passed_on(), options)

    def _answered(
        self, method: str, path: str, headers: dict[str, str], options: dict[str, Any]
    ) -> object:
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
            wait = (
                int(answer.headers.get("retry-after", "30"))
                if answer.headers.get("retry-after", "30").isdigit()
                else 30
            )
            raise OutsideSilent(
                f"{self.name} has been asked too often. It answers again in {wait} seconds; what"
                " runs by itself waits for that.",
                service=self.name,
                wait=wait,
            )
        if answer.status_code >= 500:
            raise OutsideSilent(
                f"{self.name} has trouble of its own just now. Try again in a minute.",
                service=self.name,
                answered=answer.status_code,
            )
        if answer.status_code >= 400:
            raise self._refused(answer)
        return self._read(answer)

    def _without(self, method: str) -> Answer:
        """Nobody is there to be told (PUT, DELETE). Raises OutsideRefused for what is asked."""
        if method in TELLING:
            return Answer(self.name, {"problem": ""})
        raise OutsideRefused(
            f"{self.name} is not connected to this installation. {self._instead}".strip(),
            reason=NOT_CONNECTED,
            service=self.name,
        )

    def _refused(self, answer: httpx.Response) -> OutsideRefused:
        """The refusal with the service's own facts, as far as it gave any; none of them can take
        the place of ours."""
        try:
            told = answer.json()
        except ValueError:
            told = {}
        detail = told.get("detail") if isinstance(told, dict) else None
        given = (
            {str(key): value for key, value in detail.items()} if isinstance(detail, dict) else {}
        )
        reason = str(given.pop("reason", answer.status_code))[:200]
        facts = {key: value for key, value in given.items() if key not in OURS}
        return OutsideRefused(
            f"{self.name} refused: {reason}.", reason=reason, service=self.name, **facts
        )

    def _read(self, answer: httpx.Response) -> object:
        """The answer's JSON object, whose missing fields tell of themselves. Raises OutsideSilent
        for anything else."""
        if answer.status_code == httpx.codes.NO_CONTENT:
            return Answer(self.name, {})
        try:
            return _wrapped(self.name, answer.json())
        except ValueError as error:
            raise not_understood(self.name, error) from error

    def __init_subclass__(cls, **options: object) -> None:
        super().__init_subclass__(**options)
        for name, method in list(vars(cls).items()):
            if callable(method) and not name.startswith("_") and not isinstance(method, type):
                setattr(cls, name, _guarded(method))

    def _ask(self, method: str, path: str, **options: Any) -> httpx.Response:
        """What only reads is asked once more where the other side closed a kept connection just
        then (RFC 9110, 9.2.2)."""
        try:
            return self._client.request(method, path, **options)
        except CLOSED:
            if method != "GET":
                raise
            return self._client.request(method, path, **options)

    def close(self) -> None:
        self._client.close()
