"""The projected estate that checks, previews and the runner look at, and the change of one of its
records.

An `Estate` holds only what was loaded for the question at hand (see `workorders.needs`); asking it
for anything else raises NotFound, so a rule can never quietly judge on half the facts.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any, TypeVar

from sedge.core.errors import NotFound
from sedge.core.facts import Fact
from sedge.core.moments import clock
from sedge.core.numbers.life import State
from sedge.core.records import (
    RECORD_TYPES,
    SUBJECT_OF,
    Capacity,
    Carrier,
    Device,
    Grant,
    HolderRef,
    Number,
    Person,
    ServiceLine,
    Site,
    Subject,
    Trunk,
)
from sedge.core.spend.rates.rate_decks import Deck


class Change(Fact):
    """One record before and after; `before` is None for a new one. `action` is the ledger's dotted
    word."""

    subject: Subject
    id: str
    action: str
    before: Any = None
    after: Any


R = TypeVar("R", bound=Fact)
T = TypeVar("T")


Decks = Callable[[str, str], Sequence[Deck]]  # of a trunk and its carrier, the nearest first


class Estate:
    """Loaded records by subject and id; numbers are found by E.164. Mutable only through
    `absorb`."""

    def __init__(self, now: datetime, records: Iterable[Fact] = (), *, home: str = "GB") -> None:
        self.now = now
        self.home = home
        self.raised: frozenset[str] = (
            frozenset()
        )  # rules whose warnings the organisation takes for stops
        self.decks: Decks | None = None
        self._records: dict[Subject, dict[str, Any]] = {subject: {} for subject in RECORD_TYPES}
        self._worked_out: dict[tuple[str, str], Any] = {}
        self._held: dict[
            tuple[str, str], dict[str, None]
        ] = {}  # numbers by their holder, so that nobody looks through all
        for record in records:
            self.put(record)

    def put(self, record: Fact) -> None:
        subject = SUBJECT_OF[type(record)]
        self._worked_out.clear()
        if isinstance(record, Number):
            self._hold(record)
        self._records[subject][self._key(record)] = record

    def once(self, name: str, key: str, work_out: Callable[[], T]) -> T:
        """What `work_out` gives, worked out once for as long as nothing of the estate changes."""
        if (name, key) not in self._worked_out:
            self._worked_out[name, key] = work_out()
        return self._worked_out[name, key]

    def _hold(self, number: Number) -> None:
        before = self._records[Subject.NUMBER].get(number.e164)
        if before and before.holder:
            self._held.get((before.holder.kind, before.holder.id), {}).pop(number.e164, None)
        if number.holder:
            self._held.setdefault((number.holder.kind, number.holder.id), {})[number.e164] = None

    @staticmethod
    def _key(record: Any) -> str:
        return record.e164 if isinstance(record, Number) else record.id

    def fork(self, now: datetime | None = None) -> "Estate":
        """An independent copy to project changes on."""
        copy = Estate(now or self.now, home=self.home)
        copy.raised, copy.decks = self.raised, self.decks
        copy._records = {subject: dict(records) for subject, records in self._records.items()}
        copy._held = {holder: dict(numbers) for holder, numbers in self._held.items()}
        return copy

    def absorb(self, changes: Iterable[Change]) -> None:
        for change in changes:
            self.put(change.after)

    def clock(self, moment: datetime) -> str:
        """A moment in words, in the organisation's home time zone."""
        return clock(moment, self.now, self.home)

    def all(self, record_type: type[R]) -> Iterator[R]:
        yield from self._records[SUBJECT_OF[record_type]].values()

    def get(self, record_type: type[R], key: str | None) -> R | None:
        return self._records[SUBJECT_OF[record_type]].get(key) if key else None

    def the(self, record_type: type[R], key: str) -> R:
        found = self.get(record_type, key)
        if found is None:
            subject = SUBJECT_OF[record_type]
            raise NotFound(
                f"There is no {subject} “{key}” here. It may have been removed; search for it"
                " again.",
                subject=subject,
                id=key,
            )
        return found

    def number(self, e164: str) -> Number:
        return self.the(Number, e164)

    def holder(self, ref: HolderRef) -> Person | ServiceLine | Site | Trunk:
        record_type = RECORD_TYPES[ref.subject]
        return self.the(record_type, ref.id)  # type: ignore[return-value]

    def site_of(self, ref: HolderRef) -> Site:
        holder = self.holder(ref)
        return holder if isinstance(holder, Site) else self.the(Site, holder.site)

    def carrier_of(self, number: Number) -> Carrier:
        return self.the(Carrier, number.carrier)

    def devices_of(self, person: str) -> list[Device]:
        return self.once("devices by person", "", self._devices_by_person).get(person, [])

    def _devices_by_person(self) -> dict[str, list[Device]]:
        found: dict[str, list[Device]] = {}
        for device in self.all(Device):
            if device.removed:
                continue
            found.setdefault(device.person, []).append(device)
        return found

    def grants_of(self, ref: HolderRef) -> list[Grant]:
        return [g for g in self.all(Grant) if g.holder == ref and g.until is None]

    def numbers_of(self, ref: HolderRef) -> list[Number]:
        return [
            self._records[Subject.NUMBER][e164] for e164 in self._held.get((ref.kind, ref.id), ())
        ]

    def first_available(
        self, *, site: str, capacity: set[Capacity], carrier: str = ""
    ) -> Number | None:
        """The lowest usable available number of a site with one of these capacities, among those
        loaded; `carrier`'s first."""
        free = (
            n
            for n in self.all(Number)
            if n.state is State.AVAILABLE
            and n.site == site
            and n.capacity in capacity
            and not n.leaving_on
        )
        return min(
            free,
            key=lambda n: (
                n.carrier != carrier,
                n.usable_from is not None and n.usable_from > self.now,
                n.e164,
            ),
            default=None,
        )
