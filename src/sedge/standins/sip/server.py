"""The SIP side of the made-up carriers: listens on loopback (UDP, TCP, TLS), answers OPTIONS,
challenges REGISTER and INVITE, and takes calls to the lines that say the caller ID they see."""

import asyncio
import hashlib
import re
import secrets
import ssl
import threading
import time
from dataclasses import dataclass, field
from typing import cast

from sedge.standins.sip.certificates import Authority
from sedge.standins.sip.domains import DOMAINS, READBACK, Domain, zone
from sedge.standins.sip.names import Zones

NONCE_LASTS = 120.0
SLOW = 2.0
HASHES = {"MD5": hashlib.md5, "SHA-256": hashlib.sha256}
PAYLOADS = {"PCMU": 0, "PCMA": 8, "G722": 9}
REASONS = {
    100: "Trying",
    180: "Ringing",
    200: "OK",
    302: "Moved Temporarily",
    400: "Bad Request",
    401: "Unauthorized",
    403: "Forbidden",
    404: "Not Found",
    405: "Method Not Allowed",
    407: "Proxy Authentication Required",
    481: "Call/Transaction Does Not Exist",
    486: "Busy Here",
    488: "Not Acceptable Here",
    503: "Service Unavailable",
}
COMPACT = {
    "v": "via",
    "f": "from",
    "t": "to",
    "i": "call-id",
    "l": "content-length",
    "m": "contact",
}


@dataclass
class Asked:
    """A request as far as a carrier looks at it; headers by their small long names."""

    method: str
    uri: str
    headers: dict[str, list[str]] = field(default_factory=dict)
    body: bytes = b""

    def first(self, name: str) -> str:
        return (self.headers.get(name) or [""])[0]


def read(data: bytes) -> Asked | None:
    """None for what is no request."""
    head, _, body = data.partition(b"\r\n\r\n")
    lines = re.sub(r"\r\n[ \t]+", " ", head.decode("utf-8", "replace")).split("\r\n")
    first = lines[0].split(" ")
    if len(first) != 3 or first[2] != "SIP/2.0":
        return None
    asked = Asked(first[0], first[1], body=body)
    for line in lines[1:]:
        name, _, value = line.partition(":")
        key = name.strip().lower()
        asked.headers.setdefault(COMPACT.get(key, key), []).append(value.strip())
    return asked


def parts(value: str) -> dict[str, str]:
    return {k.lower(): v.strip('"') for k, v in re.findall(r'(\w+)=("[^"]*"|[^,;\s]+)', value)}


class SipCarriers:
    """Runs on a thread of its own once started; `faults` and `calls` are read from outside."""

    def __init__(self) -> None:
        self.authority = Authority()
        self.faults: dict[str, str] = {}
        self.calls: list[dict[str, str]] = []
        self.ports: dict[str, int] = {}
        self._nonces: dict[str, float] = {}
        self._settings: dict[tuple[str, str], ssl.SSLContext] = {}
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True, name="SIP stand-ins")

    def start(self) -> "SipCarriers":
        self._thread.start()
        if not self._ready.wait(10):
            raise RuntimeError("the SIP stand-ins could not start")
        return self

    def stop(self) -> None:
        asyncio.run_coroutine_threadsafe(self._close(), self._loop).result(5)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(timeout=5)
        self._loop.close()

    async def _close(self) -> None:
        for open_one in self._kept:
            open_one.close()
        busy = [task for task in asyncio.all_tasks() if task is not asyncio.current_task()]
        for task in busy:
            task.cancel()
        await asyncio.gather(*busy, return_exceptions=True)
        await asyncio.sleep(0)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._listen())
        self._ready.set()
        self._loop.run_forever()

    async def _listen(self) -> None:
        here = "127.0.0.1"
        tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        tls.sni_callback = self._certificate
        plain = await asyncio.start_server(self._stream("tcp"), here, 0)
        secure = await asyncio.start_server(self._stream("tls"), here, 0, ssl=tls)
        loop = asyncio.get_running_loop()
        datagrams, _ = await loop.create_datagram_endpoint(lambda: _Datagrams(self), (here, 0))
        self.ports = {
            "tcp": plain.sockets[0].getsockname()[1],
            "tls": secure.sockets[0].getsockname()[1],
            "udp": datagrams.get_extra_info("sockname")[1],
        }
        zones = Zones(zone(self.ports["tls"], self.ports["tcp"], self.ports["udp"]))
        names, _ = await loop.create_datagram_endpoint(lambda: zones, (here, 0))
        self.ports["dns"] = names.get_extra_info("sockname")[1]
        self._kept = (plain, secure, datagrams, names)

    def _certificate(self, secure: ssl.SSLObject, name: str | None, _old: ssl.SSLContext) -> None:
        domain = (name or next(iter(DOMAINS))).removeprefix("sip.")
        fault = self.faults.get(domain, "")
        key = (name or domain, fault if fault.endswith(("certificate", "signed")) else "")
        if key not in self._settings:
            self._settings[key] = self.authority.context(*key)
        secure.context = self._settings[key]

    def _stream(self, transport: str):
        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            peer = writer.get_extra_info("peername")[:2]
            brought = b""
            try:
                while more := await reader.read(65_536):
                    brought += more
                    while (end := brought.find(b"\r\n\r\n")) >= 0:
                        stated = re.search(
                            rb"(?im)^(?:content-length|l)\s*:\s*(\d+)", brought[:end]
                        )
                        size = end + 4 + (int(stated[1]) if stated else 0)
                        if len(brought) < size:
                            break
                        whole, brought = brought[:size], brought[size:]
                        async for answer in self.answers(whole, peer, transport):
                            writer.write(answer)
            except (ConnectionError, ssl.SSLError):
                pass
            finally:
                writer.close()

        return serve

    async def answers(self, data: bytes, peer: tuple[str, int], transport: str):
        """What is sent back, one message after the other, spoilt where that is ordered."""
        asked = read(data)
        if asked is None or asked.method == "ACK":
            return
        found = re.search(r"sips?:(?:[^@;>]*@)?([A-Za-z0-9.-]+)", asked.uri)
        name = (found[1] if found else "").removeprefix("sip.")
        fault = self.faults.get(name, "")
        if fault == "silent":
            return
        if fault == "slow":
            await asyncio.sleep(SLOW)
        domain = DOMAINS.get(name)
        if name == "127.0.0.1" and asked.method == "OPTIONS":
            yield self._made(asked, 200, peer)
            return
        if domain is None and asked.method not in {"BYE", "CANCEL"}:
            yield self._made(asked, 404, peer)
            return
        for answer in self._answers(asked, domain, name, fault, peer, transport):
            yield _spoilt(answer, fault)

    def _answers(
        self,
        asked: Asked,
        domain: Domain | None,
        name: str,
        fault: str,
        peer: tuple[str, int],
        transport: str,
    ) -> list[bytes]:
        if domain is None or asked.method in {"BYE", "CANCEL"}:
            return [self._made(asked, 200, peer)]
        if fault.isdigit():
            more = {"503": ["Retry-After: 120"], "302": ["Contact: <sip:elsewhere.example>"]}
            return [self._made(asked, int(fault), peer, more.get(fault, []))]
        match asked.method:
            case "OPTIONS":
                return [self._made(asked, 200, peer, ["Accept: application/sdp"])]
            case "REGISTER":
                if domain.trusts:
                    return [self._made(asked, 405, peer)]
                refused = self._refusal(asked, domain, name, fault, 401)
                if refused:
                    return [self._made(asked, *refused[:1], peer, refused[1])]
                contact = asked.first("contact")
                return [self._made(asked, 200, peer, [f"Contact: {contact};expires=300"])]
            case "INVITE":
                return self._call(asked, domain, name, fault, peer, transport)
        return [self._made(asked, 405, peer)]

    def _refusal(
        self, asked: Asked, domain: Domain, name: str, fault: str, challenge: int
    ) -> tuple[int, list[str]] | None:
        """A challenge, or why the answer to it is not good; None where it is."""
        given = parts(asked.first("authorization") or asked.first("proxy-authorization"))
        realm = "another.example" if fault == "wrong-realm" else name
        nonce = given.get("nonce", "")
        begun = self._nonces.get(nonce)
        old = begun is not None and time.monotonic() - begun > NONCE_LASTS
        if (
            fault == "old-nonce"
            and begun is not None
            and not given.get("nonce", "").startswith("b")
        ):
            old = True
        if not given or begun is None or old:
            return challenge, self._challenges(domain, realm, challenge, stale=old)
        if given.get("username") not in domain.users:
            return 404, []
        if given.get("realm") != name:
            return 403, []
        secret = domain.users[given["username"]]
        return None if _is_right(given, asked.method, secret) else (403, [])

    def _challenges(self, domain: Domain, realm: str, status: int, *, stale: bool) -> list[str]:
        header = "WWW-Authenticate" if status == 401 else "Proxy-Authenticate"
        nonce = ("b" if stale else "a") + secrets.token_hex(12)
        self._nonces[nonce] = time.monotonic()
        said = ", stale=true" if stale else ""
        return [
            f'{header}: Digest realm="{realm}", nonce="{nonce}", algorithm={algorithm},'
            f' qop="auth"{said}'
            for algorithm in domain.algorithms
        ]

    def _call(
        self,
        asked: Asked,
        domain: Domain,
        name: str,
        fault: str,
        peer: tuple[str, int],
        transport: str,
    ) -> list[bytes]:
        trying = self._made(asked, 100, peer)
        if not domain.trusts:
            refused = self._refusal(asked, domain, name, fault, 407)
            if refused:
                return [trying, self._made(asked, refused[0], peer, refused[1])]
        number = (re.search(r"sips?:([^@;>]*)@", asked.uri) or ["", ""])[1]
        shown = asked.first("p-asserted-identity") or asked.first("from")
        caller = (re.search(r"(?:sips?|tel):(\+?\d+)", shown) or ["", "nobody"])[1]
        if "+" + number.lstrip("+") not in READBACK:
            return [trying, self._made(asked, 404, peer)]
        offered = re.search(rb"m=audio \d+ \S+ ([\d ]+)", asked.body)
        numbers = offered[1].decode().split() if offered else []
        codec = next((c for c in domain.codecs if str(PAYLOADS[c]) in numbers), "")
        if offered and not codec:
            return [trying, self._made(asked, 488, peer)]
        self.calls.append({"domain": name, "to": number, "caller": caller, "over": transport})
        sdp = (
            f"v=0\r\no=- 1 1 IN IP4 127.0.0.1\r\ns=-\r\ni=The caller ID is {caller}\r\n"
            "c=IN IP4 127.0.0.1\r\nt=0 0\r\n"
            f"m=audio 9 RTP/AVP {PAYLOADS.get(codec, 8)}\r\na=inactive\r\n"
        )
        tag = secrets.token_hex(4)
        here = f"Contact: <sip:readback@127.0.0.1:{self.ports[transport]};transport={transport}>"
        return [
            trying,
            self._made(asked, 180, peer, tag=tag),
            self._made(asked, 200, peer, [here, "Content-Type: application/sdp"], sdp, tag=tag),
        ]

    def _made(
        self,
        asked: Asked,
        status: int,
        peer: tuple[str, int],
        more: list[str] = [],  # noqa: B006  never changed
        body: str = "",
        tag: str = "",
    ) -> bytes:
        vias = asked.headers.get("via", [""])
        seen = f"{vias[0].replace(';rport', '')};received={peer[0]};rport={peer[1]}"
        to = asked.first("to")
        if status > 100 and ";tag=" not in to:
            to += f";tag={tag or secrets.token_hex(4)}"
        lines = [
            f"SIP/2.0 {status} {REASONS[status]}",
            *(f"Via: {via}" for via in (seen, *vias[1:])),
            f"From: {asked.first('from')}",
            f"To: {to}",
            f"Call-ID: {asked.first('call-id')}",
            f"CSeq: {asked.first('cseq')}",
            *more,
            "Allow: INVITE, ACK, CANCEL, OPTIONS, BYE, REGISTER",
            "User-Agent: Made-up carrier 1.0",
            f"Content-Length: {len(body.encode())}",
        ]
        return ("\r\n".join([*lines, "", ""]) + body).encode()


def _is_right(given: dict[str, str], method: str, secret: str) -> bool:
    """RFC 7616 §3.4.1."""
    digest = HASHES.get(given.get("algorithm", "MD5").upper())
    if digest is None:
        return False

    def made(*words: str) -> str:
        return digest(":".join(words).encode()).hexdigest()

    who = made(given["username"], given.get("realm", ""), secret)
    what = made(method, given.get("uri", ""))
    middle = [given.get("nonce", "")]
    if given.get("qop") == "auth":
        middle += [given.get("nc", ""), given.get("cnonce", ""), "auth"]
    return secrets.compare_digest(made(who, *middle, what), given.get("response", ""))


def _spoilt(answer: bytes, fault: str) -> bytes:
    match fault:
        case "cut-short":
            return answer[: len(answer) // 2]
        case "rubbish":
            return bytes(range(256)) + b"\r\n\r\n"
        case "wrong-length":
            return re.sub(rb"Content-Length: \d+", b"Content-Length: 4000", answer)
    return answer


class _Datagrams(asyncio.DatagramProtocol):
    def __init__(self, carriers: SipCarriers) -> None:
        self._carriers = carriers
        self._busy: set[asyncio.Task[None]] = set()
        self._way: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._way = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        task = asyncio.get_running_loop().create_task(self._serve(data, addr))
        self._busy.add(task)
        task.add_done_callback(self._busy.discard)

    async def _serve(self, data: bytes, addr: tuple[str, int]) -> None:
        async for answer in self._carriers.answers(data, addr, "udp"):
            if self._way:
                self._way.sendto(answer, addr)
