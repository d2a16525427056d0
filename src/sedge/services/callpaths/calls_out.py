"""Calls out that are followed: who calls, as people name them, and what their call becomes."""

from dataclasses import dataclass
from datetime import datetime

from sedge.core.errors import NotAllowedNow
from sedge.core.load_spec import LoadSpec
from sedge.core.outbound.caller_id import Caller
from sedge.core.outbound.trace import OutboundTrace, trace_outbound
from sedge.core.records import HolderKind, HolderRef, Number, Person, ServiceLine, Site
from sedge.services.context import Desk
from sedge.services.holders import holders

PAGES = {HolderKind.SERVICE_LINE: "lines", HolderKind.SITE: "sites", HolderKind.PERSON: "people"}


@dataclass(frozen=True)
class WhoCalls:
    """A caller with the name and the page of it."""

    ref: HolderRef
    name: str

    @property
    def href(self) -> str:
        return f"/holders/{PAGES[self.ref.kind]}/{self.ref.id}"

    @property
    def is_person(self) -> bool:
        return self.ref.kind is HolderKind.PERSON


def caller_named(desk: Desk, typed: str) -> WhoCalls:
    """Who calls: a service line or a site by its name, else a person. Raises NotUnderstood."""
    plain = typed.strip().casefold()
    others = ((HolderKind.SERVICE_LINE, ServiceLine), (HolderKind.SITE, Site))
    with desk.reading() as reading:
        for kind, record_type in others:
            for found in reading.records.all(record_type):
                if plain and plain in {found.id.casefold(), found.name.casefold()}:
                    return WhoCalls(HolderRef(kind=kind, id=found.id), found.name)
    person = holders.person_named(desk, typed)
    return WhoCalls(HolderRef(kind=HolderKind.PERSON, id=person.id), person.name)


def follow_out(
    desk: Desk, caller: HolderRef, digits: str, at: datetime | None = None
) -> OutboundTrace:
    """Follow what a person, a service line or a site dials, at a moment (None: now); their numbers,
    spots and their site's main number are looked at as they stand. Raises NotFound."""
    with desk.reading() as reading:
        own = {number.e164 for number in reading.records.held_by(Number, [caller])}
        wanted = LoadSpec(numbers=own)
        wanted.holders.add(caller)
        estate = reading.estate(wanted)
    calls: Caller | object = estate.holder(caller)
    if not isinstance(calls, Person | ServiceLine | Site):
        message = "Another telephone system dials by its own rules: ask there."
        raise NotAllowedNow(message, reason="downstream")
    return trace_outbound(calls, digits, estate.fork(at) if at else estate)
