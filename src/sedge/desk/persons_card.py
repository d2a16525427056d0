"""A person's card: everything they have, what a call to them would do now, and every piece that is missing."""

from dataclasses import dataclass

from sqlalchemy import func, select

from sedge.core.outbound.caller_id import shown_in_words
from sedge.core.paths.trace import Trace, World, trace_inbound
from sedge.core.records import Device, Group, HolderKind, HolderRef, Number, Person, Site, Spot, Subject
from sedge.core.workorders import standing
from sedge.core.workorders.findings import Finding
from sedge.desk import devices, usual_work
from sedge.desk.desk import Desk
from sedge.store import tables

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
        return self.trace.ending.kind in {"answered", "mailbox"} and bool(self.trace.rang)


@dataclass(frozen=True)
class PersonsCard:
    """`findings` are what the rules of giving a number say of those they have; `manages` the first who name them as manager."""

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


def look(desk: Desk, key: str) -> PersonsCard:
    """Raises NotFound."""
    silent = devices.of_person(desk, key)
    with desk.reading() as reading:
        person = reading.records.the(Person, key)
        estate = reading.look_at(Subject.PERSON, key)
        held = estate.numbers_of(HolderRef(kind=HolderKind.PERSON, id=key))
        calls = [Called(n, trace_inbound(n.e164, reading.now, World(), estate)) for n in held[:5]]
        findings = [f for n in held for f in standing.of_number(n, estate)]
        table = tables.person
        shares = (table.c.extension == person.extension, table.c.site == person.site, table.c.departed.is_(False), table.c.id != key)
        spots = [s for s in reading.records.where(Spot, tables.spot.c.site == person.site) if not s.removed]
        reports = (table.c.manager == key, table.c.departed.is_(False))
        return PersonsCard(
            person=person,
            site=reading.records.the(Site, person.site),
            spots=spots,
            manager=reading.records.find(Person, person.manager),
            manages=reading.records.where(Person, *reports, order_by=table.c.name, limit=MOST_REPORTS),
            manages_count=reading.connection.execute(select(func.count()).where(*reports)).scalar() or 0,
            groups=usual_work.groups_of(reading, key),
            devices=silent,
            calls=calls,
            findings=findings,
            shows=shown_in_words(estate.the(Person, key), estate),
            same_extension=reading.records.where(Person, *shares, order_by=table.c.name, limit=1) if person.extension else [],
        )
