"""The mail server: speaks SMTP (RFC 5321) on loopback and keeps what it takes. Begun when somebody
first asks where it listens: most tests and pages never do."""

import asyncio
import email
import threading
from email.message import EmailMessage
from email.policy import default
from typing import TYPE_CHECKING

from sedge.standins.callbacks import Callbacks
from sedge.standins.storage import Book, Json, stamp

if TYPE_CHECKING:
    from aiosmtpd.smtp import SMTP, Envelope, Session

MOST_BYTES = 40 * 1024 * 1024
FAULTS = {"error": "451 internal trouble", "reject": "550 refused as ordered on the control panel"}
SLOW_SECONDS = 1.0
LONGEST_SILENCE = 60.0


class MailServer:
    def __init__(self, book: Book, callbacks: Callbacks) -> None:
        self.book, self.callbacks = book, callbacks
        self._lock = threading.Lock()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._port = 0

    @property
    def port(self) -> int:
        """Where it listens."""
        with self._lock:
            if self._loop is None:
                self._start()
            return self._port

    def _start(self) -> None:
        from aiosmtpd.smtp import SMTP  # noqa: PLC0415  most tests and pages never need it

        self._loop = loop = asyncio.new_event_loop()

        def session() -> SMTP:
            return SMTP(self, hostname="localhost", data_size_limit=MOST_BYTES, loop=loop)

        self._server = loop.run_until_complete(loop.create_server(session, "127.0.0.1", 0))
        self._port = self._server.sockets[0].getsockname()[1]
        self._thread = threading.Thread(
            target=loop.run_forever, daemon=True, name="stand-ins' mail server"
        )
        self._thread.start()

    def stop(self) -> None:
        if self._loop is None:
            return
        asyncio.run_coroutine_threadsafe(self._end(), self._loop).result(10)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(10)
        self._loop.close()
        self._loop = None

    async def _end(self) -> None:
        """Nothing new is taken, and who is still connected is hung up on."""
        self._server.close()
        sessions = asyncio.all_tasks() - {asyncio.current_task()}
        for session in sessions:
            session.cancel()
        await asyncio.gather(*sessions, return_exceptions=True)

    async def handle_DATA(  # noqa: N802  as aiosmtpd names it
        self, _server: "SMTP", _session: "Session", envelope: "Envelope"
    ) -> str:
        """`error`: not taken, 451. `reject`: not taken, 550. `timeout`: taken, but nobody hears of
        it. `slow`: taken, late. A message that came before is kept once."""
        fault = self.callbacks.take_fault(("mail",), "timeout", "error", "slow", "reject")
        if fault in FAULTS:
            return FAULTS[fault]
        message = email.message_from_bytes(envelope.original_content or b"", policy=default)
        key = str(message["Message-ID"])
        with self.book.writing():
            if self.book.get("mail", key) is None:
                told = _told(message, envelope.rcpt_tos[0])
                self.book.put("mail", key, {**told, "at": stamp(self.book.now())})
        if fault == "timeout":
            await asyncio.sleep(LONGEST_SILENCE)
            return "421 closing"
        if fault == "slow":
            await asyncio.sleep(SLOW_SECONDS)
        return "250 taken"


def _told(message: EmailMessage, recipient: str) -> Json:
    """What was sent to whom, its files by name, kind and size."""
    files = [
        {
            "name": part.get_filename(),
            "media_type": part.get_content_type(),
            "bytes": len(part.get_payload(decode=True)),
        }
        for part in message.iter_attachments()
    ]
    return {
        "to": recipient,
        "subject": str(message["Subject"]),
        "text": _body(message, "plain"),
        "html": _body(message, "html"),
        "files": files,
    }


def _body(message: EmailMessage, kind: str) -> str:
    part = message.get_body((kind,))
    return str(part.get_content()).replace("\r\n", "\n").removesuffix("\n") if part else ""
