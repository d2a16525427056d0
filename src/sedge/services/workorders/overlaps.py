"""Work orders that are not done yet and concern the same numbers or holders."""

from dataclasses import dataclass

from sedge.core.numbers.e164 import describe
from sedge.core.records import Subject
from sedge.services.context import Reading
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import WorkOrder


@dataclass(frozen=True)
class Overlap:
    """Another work order, not yet done, that touches the same numbers or holders."""

    no: int
    title: str
    state: str
    by: str
    things: list[str]


def overlaps(reading: Reading, order: WorkOrder) -> list[Overlap]:
    """Drafts, scheduled and running work orders that concern what this one concerns."""
    found: dict[str, Overlap] = {}
    rows = store.sharing_subjects(reading.connection, order.id)
    names = reading.records.names(
        (Subject(kind), ref) for _, kind, ref in rows if kind != Subject.NUMBER
    )
    for other, kind, ref in rows:
        said = (
            describe(ref).shown if kind == Subject.NUMBER else names.get((Subject(kind), ref), ref)
        )
        if other.id not in found:
            found[other.id] = Overlap(
                other.no, other.title, other.state.value, other.created_by, []
            )
        found[other.id].things.append(said)
    return list(found.values())
