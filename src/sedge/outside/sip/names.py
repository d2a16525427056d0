"""Where a SIP server is (RFC 3263): NAPTR, SRV, A and AAAA, each record with how long it holds."""

import ipaddress
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from sedge.core.enums import Transport

if TYPE_CHECKING:
    from dns.resolver import Resolver

SERVICE = {Transport.UDP: "_sip._udp", Transport.TCP: "_sip._tcp", Transport.TLS: "_sips._tcp"}
PORT = {Transport.UDP: 5060, Transport.TCP: 5060, Transport.TLS: 5061}
LONGEST_KEPT = 3600  # seconds
NAPTR = {Transport.UDP: "SIP+D2U", Transport.TCP: "SIP+D2T", Transport.TLS: "SIPS+D2T"}


@dataclass(frozen=True)
class Record:
    """One answer of the DNS: `SRV _sips._tcp.a.example`, what it says, seconds it holds."""

    kind: str
    name: str
    value: str
    ttl: int


@dataclass(frozen=True)
class Target:
    """An address to try, and the name that led to it."""

    address: str
    port: int
    name: str


@dataclass(frozen=True)
class Whereabouts:
    """`targets` in the order to try; empty with why in `problem`: `no-name`, `no-address`,
    `srv-to-nowhere`, `dns-silent`, `dns-failed` (it answers and can't say, as with aliases that
    lead in a circle)."""

    targets: list[Target] = field(default_factory=list)
    records: list[Record] = field(default_factory=list)
    problem: str = ""
    about: str = ""


Asked = tuple[str, int | None, Transport]


class Names:
    """Asks the DNS: the machine's own servers, or one at an address and port."""

    def __init__(self, server: tuple[str, int] | None = None, seconds: float = 3.0) -> None:
        self._server, self._seconds = server, seconds
        self._known: dict[Asked, tuple[float, Whereabouts]] = {}

    def find_again(self, host: str, port: int | None, transport: Transport) -> Whereabouts:
        """The same as `find`, as it was found before where every record still holds."""
        asked, now = (host, port, transport), time.monotonic()
        known = self._known.get(asked)
        if known is None or known[0] <= now:
            found = self.find(host, port, transport)
            holds = min((r.ttl for r in found.records), default=LONGEST_KEPT)
            until = now + min(holds, LONGEST_KEPT) if found.targets else now
            known = self._known[asked] = (until, found)
        return known[1]

    def _resolver(self) -> "Resolver":
        from dns.resolver import Resolver

        made = Resolver(configure=self._server is None)
        if self._server:
            made.nameservers = [self._server[0]]
            made.port = self._server[1]
        made.lifetime = self._seconds
        return made

    def texts(self, name: str) -> list[str]:
        """The TXT values at a name; empty where there are none."""
        found, _ = self._ask(name, "TXT", [])
        return ["".join(part.decode("utf-8", "replace") for part in x.strings) for x in found]

    def find(self, host: str, port: int | None, transport: Transport) -> Whereabouts:
        """Where to send what is for a host."""
        records: list[Record] = []
        try:
            address = ipaddress.ip_address(host.strip("[]"))
        except ValueError:
            pass
        else:
            return Whereabouts([Target(str(address), port or PORT[transport], host)], [])
        if port is None:
            pairs, problem, about = self._services(host, transport, records)
            if problem:
                return Whereabouts([], records, problem, about)
        else:
            pairs = [(host, port)]
        targets, problem, about = self._addresses(pairs, records)
        return Whereabouts(targets, records, "" if targets else problem, about)

    def _services(
        self, host: str, transport: Transport, records: list[Record]
    ) -> tuple[list[tuple[str, int]], str, str]:
        """Names and ports, by NAPTR and SRV; the host itself where there are none."""
        service = f"{SERVICE[transport]}.{host}"
        naptr, _ = self._ask(host, "NAPTR", records)
        for found in sorted(naptr, key=lambda x: (x.order, x.preference)):
            if found.service.decode().upper() == NAPTR[transport] and found.flags.lower() == b"s":
                service = found.replacement.to_text(omit_final_dot=True)
                break
        srv, problem = self._ask(service, "SRV", records)
        if problem == "dns-silent":
            return [], problem, service
        if not srv:
            return [(host, PORT[transport])], "", ""
        ordered = sorted(srv, key=lambda x: (x.priority, -x.weight))
        pairs = [(x.target.to_text(omit_final_dot=True), x.port) for x in ordered]
        if all(name == "." or not name for name, _ in pairs):
            return [], "srv-to-nowhere", service
        return pairs, "", ""

    def _addresses(
        self, pairs: list[tuple[str, int]], records: list[Record]
    ) -> tuple[list[Target], str, str]:
        targets: list[Target] = []
        problem, about = "no-address", pairs[0][0]
        for name, port in pairs:
            for kind in ("A", "AAAA"):
                found, why = self._ask(name, kind, records)
                targets += [Target(x.address, port, name) for x in found]
                if why:
                    problem, about = why, name
        return targets, problem, about

    def _ask(self, name: str, kind: str, records: list[Record]) -> tuple[list[Any], str]:
        """What the DNS has, kept in `records`, and in a word why there is nothing."""
        import dns.exception
        import dns.name
        import dns.resolver

        try:
            answer = self._resolver().resolve(name, kind)
        except dns.resolver.NXDOMAIN:
            return [], "no-name"
        except dns.resolver.NoAnswer:
            return [], "no-address"
        except dns.resolver.NoNameservers:
            return [], "dns-failed"
        except (dns.exception.DNSException, ValueError, OSError):
            return [], "dns-silent"
        ttl = answer.rrset.ttl if answer.rrset is not None else 0
        records.extend(Record(kind, name, x.to_text(), ttl) for x in answer)
        if answer.canonical_name != dns.name.from_text(name):
            records.append(Record("CNAME", name, answer.canonical_name.to_text(True), ttl))
        return list(answer), ""
