"""How many numbers in use and people there are at each spot: counted as it changes, in the
transaction of the change, so that coverage is never added up anew."""

from collections import Counter
from collections.abc import Iterable, Sequence

from sqlalchemy import Connection, delete, func, insert, select

from sedge.core.estate import Change
from sedge.core.records import Number, Person, Subject
from sedge.store.projections.counting import add_counts
from sedge.store.schema import tables
from sedge.store.schema.safety import placed

NUMBER, PERSON = "number", "person"
Place = tuple[str, str, str]


def place_of(record: object) -> Place | None:
    """Site, kind and spot of a number in use or a person who is here; None for all else."""
    match record:
        case Number() if record.in_use:
            return record.site, NUMBER, record.spot or ""
        case Person(left=False):
            return record.site, PERSON, record.spot or ""
        case _:
            return None


def follow_changes(connection: Connection, changes: Sequence[Change]) -> None:
    counts: Counter[Place] = Counter()
    for change in changes:
        if change.subject in {Subject.NUMBER, Subject.PERSON}:
            for record, by in ((change.before, -1), (change.after, +1)):
                if place := place_of(record):
                    counts[place] += by
    keep_counts(connection, counts)


def keep_counts(connection: Connection, counts: Counter[Place]) -> None:
    add_counts(connection, placed, counts)


def counts(connection: Connection) -> Iterable[tuple[str, str, str, int]]:
    """Site, kind, spot ('' for none) and how many."""
    return [tuple(row) for row in connection.execute(select(placed))]  # type: ignore[misc]


def put_placed(connection: Connection) -> None:
    """All counts made anew from the records."""
    life, person = tables.life, tables.person
    connection.execute(delete(placed))
    for kind, table, here in (
        (NUMBER, life, tables.IN_USE),
        (PERSON, person, person.c.departed.is_(False)),
    ):
        query = (
            select(table.c.site, func.coalesce(table.c.spot, ""), func.count())
            .where(here)
            .group_by(table.c.site, table.c.spot)
        )
        rows = [
            {"site": site, "kind": kind, "spot": spot, "count": count}
            for site, spot, count in connection.execute(query)
        ]
        if rows:
            connection.execute(insert(placed), rows)
