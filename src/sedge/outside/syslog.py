"""Lines at a syslog server: messages of RFC 5424, each in a datagram (RFC 5426) or counted on a
stream (RFC 6587, section 3.4.1)."""

import os
import socket
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal
from urllib.parse import urlsplit

from sedge.core.errors import OutsideSilent

PRIORITY = 13 * 8 + 5  # facility 13, log audit; severity 5, notice
USUAL_PORT = 514
MOST_IN_DATAGRAM = 8_000  # bytes; most servers take no more


@dataclass(frozen=True)
class SyslogServer:
    host: str
    port: int
    over: Literal["udp", "tcp"]

    @classmethod
    def read(cls, address: str) -> "SyslogServer":
        """`udp://log.example.org`, `tcp://192.0.2.5:601`. Raises ValueError."""
        found = urlsplit(address)
        if found.scheme not in {"udp", "tcp"} or not found.hostname or found.path.strip("/"):
            raise ValueError("write it as tcp://host:port or udp://host:port")
        over: Literal["udp", "tcp"] = "udp" if found.scheme == "udp" else "tcp"
        return cls(found.hostname, found.port or USUAL_PORT, over)

    def send(self, lines: Sequence[tuple[datetime, str, str]], seconds: float) -> None:
        """Lines with their moments and kinds (MSGID), in order. Raises OutsideSilent; over UDP
        nobody learns what got lost."""
        messages = [_message(at, kind, text) for at, kind, text in lines]
        try:
            if self.over == "udp":
                self._in_datagrams(messages)
            else:
                self._on_a_stream(messages, seconds)
        except OSError as error:
            why = f"The syslog server {self.host} took nothing: {error}."
            raise OutsideSilent(why, service="syslog") from error

    def _in_datagrams(self, messages: Sequence[bytes]) -> None:
        family, kind, _, _, at = socket.getaddrinfo(self.host, self.port, type=socket.SOCK_DGRAM)[0]
        with closing(socket.socket(family, kind)) as opened:
            for message in messages:
                opened.sendto(message[:MOST_IN_DATAGRAM], at)

    def _on_a_stream(self, messages: Sequence[bytes], seconds: float) -> None:
        with closing(socket.create_connection((self.host, self.port), seconds)) as opened:
            opened.sendall(b"".join(b"%d %s" % (len(m), m) for m in messages))
            opened.shutdown(socket.SHUT_WR)


def _message(at: datetime, kind: str, text: str) -> bytes:
    stamp = at.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    head = f"<{PRIORITY}>1 {stamp} {socket.gethostname()[:255]} sedge {os.getpid()} {kind[:32]} -"
    return f"{head} \ufeff{text}".encode()
