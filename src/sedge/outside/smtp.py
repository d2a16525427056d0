"""Mail over a real mail server (SMTP, RFC 5321; STARTTLS, RFC 3207; messages, RFC 5322)."""

import hashlib
import smtplib
import ssl
from collections.abc import Sequence
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import formatdate, parseaddr
from typing import Literal, TypedDict

from sedge import metrics
from sedge.core.errors import OutsideRefused, OutsideSilent
from sedge.core.facts import MailFile

NAME = "The mail server"
LOOPBACK = {"127.0.0.1", "::1", "localhost"}


class ReceivedFile(TypedDict):
    name: str
    media_type: str
    bytes: int


class Received(TypedDict):
    """A letter that a stand-in has taken."""

    to: str
    subject: str
    text: str
    html: str
    files: list[ReceivedFile]
    at: str


@dataclass(frozen=True)
class MailServer:
    """Where mail goes and as whom. `sender` may have a name before its address in angle
    brackets."""

    host: str
    port: int
    sender: str
    tls: Literal["starttls", "tls", "none"] = "starttls"
    user: str = ""
    password: str = ""
    seconds: float = 5.0


class SmtpMail:
    """One connection per message: few letters go out, and none waits for another's server."""

    name = NAME
    is_connected = True

    def __init__(self, server: MailServer) -> None:
        self._server = server

    def send(
        self,
        key: str,
        recipient: str,
        subject: str,
        text: str,
        html: str = "",
        files: Sequence[MailFile] = (),
    ) -> None:
        """Hand a message over. Its Message-ID is made of `key`, so that one handed over twice, as
        after a lost answer, can be told by the server or the reader's program.

        Raises OutsideRefused for what the server will never take (5xx), OutsideSilent for all else.
        """
        message = self._message(key, recipient, subject, text, html)
        for file in files:
            kind, _, subtype = file.media_type.partition("/")
            message.add_attachment(file.content, maintype=kind, subtype=subtype, filename=file.name)
        try:
            with metrics.calling(NAME), self._connected() as server:
                server.send_message(message)
        except smtplib.SMTPRecipientsRefused as error:
            code, said = next(iter(error.recipients.values()))
            raise self._trouble(code, said) from error
        except smtplib.SMTPResponseException as error:
            raise self._trouble(error.smtp_code, error.smtp_error) from error
        except (OSError, smtplib.SMTPException) as error:
            raise OutsideSilent(
                f"{NAME} {self._server.host} does not answer. Letters wait until it does.",
                service=NAME,
                cause=type(error).__name__,
                detail=str(error)[:200],
            ) from error

    def mailbox(self) -> list[Received]:
        """Only a stand-in shows what it has received."""
        return []

    def close(self) -> None:
        """Nothing is kept open."""

    def probe(self) -> str:
        """Sign in and say hello; what the server calls itself. Raises as `send`."""
        try:
            with self._connected() as server:
                return (server.ehlo_resp or server.helo_resp or b"").decode(errors="replace")[:200]
        except smtplib.SMTPResponseException as error:
            raise self._trouble(error.smtp_code, error.smtp_error) from error
        except (OSError, smtplib.SMTPException) as error:
            raise OutsideSilent(
                f"{NAME} {self._server.host} does not answer: {error}.", service=NAME
            ) from error

    def _message(
        self, key: str, recipient: str, subject: str, text: str, html: str
    ) -> EmailMessage:
        message = EmailMessage()
        domain = parseaddr(self._server.sender)[1].rpartition("@")[2]
        message["From"], message["To"] = self._server.sender, recipient
        message["Subject"] = " ".join(subject.split())
        message["Date"] = formatdate()
        message["Message-ID"] = f"<{hashlib.sha256(key.encode()).hexdigest()[:32]}@{domain}>"
        message["Auto-Submitted"] = "auto-generated"  # RFC 3834: no out-of-office answers
        message.set_content(text)
        if html:
            message.add_alternative(html, subtype="html")
        return message

    def _connected(self) -> smtplib.SMTP:
        where, context = self._server, ssl.create_default_context()
        if where.tls == "tls":
            server: smtplib.SMTP = smtplib.SMTP_SSL(
                where.host, where.port, timeout=where.seconds, context=context
            )
        else:
            # asking DNS for our own name takes seconds where there is none
            own = "localhost" if where.host in LOOPBACK else None
            server = smtplib.SMTP(where.host, where.port, own, timeout=where.seconds)
        try:
            if where.tls == "starttls":
                server.starttls(context=context)
            if where.user:
                server.login(where.user, where.password)
        except BaseException:
            server.close()
            raise
        return server

    def _trouble(self, code: int, said: bytes | str) -> OutsideRefused | OutsideSilent:
        """4xx: later; 5xx: never (RFC 5321, 4.2.1)."""
        text = said.decode(errors="replace") if isinstance(said, bytes) else said
        sentence = f"{NAME} answered {code} {text[:200]}"
        if code < 500:
            return OutsideSilent(f"{sentence}. The letter waits.", service=NAME, answered=code)
        return OutsideRefused(f"{sentence}.", reason=str(code), service=NAME)
