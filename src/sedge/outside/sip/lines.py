"""What carries SIP messages to the other side and back: UDP, TCP or TLS (RFC 3261 §18)."""

import asyncio
import ssl
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Protocol

from sedge.core.enums import Transport
from sedge.outside.sip.messages import BadMessageError, Message, parse, take, wire

CHUNK = 65_536
GOODBYE = 0.5  # seconds


class Line(Protocol):
    """A way to one address. `own` is our end as we see it; `keeps` whether what is sent arrives
    without being sent again."""

    own: tuple[str, int]
    keeps: bool
    transport: Transport

    def send(self, message: Message) -> None: ...

    async def receive(self) -> Message:
        """The next message. Raises BadMessageError, ConnectionError where the other side has closed
        it."""
        ...


class _Datagrams(asyncio.DatagramProtocol):
    def __init__(self) -> None:
        self.arrived: asyncio.Queue[bytes | Exception] = asyncio.Queue()

    def datagram_received(self, data: bytes, addr: object) -> None:
        self.arrived.put_nowait(data)

    def error_received(self, exc: Exception) -> None:
        self.arrived.put_nowait(exc)


class UdpLine:
    keeps = False
    transport = Transport.UDP

    def __init__(self, way: asyncio.DatagramTransport, datagrams: _Datagrams) -> None:
        self._way, self._datagrams = way, datagrams
        self.own: tuple[str, int] = way.get_extra_info("sockname")[:2]

    def send(self, message: Message) -> None:
        self._way.sendto(wire(message))

    async def receive(self) -> Message:
        found = await self._datagrams.arrived.get()
        if isinstance(found, Exception):
            raise ConnectionError(str(found))
        return parse(found)


class StreamLine:
    keeps = True

    def __init__(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, transport: Transport
    ) -> None:
        self._reader, self._writer, self._brought = reader, writer, b""
        self.transport = transport
        self.own: tuple[str, int] = writer.get_extra_info("sockname")[:2]

    def send(self, message: Message) -> None:
        self._writer.write(wire(message))

    async def receive(self) -> Message:
        while (whole := take(self._brought)) is None:
            more = await self._reader.read(CHUNK)
            if not more:
                if self._brought.strip():
                    raise BadMessageError("it is cut short: the connection was closed within it")
                raise ConnectionError("the other side has closed the connection")
            self._brought += more
        message, self._brought = whole
        return message


@asynccontextmanager
async def open_line(
    transport: Transport, address: str, port: int, tls: ssl.SSLContext | None, name: str
) -> AsyncIterator[Line]:
    """A way to an address; `name` is whom TLS is asked for. Raises OSError, ssl.SSLError."""
    if transport is Transport.UDP:
        loop = asyncio.get_running_loop()
        way, datagrams = await loop.create_datagram_endpoint(
            _Datagrams, remote_addr=(address, port)
        )
        try:
            yield UdpLine(way, datagrams)
        finally:
            way.close()
        return
    secure = {"ssl": tls, "server_hostname": name} if transport is Transport.TLS else {}
    reader, writer = await asyncio.open_connection(address, port, **secure)
    try:
        yield StreamLine(reader, writer, transport)
    finally:
        await _closed(writer)


async def _closed(writer: asyncio.StreamWriter) -> None:
    """Says goodbye, without waiting long for the other side's."""
    writer.close()
    try:
        await asyncio.wait_for(writer.wait_closed(), GOODBYE)
    except (OSError, TimeoutError):
        writer.transport.abort()
        await asyncio.sleep(0)
