"""The estate as it stood, from the spans and the movements: who had what on a day, and what is
different between two."""

from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, and_, case, func, or_, select

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import ENDED, State
from sedge.store.projections.number_projections import FOUND_IN_USE
from sedge.store.repositories.numbers import Filter, searched_in
from sedge.store.repositories.records import plus
from sedge.store.schema import projected

MOST_DIFFERENCES = 500
LIMIT = 100
UNKNOWN_THEN = ("kind", "tag", "attention")  # filters that only the present answers


@dataclass(frozen=True)
class Was:
    """What a number was for a while."""

    number: int
    state: State
    holder_name: str
    site: str
    carrier: str
    capacity: str
    since: datetime
    until: datetime | None


@dataclass(frozen=True)
class Difference:
    """One number at two moments; None where it was not in the estate."""

    number: int
    before: Was | None
    after: Was | None


def held_at(at: datetime) -> list[ColumnElement[bool]]:
    """Spans that held at a moment and were of the estate."""
    span = projected.span
    return [
        span.c.since <= at,
        or_(span.c.until.is_(None), span.c.until > at),
        span.c.state.notin_([s.value for s in ENDED]),
    ]


def page(
    connection: Connection, wanted: Filter, at: datetime, *, after: str = "", limit: int = LIMIT
) -> tuple[list[Was], str | None]:
    """Numbers in ascending order as they stood; filters by state, site, carrier, capacity, holder,
    selection and search by digits."""
    span = projected.span
    where = [
        *_wanted(connection, wanted, at),
        span.c.number > (int(after) if after.isdigit() else 0),
    ]
    query = select(span).where(*where).order_by(span.c.number).limit(limit + 1)
    rows = [_was(row) for row in connection.execute(query)]
    return rows[:limit], str(rows[limit - 1].number) if len(rows) > limit else None


def _wanted(connection: Connection, wanted: Filter, at: datetime) -> list[ColumnElement[bool]]:
    """The spans of a moment that the filters leave. Raises NotUnderstood for a filter that the past
    can't answer."""
    for name in UNKNOWN_THEN:
        if getattr(wanted, name):
            words = (
                f"In a past state, numbers are not known by their {name}. Take that filter off, or"
                " look at them as they are now."
            )
            raise NotUnderstood(words, field=name)
    span = projected.span
    where = held_at(at)
    for column, value in (
        (span.c.site, wanted.site),
        (span.c.state, wanted.state),
        (span.c.carrier, wanted.carrier),
        (span.c.capacity, wanted.capacity),
    ):
        if value:
            where.append(column == value)
    if wanted.holder_kind:
        held = span.c.holder_kind
        where.append(
            held.is_(None) if wanted.holder_kind == "nobody" else held == wanted.holder_kind
        )
    if wanted.holder:
        where += [
            span.c.holder_kind == wanted.holder.kind.value,
            span.c.holder_id == wanted.holder.id,
        ]
    if wanted.chosen is not None:
        where.append(span.c.number.in_(list(wanted.chosen)))
    if wanted.search:
        where.append(searched_in(connection, wanted.search, span))
    return where


def count_wanted(connection: Connection, wanted: Filter, at: datetime) -> Counter[State]:
    """How many numbers the filters leave at a moment, by state."""
    span = projected.span
    query = (
        select(span.c.state, func.count())
        .where(*_wanted(connection, wanted, at))
        .group_by(span.c.state)
    )
    return Counter({State(state): int(n) for state, n in connection.execute(query)})


def _was(row: Any) -> Was:
    return Was(
        row.number,
        State(row.state),
        row.holder_name,
        row.site,
        row.carrier,
        row.capacity,
        row.since,
        row.until,
    )


def count_by_state(connection: Connection, day: date, site: str = "") -> Counter[State]:
    """How many numbers were in each state at the end of a day, from the movements up to it."""
    move = projected.movement
    query = (
        select(move.c.state, func.sum(move.c.net))
        .where(move.c.site == site, move.c.day <= day, move.c.state != FOUND_IN_USE)
        .group_by(move.c.state)
    )
    return Counter({State(state): int(n) for state, n in connection.execute(query) if n})


def differences(
    connection: Connection, one: datetime, other: datetime, *, site: str = ""
) -> tuple[list[Difference], int]:
    """Numbers that stood differently at the two moments (`one` before `other`), at most 500 of
    them, and how many moved at all."""
    span = projected.span
    began = and_(span.c.since > one, span.c.since <= other)
    narrowed = (span.c.site == site,) if site else ()
    moved = select(span.c.number).where(began, *narrowed).distinct()
    total = connection.execute(select(func.count()).select_from(moved.subquery())).scalar() or 0
    numbers = [
        n for (n,) in connection.execute(moved.order_by(span.c.number).limit(MOST_DIFFERENCES * 2))
    ]
    then, now = _at(connection, numbers, one), _at(connection, numbers, other)
    found = [
        Difference(n, then.get(n), now.get(n))
        for n in numbers
        if _look(then.get(n)) != _look(now.get(n))
    ]
    return found[:MOST_DIFFERENCES], total


def _look(was: Was | None) -> tuple[object, ...]:
    return (was.state, was.holder_name, was.site, was.carrier) if was else ()


def _at(connection: Connection, numbers: list[int], at: datetime) -> dict[int, Was]:
    span = projected.span
    found: dict[int, Was] = {}
    for start in range(0, len(numbers), 900):
        query = select(span).where(span.c.number.in_(numbers[start : start + 900]), *held_at(at))
        found |= {row.number: _was(row) for row in connection.execute(query)}
    return found


IN_USE = (State.ASSIGNED.value, FOUND_IN_USE)


def _demanded() -> Any:
    move = projected.movement
    return case((move.c.state == FOUND_IN_USE, -move.c.net), else_=move.c.net)


def net_by_period(
    connection: Connection, periods: list[tuple[date, date]], sites: list[str]
) -> dict[tuple[str, str], list[int]]:
    """Per site and capacity, assignments less returns in each period (first day included, last
    not).

    Numbers that came into the estate in use are no demand of it.
    """
    move = projected.movement
    first, last = periods[0][0], periods[-1][1]
    query = select(move.c.site, move.c.capacity, move.c.day, _demanded()).where(
        move.c.site.in_(sites),
        plus(move.c.state).in_(IN_USE),
        plus(move.c.day) >= first,
        plus(move.c.day) < last,
    )
    demand: dict[tuple[str, str], list[int]] = {}
    for site, capacity, day, net in connection.execute(query):
        months = demand.setdefault((site, capacity), [0] * len(periods))
        for i, (begin, end) in enumerate(periods):
            if begin <= day < end:
                months[i] += net
    return demand


def net_by_site(
    connection: Connection, periods: list[tuple[date, date]]
) -> list[tuple[str, str, int]]:
    """(site, capacity, net assignments) over all the periods together, of every site that grew:
    where numbers may run out."""
    move = projected.movement
    net = func.sum(_demanded())
    query = (
        select(move.c.site, move.c.capacity, net)
        .where(
            move.c.state.in_(IN_USE),
            move.c.day >= periods[0][0],
            move.c.day < periods[-1][1],
            move.c.site != "",
        )
        .group_by(move.c.site, move.c.capacity)
        .having(net > 0)
    )
    return [(site, capacity, int(n)) for site, capacity, n in connection.execute(query)]
