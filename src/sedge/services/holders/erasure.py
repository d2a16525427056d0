"""Erasing the personal data of somebody who has left: from their record, from every text that names
them, and from the ledger, whose chain still holds."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.ledger.chain import ERASURE
from sedge.core.records import Device, Grant, HolderKind, HolderRef, Number, Person, Subject
from sedge.services.context import Context, Reading
from sedge.store import erasing
from sedge.store.schema import tables

NOBODY = "Erased person"
SHORTEST_NAME = 6  # characters, with a space: shorter ones are found in other words


@dataclass(frozen=True)
class Erasable:
    """`missing` says what has to be done before, '' where nothing; `namesakes` have the same name,
    so that only the mail address is looked for in texts."""

    person: Person
    missing: str
    namesakes: int
    is_erased: bool


@dataclass(frozen=True)
class Erased:
    """How many rows and entries of the ledger named them."""

    person: Person
    rows: int
    entries: int


def view(context: Context, key: str) -> Erasable:
    """Raises NotFound."""
    context.require(May.SET_RULES)
    with context.reading() as reading:
        person = reading.records.the(Person, key)
        alike = erasing.namesakes(reading.connection, key, person.name)
        missing = what_is_missing(reading, [person])[key]
        return Erasable(person, missing, alike, is_erased(person))


def erase(context: Context, key: str, reason: str) -> Erased:
    """For good; it can't be undone. Raises NotFound, NotUnderstood without a reason, NotAllowedNow
    for somebody who is still here, still has something, or is erased already."""
    found = view(context, key)
    if not reason.strip():
        raise NotUnderstood("Say why: who asked for it, or which rule.", field="reason")
    if found.is_erased:
        raise NotAllowedNow("Their personal data has been erased already.", reason="erased")
    if found.missing:
        raise NotAllowedNow(found.missing, reason="still-here")
    person = found.person
    words = erasing.Words(
        person.name, person.email, NOBODY, by_name=not found.namesakes and _can_be_told(person)
    )
    gone = Person(id=person.id, name=NOBODY, email="", site=person.site, rights=(), left=True)
    with context.writing(reason=words.without(reason.strip())) as writing:
        before = writing.records.the(Person, key)
        [saved] = writing.save(
            [
                changed(
                    Subject.PERSON, before, gone.copy_with(version=before.version), "person.erased"
                )
            ]
        )
        rows = erasing.scrub(writing.connection, words)
        entries = erasing.scrub_ledger(writing.connection, key, words)
        told = {"entries": [list(entry) for entry in entries], "rows": rows}
        writing.record_event(ERASURE, Subject.PERSON, key, NOBODY, told)
    return Erased(saved.after, rows, len(entries))


def is_erased(person: Person) -> bool:
    """Somebody who has left keeps a mail address until their personal data is erased."""
    return person.left and not person.email


def _can_be_told(person: Person) -> bool:
    return len(person.name) >= SHORTEST_NAME and " " in person.name.strip()


def what_is_missing(reading: Reading, people: Sequence[Person]) -> dict[str, str]:
    """What has to be done before somebody is erased, by their id, '' where nothing."""
    refs = [HolderRef(kind=HolderKind.PERSON, id=person.id) for person in people]
    numbers = Counter(
        n.holder.id for n in reading.records.held_by(Number, refs) if n.in_use and n.holder
    )
    grants = Counter(grant.holder.id for grant in reading.records.held_by(Grant, refs))
    known = reading.records.where_in(Device, tables.device.c.person, [p.id for p in people])
    phones = Counter(device.person for device in known if not device.removed)
    kinds = ((numbers, "number"), (grants, "licence"), (phones, "device"))
    return {person.id: _in_the_way(person, kinds) for person in people}


def _in_the_way(person: Person, kinds: Sequence[tuple[Counter[str], str]]) -> str:
    if not person.left:
        return f"{person.name} has not left. Offboard them first."
    has = [counted(found[person.id], what) for found, what in kinds if found[person.id]]
    return f"{person.name} still has {', '.join(has)}. Take them back first." if has else ""
