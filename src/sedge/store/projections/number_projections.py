"""What follows from changed records: counts, spans, tags, other systems' ids. `saving` keeps it in
the same transaction.

`tally` counts by hundred (block maps), `facet` by what the list can be narrowed by, `movement` the
net change of a site's states by day, both with rows over all sites under the site ''; `span` says
what a number was from when to when. All of it can be made anew from the records and the spans
(`rebuild`), which a test holds against what was kept along the way.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, bindparam, delete, func, insert, inspect, select, update

from sedge.core.estate import Change
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import RECORD_TYPES, Number, Subject
from sedge.store.projections import finder, spot_counts
from sedge.store.projections.counting import add_counts
from sedge.store.schema import callpaths, chain, holders, projected, tables

FOUND_IN_USE = "found in use"  # stands among the states of a movement
KNOWN = (Subject.NUMBER, Subject.SITE, Subject.AREA, Subject.SPOT)
Names = Mapping[tuple[Subject, str], str]
Key = tuple[Any, ...]


def follow_changes(
    connection: Connection, changes: Sequence[Change], names: Names, at: datetime
) -> None:
    """Bring everything derived up to what the changes say, in their order."""
    numbers = [c for c in changes if c.subject is Subject.NUMBER]
    _found_in_use(connection, numbers, at.date())
    sides = [
        (record, by)
        for c in numbers
        for record, by in ((c.before, -1), (c.after, +1))
        if record is not None
    ]
    count(connection, sides, at.date())
    _spans(connection, numbers, names, at)
    _tags(connection, numbers)
    _known(connection, [c for c in changes if c.subject in KNOWN])
    spot_counts.follow_changes(connection, changes)
    _members(connection, [c for c in changes if c.subject is Subject.GROUP])
    _answers_for(connection, [c for c in changes if c.subject is Subject.PERSON])
    _renamed(connection, changes)


def _found_in_use(connection: Connection, changes: Iterable[Change], day: date) -> None:
    """Numbers that come into the estate in use: no demand of ours, so they are counted apart."""
    moves: Counter[Key] = Counter()
    for change in changes:
        if change.before is None and change.after.state is State.ASSIGNED:
            moves[change.after.site, change.after.capacity.value, FOUND_IN_USE, day] += 1
    for counts in (moves, over_all_sites(moves)):
        add_counts(connection, projected.movement, counts)


def put_movements(connection: Connection) -> None:
    """The movements made anew from the spans."""
    connection.execute(delete(projected.movement))
    moves = _moves(connection)
    for counts in (moves, over_all_sites(moves)):
        rows: list[dict[str, object]] = [
            {"site": site, "capacity": capacity, "state": state, "day": day, "net": net}
            for (site, capacity, state, day), net in counts.items()
            if net
        ]
        if rows:
            connection.execute(insert(projected.movement), rows)


def count(connection: Connection, sides: Iterable[tuple[Number, int]], day: date) -> None:
    """Add to (or take from) tallies, facets and movements for each number that is in the estate."""
    tallies: Counter[Key] = Counter()
    facets: Counter[Key] = Counter()
    moves: Counter[Key] = Counter()
    for n, by in sides:
        if n.state in ENDED:
            continue
        state, capacity = n.state.value, n.capacity.value
        tallies[int(n.e164) // 100, n.site, n.carrier, state, capacity] += by
        held = n.holder.kind.value if n.holder else ""
        facets[n.site, n.carrier, state, capacity, n.kind.value, held, n.needs_attention] += by
        moves[n.site, capacity, state, day] += by
    keep_counts(connection, tallies, facets, moves)


def keep_counts(
    connection: Connection, tallies: Counter[Key], facets: Counter[Key], moves: Counter[Key]
) -> None:
    add_counts(connection, projected.tally, tallies)
    for table, counts in ((projected.facet, facets), (projected.movement, moves)):
        add_counts(connection, table, counts)
        add_counts(connection, table, over_all_sites(counts))


def over_all_sites(counts: Counter[Key]) -> Counter[Key]:
    """The same counts under the site ''."""
    whole: Counter[Key] = Counter()
    for (_, *rest), by in counts.items():
        whole["", *rest] += by
    return whole


def _spans(connection: Connection, changes: Sequence[Change], names: Names, at: datetime) -> None:
    moved = [c for c in changes if c.before is None or _shown(c.before) != _shown(c.after)]
    end = (
        update(projected.span)
        .where(projected.span.c.number == bindparam("of"), projected.span.c.until.is_(None))
        .values(until=bindparam("at"))
    )
    for batch in _without_repeats(moved):
        connection.execute(end, [{"of": int(c.after.e164), "at": at} for c in batch])
        connection.execute(insert(projected.span), [span_of(c.after, names, at) for c in batch])


def _without_repeats(changes: Sequence[Change]) -> Iterator[list[Change]]:
    """The changes in their order, in batches that name no record twice."""
    batch: dict[str, Change] = {}
    for change in changes:
        if change.after.e164 in batch:
            yield list(batch.values())
            batch = {}
        batch[change.after.e164] = change
    if batch:
        yield list(batch.values())


def span_of(number: Number, names: Names, since: datetime) -> dict[str, Any]:
    holder = number.holder
    return {
        "number": int(number.e164),
        "state": number.state.value,
        "holder_kind": holder.kind.value if holder else None,
        "holder_id": holder.id if holder else None,
        "holder_name": names.get((holder.subject, holder.id), "") if holder else "",
        "site": number.site,
        "carrier": number.carrier,
        "capacity": number.capacity.value,
        "since": since,
    }


def _shown(number: Number) -> Key:
    return number.state, number.holder, number.site, number.carrier


def _tags(connection: Connection, changes: Sequence[Change]) -> None:
    table = projected.number_tag
    for change in changes:
        before = (
            set(change.before.tags) if change.before and change.before.state not in ENDED else set()
        )
        after = set(change.after.tags) if change.after.state not in ENDED else set()
        number = int(change.after.e164)
        for gone in sorted(before - after):
            connection.execute(delete(table).where(table.c.tag == gone, table.c.number == number))
        if fresh := sorted(after - before):
            connection.execute(insert(table), [{"tag": tag, "number": number} for tag in fresh])


def _known(connection: Connection, changes: Sequence[Change]) -> None:
    table = projected.known_as
    for change in changes:
        if change.before is not None and change.before.known_as == change.after.known_as:
            continue
        connection.execute(
            delete(table).where(table.c.subject == change.subject.value, table.c.ref == change.id)
        )
        if rows := known_rows(change.subject, change.id, change.after.known_as):
            connection.execute(insert(table), rows)


def _members(connection: Connection, changes: Iterable[Change]) -> None:
    """Which groups somebody is in; a removed group has no members."""
    table = holders.group_member
    for change in changes:
        connection.execute(delete(table).where(table.c.group == change.id))
        if change.after.members and not change.after.removed:
            connection.execute(
                insert(table),
                [{"group": change.id, "person": person} for person in change.after.members],
            )


def _answers_for(connection: Connection, changes: Iterable[Change]) -> None:
    """Who is asked to answer for whom, by people's own rules."""
    table = callpaths.answers_for
    for change in changes:
        before, after = change.before.answering if change.before else None, change.after.answering
        if before == after or (before is None and not (after.pickup or after.cover)):
            continue
        connection.execute(delete(table).where(table.c.person == change.id))
        asked = {key for key in (*after.pickup, after.cover) if key}
        if asked:
            connection.execute(
                insert(table), [{"person": change.id, "colleague": key} for key in sorted(asked)]
            )


def known_rows(subject: Subject, ref: str, known_as: Mapping[str, str]) -> list[dict[str, str]]:
    return [
        {"subject": subject.value, "ref": ref, "system": system, "value": value}
        for system, value in known_as.items()
    ]


def _renamed(connection: Connection, changes: Sequence[Change]) -> None:
    """The list shows holders' names; when one changes, their numbers' rows follow."""
    life = tables.life
    kinds = {
        Subject.PERSON: "person",
        Subject.SERVICE_LINE: "service_line",
        Subject.SITE: "site",
        Subject.DOWNSTREAM: "downstream",
    }
    for change in changes:
        kind = kinds.get(change.subject)
        if kind and change.before is not None and change.before.name != change.after.name:
            held = life.c.holder_kind == kind, life.c.holder_id == change.id
            connection.execute(
                update(life).where(*held).values(holder_name=change.after.name[:120])
            )


def _holder_names(
    connection: Connection, numbers: Iterable[Number]
) -> dict[tuple[Subject, str], str]:
    """Of all who hold one of the numbers; tables of which nobody does may not be there yet."""
    found: dict[tuple[Subject, str], str] = {}
    for subject in {n.holder.subject for n in numbers if n.holder}:
        table = tables.RECORD_TABLES[subject]
        rows = connection.execute(select(table.c.id, table.c.name))
        found |= {(subject, key): name for key, name in rows}
    return found


def rebuild(connection: Connection) -> None:
    """Make everything derived anew from the records, the spans and the ledger. Used after a
    migration, and by tests."""
    life, span = tables.life, projected.span
    for table in (
        projected.tally,
        projected.facet,
        projected.movement,
        projected.number_tag,
        projected.known_as,
    ):
        connection.execute(delete(table))
    numbers = [
        Number.model_validate_json(body) for (body,) in connection.execute(select(life.c.body))
    ]
    names = _holder_names(connection, numbers)
    ledger = chain.ledger
    last = (
        select(ledger.c.subject_id, func.max(ledger.c.at))
        .where(ledger.c.subject == Subject.NUMBER.value)
        .group_by(ledger.c.subject_id)
    )
    touched: dict[str, datetime] = dict(connection.execute(last).all())  # type: ignore[arg-type]
    lives = update(life).where(life.c.id == bindparam("of"))
    shown = [
        {
            "of": n.id,
            "kind": n.kind.value,
            "holder_name": names.get((n.holder.subject, n.holder.id), "")[:120] if n.holder else "",
            "label": n.label,
            "price": price_of(n),
            "changed_at": touched.get(n.e164),
        }
        for n in numbers
    ]
    if shown:
        connection.execute(lives, [row for row in shown if row["changed_at"] is not None])
        connection.execute(
            update(span).where(span.c.capacity == "").values(capacity=_capacity_of_its_number())
        )
    count(connection, ((n, 1) for n in numbers), date.min)
    put_movements(connection)
    tags = [
        {"tag": tag, "number": int(n.e164)}
        for n in numbers
        if n.state not in ENDED
        for tag in n.tags
    ]
    if tags:
        connection.execute(insert(projected.number_tag), tags)
    for subject in KNOWN:
        table = tables.RECORD_TABLES[subject]
        for (body,) in connection.execute(select(table.c.body)).all():
            record: Any = RECORD_TYPES[subject].model_validate_json(body)
            if rows := known_rows(subject, getattr(record, "e164", record.id), record.known_as):
                connection.execute(insert(projected.known_as), rows)
    finder.index_digits_anew(connection)
    there = set(
        inspect(connection).get_table_names()
    )  # an older migration that rebuilds knows no younger tables
    for subject in finder.FOUND:
        table = tables.RECORD_TABLES[subject]
        if table.name not in there:
            continue
        finder.index(
            connection,
            (
                RECORD_TYPES[subject].model_validate_json(body)
                for (body,) in connection.execute(select(table.c.body))
            ),
        )


def _capacity_of_its_number() -> object:
    life, span = tables.life, projected.span
    return (
        select(life.c.capacity)
        .where(life.c.number == span.c.number)
        .order_by(life.c.id.desc())
        .limit(1)
        .scalar_subquery()
    )


def _moves(connection: Connection) -> Counter[Key]:
    span = projected.span
    ended = {state.value for state in ENDED}
    moves: Counter[Key] = Counter()
    before: tuple[int, str] = (0, "")
    columns = (
        span.c.number,
        span.c.site,
        span.c.capacity,
        span.c.state,
        span.c.since,
        span.c.until,
    )
    for number, site, capacity, state, since, until in connection.execute(
        select(*columns).order_by(span.c.number, span.c.since, span.c.id)
    ):
        begins = before[0] != number or before[1] in ended
        before = number, state
        if begins and state == State.ASSIGNED:
            moves[site, capacity, FOUND_IN_USE, since.date()] += 1
        if state not in ended:
            moves[site, capacity, state, since.date()] += 1
            if until is not None:
                moves[site, capacity, state, until.date()] -= 1
    return moves


def price_of(number: Number) -> int:
    """The monthly price in hundredths, by which the list is sorted."""
    return round(number.monthly.amount * 100)
