"""The projected estate that checks, previews and the runner look at, and the change of one of its records.

An `Estate` holds only what was loaded for the question at hand (see `workorders.needs`); asking it for
anything else raises NotFound, so a rule can never quietly judge on half the facts.
"""

from collections.abc import Iterable, Iterator
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
    Grant,
    HolderRef,
    Number,
    Person,
    ServiceLine,
    Site,
    Subject,
    Trunk,
)


class Change(Fact):
    """One record before and after; `before` is None for a new one. `action` is the ledger's dotted word."""

    subject: Subject
    id: str
    action: str
    before: Any = None
    after: Any


R = TypeVar("R", bound=Fact)


class Estate:
    """Loaded records by subject and id; numbers are found by E.164. Mutable only through `absorb`."""

    def __init__(self, now: datetime, records: Iterable[Fact] = (), *, home: str = "GB") -> None:
        self.now = now
        self.home = home
        self._records: dict[Subject, dict[str, Any]] = {subject: {} for subject in RECORD_TYPES}
        for record in records:
            self.put(record)

    def put(self, record: Fact) -> None:
        subject = SUBJECT_OF[type(record)]
        self._records[subject][self._key(record)] = record

    @staticmethod
    def _key(record: Any) -> str:
        return record.e164 if isinstance(record, Number) else record.id

    def fork(self, now: datetime | None = None) -> "Estate":
        """An independent copy to project changes on."""
        copy = Estate(now or self.now, home=self.home)
        copy._records = {subject: dict(records) for subject, records in self._records.items()}
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
            raise NotFound(f"There is no {subject} “{key}” here. It may have been removed; search for it again.", subject=subject, id=key)
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

    def grants_of(self, ref: HolderRef) -> list[Grant]:
        return [g for g in self.all(Grant) if g.holder == ref and g.until is None]

    def numbers_of(self, ref: HolderRef) -> list[Number]:
        return [n for n in self.all(Number) if n.holder == ref]

    def first_available(self, *, site: str, capacity: set[Capacity], carrier: str = "") -> Number | None:
        """The lowest usable available number of a site with one of these capacities, among those loaded; `carrier`'s first."""
        free = (
            n for n in self.all(Number) if n.state is State.AVAILABLE and n.site == site and n.capacity in capacity and not n.leaving_on
        )
        return min(free, key=lambda n: (n.carrier != carrier, n.usable_from is not None and n.usable_from > self.now, n.e164), default=None)
