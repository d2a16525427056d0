"""A tiny DNS that serves the made-up zones of the SIP carriers."""

import asyncio
from typing import cast

import dns.exception
import dns.flags
import dns.message
import dns.name
import dns.opcode
import dns.rcode
import dns.rdataclass
import dns.rdatatype
import dns.rrset

TTL = 300
LONGEST_CHAIN = 8


class Zones(asyncio.DatagramProtocol):
    """`records` maps a name and a kind of record to its values, as zone files write them."""

    def __init__(self, records: dict[tuple[str, str], list[str]]) -> None:
        self.records = records
        self._way: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._way = cast(asyncio.DatagramTransport, transport)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        try:
            asked = dns.message.from_wire(data)
            answer = self.answer(asked)
        except (dns.exception.DNSException, ValueError):
            return
        if self._way:
            self._way.sendto(answer.to_wire(), addr)

    def answer(self, asked: dns.message.Message) -> dns.message.Message:
        answer = dns.message.make_response(asked)
        answer.flags |= dns.flags.AA
        for question in asked.question:
            name = question.name
            kind = dns.rdatatype.to_text(question.rdtype)
            for _ in range(LONGEST_CHAIN):
                text = name.to_text(omit_final_dot=True).lower()
                if values := self.records.get((text, kind)):
                    answer.answer.append(dns.rrset.from_text_list(name, TTL, "IN", kind, values))
                    break
                alias = self.records.get((text, "CNAME"))
                if not alias:
                    known = any(known == text for known, _ in self.records)
                    if not known and not answer.answer:
                        answer.set_rcode(dns.rcode.NXDOMAIN)
                    break
                answer.answer.append(dns.rrset.from_text_list(name, TTL, "IN", "CNAME", alias))
                name = dns.name.from_text(alias[0])
        return answer
