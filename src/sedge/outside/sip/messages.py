"""SIP messages in and out (RFC 3261 §7): bytes <-> dataclasses, without any meaning.

Read generously: folded lines, compact names, any case, a bare LF. What is cut short, says a length
that is not so, or is no SIP at all is refused with the reason.
"""

import re
from dataclasses import dataclass, field

LARGEST = 65_535
COMPACT = {
    "i": "call-id",
    "m": "contact",
    "e": "content-encoding",
    "l": "content-length",
    "c": "content-type",
    "f": "from",
    "s": "subject",
    "k": "supported",
    "t": "to",
    "v": "via",
}
STATUS_LINE = re.compile(r"SIP/(\d+\.\d+) (\d+) ?(.*)", re.IGNORECASE | re.DOTALL)
REQUEST_LINE = re.compile(r"([A-Za-z0-9.!%*_+`'~-]+) (\S+) SIP/(\d+\.\d+)", re.IGNORECASE)
HEADER_NAME = re.compile(r"[A-Za-z0-9.!%*_+`'~-]+")
PARAMETER = re.compile(r"([A-Za-z0-9_.-]+)\s*=\s*(\"(?:[^\"\\]|\\.)*\"|[^,;\s]+)")


class BadMessageError(ValueError):
    """What was received is no SIP message; its text says why."""


@dataclass(frozen=True)
class Message:
    """A request (`method` and `uri`) or a response (`status` and `reason`). Header names are small
    letters in their long form, in the order of arrival."""

    method: str = ""
    uri: str = ""
    status: int = 0
    reason: str = ""
    headers: list[tuple[str, str]] = field(default_factory=list)
    body: bytes = b""

    def all(self, name: str) -> list[str]:
        return [value for key, value in self.headers if key == name]

    def first(self, name: str, otherwise: str = "") -> str:
        return next(iter(self.all(name)), otherwise)

    @property
    def is_response(self) -> bool:
        return self.status > 0

    @property
    def is_final(self) -> bool:
        return self.status >= 200

    @property
    def good_for(self) -> int:
        """How many seconds an answer to REGISTER holds: the contact's `expires`, else the header
        (RFC 3261 §10.2.1.1); 0 where neither can be read."""
        named = re.search(
            r";\s*expires\s*=\s*(\d{1,9})(?=\s*(?:[;,]|$))", self.first("contact"), re.I
        )
        told = named[1] if named else self.first("expires").strip()
        return int(told) if told.isascii() and told.isdigit() and len(told) < 10 else 0

    @property
    def cseq(self) -> tuple[int, str]:
        """Number and method; (0, '') where it can't be read."""
        number, _, method = self.first("cseq").partition(" ")
        return (int(number), method.strip()) if number.isdigit() and len(number) < 11 else (0, "")

    @property
    def branch(self) -> str:
        """Of the topmost Via: what tells to which request a response belongs."""
        return parameters(self.first("via")).get("branch", "")


def parameters(value: str) -> dict[str, str]:
    """`;name=value` and `name="value"` pairs of a header, quotes taken off, names small."""
    return {
        name.lower(): re.sub(r"\\(.)", r"\1", given[1:-1]) if given.startswith('"') else given
        for name, given in PARAMETER.findall(value)
    }


def address_in(value: str) -> str:
    """The URI of a From, To or Contact: what stands in `<…>`, else up to the first semicolon."""
    inside = re.search(r"<([^>]*)>", value)
    return inside[1] if inside else value.partition(";")[0].strip()


def parse(data: bytes) -> Message:
    """One datagram. What comes after the stated length is passed over (RFC 3261 §18.3). Raises
    BadMessageError."""
    if len(data) > LARGEST:
        raise BadMessageError(f"it is larger than {LARGEST:,} bytes")
    head, body = _split(data.lstrip(b"\r\n"))
    message = _head(head)
    stated = length_in(message)
    if stated is not None and stated > len(body):
        raise BadMessageError(f"it is cut short: {stated} bytes are stated, {len(body)} came")
    kept = body if stated is None else body[:stated]
    return Message(
        message.method, message.uri, message.status, message.reason, message.headers, kept
    )


def _split(data: bytes) -> tuple[bytes, bytes]:
    for end in (b"\r\n\r\n", b"\n\n"):
        head, found, body = data.partition(end)
        if found:
            return head, body
    raise BadMessageError("it ends within its headers")


def _head(head: bytes) -> Message:
    text = head.decode("utf-8", "replace").replace("\r\n", "\n")
    first, *lines = re.sub(r"\n[ \t]+", " ", text).split("\n")
    headers = [_header(line) for line in lines if line]
    if status := STATUS_LINE.fullmatch(first):
        if status[1] != "2.0":
            raise BadMessageError(f"it is of SIP version {status[1]}")
        if not 100 <= int(status[2][:9]) <= 699:
            raise BadMessageError(f"there is no answer {status[2][:20]}")
        return Message(status=int(status[2]), reason=status[3].strip(), headers=headers)
    if request := REQUEST_LINE.fullmatch(first):
        if request[3] != "2.0":
            raise BadMessageError(f"it is of SIP version {request[3]}")
        return Message(method=request[1], uri=request[2], headers=headers)
    raise BadMessageError(f"it does not begin like SIP: “{first[:40]!r}”")


def _header(line: str) -> tuple[str, str]:
    name, colon, value = line.partition(":")
    name = name.strip().lower()
    if not colon or not HEADER_NAME.fullmatch(name):
        raise BadMessageError(f"“{line[:40]!r}” is no header")
    return COMPACT.get(name, name), value.strip()


def length_in(message: Message) -> int | None:
    """The stated length of the body; None where none is stated. Raises BadMessageError."""
    stated = set(message.all("content-length"))
    if not stated:
        return None
    if len(stated) > 1:
        raise BadMessageError("it states two lengths")
    length = stated.pop()
    if not length.isascii() or not length.isdigit():
        raise BadMessageError(f"its length is stated as “{length[:20]}”")
    if int(length[:9]) > LARGEST:
        raise BadMessageError(f"it states a length of more than {LARGEST:,} bytes")
    return int(length)


def take(stream: bytes) -> tuple[Message, bytes] | None:
    """The first message of what a connection has brought, and the rest; None while it is not whole.
    Raises BadMessageError."""
    stream = stream.lstrip(b"\r\n")
    head, found, rest = stream.partition(b"\r\n\r\n")
    if not found:
        if len(stream) > LARGEST:
            raise BadMessageError("its headers have no end")
        return None
    message = _head(head)
    length = length_in(message) or 0
    if len(rest) < length:
        return None
    body, rest = rest[:length], rest[length:]
    whole = Message(
        message.method, message.uri, message.status, message.reason, message.headers, body
    )
    return whole, rest


LONG = {
    "call-id": "Call-ID",
    "cseq": "CSeq",
    "www-authenticate": "WWW-Authenticate",
    "p-asserted-identity": "P-Asserted-Identity",
    "remote-party-id": "Remote-Party-ID",
}


def wire(message: Message) -> bytes:
    """A message as it is sent; its length is stated."""
    if message.is_response:
        first = f"SIP/2.0 {message.status} {message.reason}"
    else:
        first = f"{message.method} {message.uri} SIP/2.0"
    lines = [first]
    lines += [
        f"{LONG.get(name, name.title())}: {value}"
        for name, value in message.headers
        if name != "content-length"
    ]
    lines.append(f"Content-Length: {len(message.body)}")
    return "\r\n".join([*lines, "", ""]).encode() + message.body
