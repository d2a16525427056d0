"""What a service outside can do to us: close a kept connection, answer rubbish, refuse. Never an
error of ours."""

import socket
import threading
from collections.abc import Iterator
from decimal import Decimal

import httpx
import pytest

from sedge.core.errors import OutsideRefused, OutsideSilent
from sedge.outside.http import Service

ANSWER = b"HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: 2\r\n\r\n{}"


class Hasty:
    """Answers the first request of each connection and keeps it; closes it on the next, as a server
    does whose patience just ended."""

    def __init__(self) -> None:
        self.heard: list[str] = []
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listening.getsockname()[1]}"
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            with connection:
                self._hear(connection)
                connection.sendall(ANSWER)
                self._hear(connection)

    def _hear(self, connection: socket.socket) -> None:
        heard = connection.recv(65536)
        if heard:
            self.heard.append(heard.split(b" ", 1)[0].decode())

    def close(self) -> None:
        self._listening.close()


@pytest.fixture
def hasty() -> Iterator[Hasty]:
    made = Hasty()
    yield made
    made.close()


def test_what_only_reads_is_asked_again(hasty):
    service = Service("Fellgate Voice", hasty.url)
    assert [service.call("GET", "/numbers") for _ in range(3)] == [{}, {}, {}]
    assert hasty.heard == ["GET"] * 5  # the second and the third met a closing connection first
    service.close()


def test_what_changes_something_is_not_sent_twice(hasty):
    service = Service("Fellgate Voice", hasty.url)
    service.call("GET", "/numbers")
    with pytest.raises(OutsideSilent) as silent:
        service.call("POST", "/orders", json={})
    assert silent.value.facts["cause"] in {"RemoteProtocolError", "ReadError"}
    assert hasty.heard == ["GET", "POST"]
    service.close()


class Lookup(Service):
    """A service like ours: one method that reads an answer."""

    def balance(self) -> Decimal:
        return Decimal(self.call("GET", "/balance")["balance"]["amount"])

    def order(self) -> str:
        return self.call("POST", "/orders", json={})["reference"]


@pytest.fixture
def answering(monkeypatch):
    """A service whose next answer is chosen: status, body, headers."""

    def choose(status: int, body: bytes, **headers: str) -> Lookup:
        service = Lookup("Fellgate Voice", "http://127.0.0.1:9")
        transport = httpx.MockTransport(
            lambda request: httpx.Response(status, content=body, headers=headers)
        )
        monkeypatch.setattr(
            service, "_client", httpx.Client(base_url="http://127.0.0.1:9", transport=transport)
        )
        return service

    return choose


UNREADABLE = [
    b"",
    b"<html>maintenance</html>",
    b"[]",
    b"null",
    b"7",
    b"{}",
    b'{"balance": 3}',
    b'{"balance": {"amount": "lots"}}',
    b"\xff\xfe",
]


@pytest.mark.parametrize("body", UNREADABLE)
@pytest.mark.parametrize("method", ["balance", "order"])
def test_an_answer_that_cannot_be_read_is_trouble_of_the_service(answering, body, method):
    with pytest.raises(OutsideSilent, match="Fellgate Voice") as silent:
        getattr(answering(200, body), method)()
    assert "Try again in a minute" in silent.value.message


@pytest.mark.parametrize("status", [500, 502, 503, 429])
def test_trouble_over_there_may_be_asked_again(answering, status):
    with pytest.raises(OutsideSilent):
        answering(status, b"<html>", **{"retry-after": "²"}).order()


@pytest.mark.parametrize(
    ("body", "reason"),
    [
        (
            (
                b'{"detail": {"reason": "no-money", "message": "x", "field": "y", "service": "z",'
                b' "self": 1, "short": "3.00"}}'
            ),
            "no-money",
        ),
        (b'{"detail": "no"}', "409"),
        (b'{"detail": {"reason": ["odd"]}}', "['odd']"),
        (b"[1]", "409"),
        (b"<html>", "409"),
    ],
)
def test_a_refusal_keeps_its_facts_and_takes_none_of_ours(answering, body, reason):
    with pytest.raises(OutsideRefused) as refused:
        answering(409, body).order()
    assert (refused.value.reason, refused.value.facts["service"], refused.value.status) == (
        reason,
        "Fellgate Voice",
        409,
    )
    assert set(refused.value.facts) <= {"service", "short"}
