"""Calls out that are followed: who calls, as people name them, and what their call becomes."""

from dataclasses import dataclass
from datetime import datetime

from sedge.core.enums import Subject
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import read
from sedge.core.outbound.arriving import trace_from_system, trace_from_trunk
from sedge.core.outbound.trace import OutboundTrace, trace_outbound
from sedge.core.records import (
    Device,
    Downstream,
    HolderKind,
    HolderRef,
    Number,
    Person,
    ServiceLine,
    Site,
    Trunk,
)
from sedge.services import people_lookup
from sedge.services.context import Context, Reading

PAGES = {
    Subject.PERSON: "/holders/people/",
    Subject.SERVICE_LINE: "/holders/lines/",
    Subject.SITE: "/holders/sites/",
    Subject.DOWNSTREAM: "/holders/downstream/",
    Subject.TRUNK: "/carriers/trunks/",
}
HOLDERS = {
    Subject.PERSON: HolderKind.PERSON,
    Subject.SERVICE_LINE: HolderKind.SERVICE_LINE,
    Subject.SITE: HolderKind.SITE,
    Subject.DOWNSTREAM: HolderKind.DOWNSTREAM,
}
NAMED = {  # who may call beside people, in the order in which a name is looked for
    Subject.SERVICE_LINE: ServiceLine,
    Subject.SITE: Site,
    Subject.DOWNSTREAM: Downstream,
    Subject.TRUNK: Trunk,
}


@dataclass(frozen=True)
class WhoCalls:
    """Where a call comes from. `at`: the device that was named, of a person."""

    subject: Subject
    id: str
    name: str
    at: str = ""

    @property
    def href(self) -> str:
        return f"{PAGES[self.subject]}{self.id}"

    @property
    def is_person(self) -> bool:
        return self.subject is Subject.PERSON

    @property
    def has_dial_plan(self) -> bool:
        """Whether keys are dialled here; from elsewhere whole numbers arrive."""
        return self.subject not in {Subject.DOWNSTREAM, Subject.TRUNK}

    @property
    def is_trunk(self) -> bool:
        return self.subject is Subject.TRUNK


def caller_named(context: Context, typed: str) -> WhoCalls:
    """Who calls: a service line, a site, another telephone system, a trunk or a device by its name
    or id, else a person. Raises NotUnderstood."""
    plain = typed.strip().casefold()
    with context.reading() as reading:
        for subject, record_type in NAMED.items():
            for found in reading.records.all(record_type):
                if plain and plain in {found.id.casefold(), found.name.casefold()}:
                    return WhoCalls(subject, found.id, found.name)
        device = reading.records.find(Device, plain) or _device_named(reading, plain)
        if device:
            owner = reading.records.the(Person, device.person)
            return WhoCalls(Subject.PERSON, owner.id, owner.name, device.name)
    person = people_lookup.person_named(context, typed)
    return WhoCalls(Subject.PERSON, person.id, person.name)


def _device_named(reading: Reading, plain: str) -> Device | None:
    found = [d for d in reading.records.all(Device) if d.name.casefold() == plain]
    if len(found) > 1:
        ids = ", ".join(d.id for d in found[:4])
        message = f"{len(found)} devices are called that. Type one's id ({ids}), or whose it is."
        raise NotUnderstood(message, field="person")
    return found[0] if found else None


def follow_out(
    context: Context, subject: Subject, key: str, digits: str, at: datetime | None = None
) -> OutboundTrace:
    """Follow what somebody dials, or what reaches us from another telephone system or over a trunk,
    at a moment (None: now); numbers, spots and main numbers are looked at as they stand. Raises
    NotFound."""
    with context.reading() as reading:
        estate = reading.estate(_needed(reading, subject, key, digits))
    if at:
        estate = estate.fork(at)
    caller = estate.the(Trunk, key) if subject is Subject.TRUNK else _holder(estate, subject, key)
    match caller:
        case Trunk():
            return trace_from_trunk(caller, digits, estate)
        case Downstream():
            return trace_from_system(caller, digits, estate)
        case Person() | ServiceLine() | Site():
            return trace_outbound(caller, digits, estate)
    raise NotFound("Nobody calls by that name.", subject=subject, id=key)


def _holder(estate: Estate, subject: Subject, key: str) -> object:
    return estate.holder(HolderRef(kind=HOLDERS[subject], id=key))


def _needed(reading: Reading, subject: Subject, key: str, digits: str) -> LoadSpec:
    """Whoever calls with their numbers; for what reaches us from elsewhere also the number that is
    called, should it be one of ours."""
    if subject is Subject.TRUNK:
        called = reading.records.the(Trunk, key)
        return LoadSpec(
            trunks={key},
            listed={key},
            sites={called.site},
            numbers=_called(reading, called, digits),
        )
    ref = HolderRef(kind=HOLDERS[subject], id=key)
    wanted = LoadSpec(numbers={n.e164 for n in reading.records.held_by(Number, [ref])})
    wanted.holders.add(ref)
    if subject is Subject.DOWNSTREAM:
        system = reading.records.the(Downstream, key)
        wanted.sites.add(system.site)
        wanted.numbers |= _called(reading, system, digits)
    return wanted


def _called(reading: Reading, via: Downstream | Trunk, digits: str) -> set[str]:
    site = reading.records.the(Site, via.site)
    return {c.e164 for c in read(digits, site.country).candidates[:1]}
