"""A person's card: everything they have, what a call to them would do now, and every piece that is
missing."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select

from sedge.core.callpaths.tracing.trace import Trace, World, trace_inbound
from sedge.core.callpaths.tracing.world import EndingKind
from sedge.core.estate import Estate
from sedge.core.outbound.caller_id import shown_in_words
from sedge.core.records import (
    Device,
    Group,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Site,
    Spot,
    Subject,
)
from sedge.core.workorders import continuous_checks
from sedge.core.workorders.findings import Finding
from sedge.services.context import Context
from sedge.services.holders.devices import devices
from sedge.services.workorders import guided_workflows
from sedge.store.schema import tables

MOST_REPORTS = 12  # people named on their manager's card; how many more is said


@dataclass(frozen=True)
class Called:
    """What a call to one of their numbers would do now."""

    number: Number
    trace: Trace

    @property
    def story(self) -> str:
        return f"{self.trace.ending.kind}: {self.trace.ending.reason}"

    @property
    def well(self) -> bool:
        return self.trace.ending.kind in {EndingKind.ANSWERED, EndingKind.MAILBOX} and bool(
            self.trace.rang
        )

    @property
    def rings_nobody(self) -> bool:
        """Neither somebody rings, nor is the caller told or sent on as the path means it."""
        meant = {EndingKind.FORWARDED, EndingKind.ANNOUNCED, EndingKind.OPEN}
        return not self.trace.rang and self.trace.ending.kind not in meant


@dataclass(frozen=True)
class PersonsCard:
    """`findings` are what the rules of giving a number say of those they have; `manages` the first
    who name them as manager."""

    person: Person
    site: Site
    spots: list[Spot]
    manager: Person | None
    manages: list[Person]
    manages_count: int
    groups: list[Group]
    devices: list[tuple[Device, str]]
    calls: list[Called]
    findings: list[Finding]
    same_extension: list[Person]
    shows: str


def calls_to(context: Context, subject: Subject, holder: HolderRef) -> list[Called]:
    """How a call to each number of a holder would go now, of five at most."""
    with context.reading() as reading:
        estate = reading.look_at(subject, holder.id)
        return _calls(estate, holder, reading.now)


def _calls(estate: Estate, holder: HolderRef, now: datetime) -> list[Called]:
    return [
        Called(n, trace_inbound(n.e164, now, World(), estate))
        for n in estate.numbers_of(holder)[:5]
    ]


def view_person(context: Context, key: str) -> PersonsCard:
    """Raises NotFound."""
    silent = devices.of_person(context, key)
    with context.reading() as reading:
        person = reading.records.the(Person, key)
        estate = reading.look_at(Subject.PERSON, key)
        held = estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=key))
        calls = _calls(estate, HolderRef(kind=HolderKind.PERSON, id=key), reading.now)
        findings = [f for n in held for f in continuous_checks.of_number(n, estate)]
        table = tables.person
        shares = (
            table.c.extension == person.extension,
            table.c.site == person.site,
            table.c.departed.is_(False),
            table.c.id != key,
        )
        spots = [
            s
            for s in reading.records.where(Spot, tables.spot.c.site == person.site)
            if not s.removed
        ]
        reports = (table.c.manager == key, table.c.departed.is_(False))
        return PersonsCard(
            person=person,
            site=reading.records.the(Site, person.site),
            spots=spots,
            manager=reading.records.find(Person, person.manager),
            manages=reading.records.where(
                Person, *reports, order_by=table.c.name, limit=MOST_REPORTS
            ),
            manages_count=reading.connection.execute(select(func.count()).where(*reports)).scalar()
            or 0,
            groups=guided_workflows.groups_of(reading, key),
            devices=silent,
            calls=calls,
            findings=findings,
            shows=shown_in_words(estate.the(Person, key), estate),
            same_extension=(
                reading.records.where(Person, *shares, order_by=table.c.name, limit=1)
                if person.extension
                else []
            ),
        )
