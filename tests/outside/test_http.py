"""A connection that the other side closes while it is kept: what reads is asked again, what changes something is not."""

import socket
import threading
from collections.abc import Iterator

import pytest

from sedge.core.errors import OutsideSilent
from sedge.outside.http import Service

ANSWER = b"HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: 2\r\n\r\n{}"


class Hasty:
    """Answers the first request of each connection and keeps it; closes it on the next, as a server does whose patience just ended."""

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
