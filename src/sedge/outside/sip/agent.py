"""A small user agent client (RFC 3261): asks for OPTIONS, registers, and places a call that is hung
up once it is answered. It carries no sound."""

import asyncio
import re
import secrets
import time
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass, field, replace

from sedge.outside.sip.digest import Challenge
from sedge.outside.sip.lines import Line
from sedge.outside.sip.messages import BadMessageError, Message, address_in, parameters

T1 = 0.5  # seconds: how long a message and its answer take at most, usually (RFC 3261 §17.1.1.1)
T2 = 4.0
USER_AGENT = "Sedge"
EXPIRES = 300
PAYLOADS = {"PCMU": 0, "GSM": 3, "G723": 4, "PCMA": 8, "G722": 9, "G729": 18}  # RFC 3551
DYNAMIC = {"opus": (111, "opus/48000/2"), "telephone-event": (101, "telephone-event/8000")}


@dataclass(frozen=True)
class Heard:
    """The final answer to a request, with the provisional ones before it; `seconds` until it came;
    `seen_as` is our own address as the other side sees it, '' where it does not say."""

    answer: Message
    before: list[Message]
    seconds: float
    seen_as: str = ""

    @property
    def status(self) -> int:
        return self.answer.status


class NoAnswerError(TimeoutError):
    """Nothing final came in time; `before` has what came."""

    def __init__(self, before: Sequence[Message] = ()) -> None:
        super().__init__("no answer")
        self.before = list(before)


@dataclass(frozen=True)
class Signer:
    """Who signs in with what."""

    user: str
    secret: str


@dataclass
class Agent:
    """One user agent over one line. `domain` is whom it speaks to, `user` who it is there."""

    line: Line
    domain: str
    user: str
    wait: float = 4.0
    call_id: str = field(default_factory=lambda: f"{secrets.token_hex(8)}@sedge")
    tag: str = field(default_factory=lambda: secrets.token_hex(4))
    cseq: int = 0

    async def options(self) -> Heard:
        """Raises NoAnswerError, BadMessageError, ConnectionError."""
        return await self._ask(self._request("OPTIONS", f"sip:{self.domain}"))

    async def register(self, signer: Signer, expires: int = EXPIRES) -> list[Heard]:
        """What was answered to each attempt: usually a challenge, then the rest. A nonce that has
        grown old is answered once more. Raises as `options`."""
        uri = f"sip:{self.domain}"
        return await self._signed(uri, "REGISTER", signer, [("expires", str(expires))])

    async def _signed(
        self,
        uri: str,
        method: str,
        signer: Signer | None,
        headers: list[tuple[str, str]],
        body: bytes = b"",
        to: str = "",
    ) -> list[Heard]:
        found: list[Heard] = []
        proof: list[tuple[str, str]] = []
        for attempt in range(3):
            request = self._request(method, uri, [*headers, *proof], body, to)
            found.append(await self._ask(request))
            answer = found[-1].answer
            if answer.status not in {401, 407} or signer is None:
                break
            challenge = Challenge(answer)
            if not challenge.is_understood or (attempt and not challenge.stale):
                break
            proof = [challenge.answer(method, uri, signer.user, signer.secret)]
        return found

    async def call(
        self,
        number: str,
        signer: Signer | None,
        *,
        identity: Sequence[tuple[str, str]] = (),
        codecs: Sequence[str] = ("PCMA", "PCMU"),
    ) -> list[Heard]:
        """Calls a number and hangs up once it is answered; gives up ringing after `wait` seconds.

        Raises as `options`; NoAnswerError has what came before.
        """
        uri = f"sip:{number}@{self.domain}"
        headers = [*identity, ("content-type", "application/sdp")]
        found = await self._signed(uri, "INVITE", signer, headers, self._offer(codecs), to=uri)
        last = found[-1].answer
        if 200 <= last.status < 300:
            await self._hang_up(uri, last)
        return found

    async def _hang_up(self, uri: str, answered: Message) -> None:
        target = address_in(answered.first("contact")) or uri
        bye = self._request("BYE", target, to=uri)
        bye = _with(bye, "to", answered.first("to"))
        try:
            await self._ask(bye)
        except (NoAnswerError, BadMessageError, ConnectionError):
            return

    def _request(
        self,
        method: str,
        uri: str,
        more: Sequence[tuple[str, str]] = (),
        body: bytes = b"",
        to: str = "",
    ) -> Message:
        self.cseq += 1
        host, port = self.line.own
        shown = f"[{host}]" if ":" in host else host
        by = self.line.transport.value
        me = f"sip:{self.user}@{self.domain}"
        branch = f"z9hG4bK{secrets.token_hex(8)}"
        headers = [
            ("via", f"SIP/2.0/{by.upper()} {shown}:{port};branch={branch};rport"),
            ("max-forwards", "70"),
            ("from", f"<{me}>;tag={self.tag}"),
            ("to", f"<{to or (me if method == 'REGISTER' else uri)}>"),
            ("call-id", self.call_id),
            ("cseq", f"{self.cseq} {method}"),
            ("contact", f"<sip:{self.user}@{shown}:{port};transport={by}>"),
            ("user-agent", USER_AGENT),
        ]
        names = {name for name, _ in more}
        kept = [pair for pair in headers if pair[0] not in names]
        return Message(method=method, uri=uri, headers=[*kept, *more], body=body)

    async def _ask(self, request: Message) -> Heard:
        """Sends a request, again where the line may lose it, until it is finally answered."""
        begun = time.monotonic()
        before: list[Message] = []
        async for answer in self._answers(request, before):
            if request.method == "INVITE":
                self.line.send(_ack(request, answer))
            via = parameters(answer.first("via"))
            seen = ":".join(part for part in (via.get("received"), via.get("rport")) if part)
            return Heard(answer, before, time.monotonic() - begun, seen)
        if request.method == "INVITE" and before:
            self.line.send(_cancel(request))
        raise NoAnswerError(before)

    async def _answers(self, request: Message, before: list[Message]) -> AsyncIterator[Message]:
        loop = asyncio.get_running_loop()
        ends, again = loop.time() + self.wait, T1
        self.line.send(request)
        sent = loop.time()
        while (left := ends - loop.time()) > 0:
            resend = not self.line.keeps and not before
            pause = min(left, max(0.0, sent + again - loop.time())) if resend else left
            try:
                found = await asyncio.wait_for(self.line.receive(), pause)
            except TimeoutError:
                if resend and ends - loop.time() > 0:
                    self.line.send(request)
                    sent, again = loop.time(), min(again * 2, T2)
                continue
            if not found.is_response or found.branch != request.branch:
                continue
            if found.is_final:
                yield found
                return
            before.append(found)

    def _offer(self, codecs: Sequence[str]) -> bytes:
        """An offer of codecs (RFC 3264); no sound flows."""
        host, _ = self.line.own
        kind = "IP6" if ":" in host else "IP4"
        known = [*codecs, "telephone-event"]
        numbers = [PAYLOADS[c] if c in PAYLOADS else DYNAMIC[c][0] for c in known if _has(c)]
        lines = [
            "v=0",
            f"o=- {secrets.randbelow(10**9)} 1 IN {kind} {host}",
            "s=-",
            f"c=IN {kind} {host}",
            "t=0 0",
            f"m=audio 9 RTP/AVP {' '.join(map(str, numbers))}",
            *(f"a=rtpmap:{PAYLOADS[c]} {c}/8000" for c in known if c in PAYLOADS),
            *(f"a=rtpmap:{DYNAMIC[c][0]} {DYNAMIC[c][1]}" for c in known if c in DYNAMIC),
            "a=inactive",
            "",
        ]
        return "\r\n".join(lines).encode()


def _has(codec: str) -> bool:
    return codec in PAYLOADS or codec in DYNAMIC


def codecs_in(sdp: bytes) -> list[str]:
    """The codecs that a session description names for sound, in its order."""
    text = sdp.decode("utf-8", "replace")
    sound = re.search(r"^m=audio \d+(?:/\d+)? \S+ ([0-9 ]+)", text, re.MULTILINE)
    names = dict(re.findall(r"^a=rtpmap:(\d+) ([^/\s]+)", text, re.MULTILINE))
    usual = {str(number): codec for codec, number in PAYLOADS.items()}
    listed = sound[1].split() if sound else []
    found = [names.get(n) or usual.get(n) or "" for n in listed]
    return [codec for codec in found if codec and codec != "telephone-event"]


def _with(message: Message, name: str, value: str) -> Message:
    headers = [(key, value if key == name else old) for key, old in message.headers]
    return replace(message, headers=headers)


def _ack(request: Message, answer: Message) -> Message:
    """RFC 3261 §17.1.1.3 and §13.2.2.4: a refusal is acknowledged within its transaction, an answer
    with one of its own, to where the answer says."""
    headers = [
        (name, value)
        for name, value in request.headers
        if name in {"via", "max-forwards", "from", "call-id", "authorization"}
    ]
    number, _ = request.cseq
    headers += [("to", answer.first("to")), ("cseq", f"{number} ACK")]
    uri = request.uri
    if answer.status < 300:
        uri = address_in(answer.first("contact")) or uri
        via = re.sub(r"branch=[^;]+", f"branch=z9hG4bK{secrets.token_hex(8)}", request.first("via"))
        headers = [(name, via if name == "via" else value) for name, value in headers]
    return Message(method="ACK", uri=uri, headers=headers)


def _cancel(request: Message) -> Message:
    headers = [
        (name, value)
        for name, value in request.headers
        if name in {"via", "max-forwards", "from", "to", "call-id"}
    ]
    number, _ = request.cseq
    return Message(
        method="CANCEL", uri=request.uri, headers=[*headers, ("cseq", f"{number} CANCEL")]
    )
