"""Block maps: which aligned hundreds there are, site by site or area by area, and the cells of
those that are shown.

From the tallies (now) or the spans (as it stood); a page is found by its cursor, so the thousandth
costs what the first does.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Select, and_, func, or_, select, tuple_

from sedge.core.numbers.life import State
from sedge.store.repositories.numbers import Filter
from sedge.store.repositories.past import held_at
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

LARGE = 6  # hundreds of one site in an aligned ten-thousand from which it is drawn as density
Place = tuple[int, str]


@dataclass(frozen=True)
class Cell:
    number: int
    state: State
    holder_kind: str | None
    holder_id: str | None
    holder_name: str
    carrier: str
    price: int = 0


@dataclass(frozen=True)
class Hundred:
    """An aligned hundred with the numbers of it that are in the estate, one site's."""

    lead: int
    site: str
    cells: list[Cell] = field(default_factory=list)


@dataclass(frozen=True)
class Large:
    """An aligned ten-thousand of which one site has many hundreds: how many of each state, by
    hundred."""

    lead: int
    site: str
    hundreds: dict[int, Counter[State]] = field(default_factory=dict)


@dataclass(frozen=True)
class Maps:
    """A page of maps in order; `next` is the cursor of the following page."""

    maps: list[Hundred | Large]
    next: str


def maps(
    connection: Connection,
    wanted: Filter,
    *,
    by_area: bool = False,
    after: str = "",
    limit: int = 12,
    at: datetime | None = None,
    within: tuple[int, int] | None = None,
) -> Maps:
    """A page of block maps in order of site and hundred (or of hundred and site), now or as it
    stood.

    `within` narrows to a range of numbers and draws its hundreds one by one, however many there
    are.
    """
    place = _place(after, by_area=by_area)
    chosen: list[tuple[Place, bool]] = []  # a hundred or, where true, a ten-thousand
    while True:
        keys = _keys(
            connection,
            wanted,
            by_area=by_area,
            after=place,
            limit=limit * 8 if at is None else limit + 1,
            at=at,
            within=within,
        )
        if not keys:
            break
        large = _large(connection, keys, at) if within is None else set()
        for hundred, site in keys:
            place = hundred, site
            whole = hundred // 100, site
            if whole in large:
                if (whole, True) not in chosen:
                    chosen.append((whole, True))
            else:
                chosen.append(((hundred, site), False))
            if len(chosen) > limit:
                break
        if len(chosen) > limit:
            break
    shown = chosen[:limit]
    drawn = _drawn(connection, shown, at)
    cursor = _cursor(shown[-1], by_area=by_area) if len(chosen) > limit and shown else ""
    return Maps([drawn[one] for one in shown if one in drawn], cursor)


def _cursor(last: tuple[Place, bool], *, by_area: bool) -> str:
    (lead, site), large = last
    return f"{lead * 100 + 99 if large else lead}~{site}"


def _place(after: str, *, by_area: bool) -> Place | None:
    lead, _, site = after.partition("~")
    return (int(lead), site) if lead.isdigit() and len(lead) < 16 else None


def _keys(
    connection: Connection,
    wanted: Filter,
    *,
    by_area: bool,
    after: Place | None,
    limit: int,
    at: datetime | None,
    within: tuple[int, int] | None,
) -> list[Place]:
    """The next hundreds that have numbers like those wanted."""
    if at is not None:
        return _keys_then(
            connection, wanted, by_area=by_area, after=after, limit=limit, at=at, within=within
        )
    table = projected.tally
    order = (table.c.hundred, table.c.site) if by_area else (table.c.site, table.c.hundred)
    query = select(table.c.hundred, table.c.site).distinct().order_by(*order).limit(limit)
    for column, value in (
        (table.c.site, wanted.site),
        (table.c.carrier, wanted.carrier),
        (table.c.state, wanted.state),
        (table.c.capacity, wanted.capacity),
    ):
        if value:
            query = query.where(column == value)
    if after:
        query = query.where(tuple_(*order) > tuple_(*(after if by_area else after[::-1])))
    if within:
        query = query.where(table.c.hundred.between(within[0] // 100, within[1] // 100))
    return [(hundred, site) for hundred, site in connection.execute(query)]


def _keys_then(
    connection: Connection,
    wanted: Filter,
    *,
    by_area: bool,
    after: Place | None,
    limit: int,
    at: datetime,
    within: tuple[int, int] | None,
) -> list[Place]:
    """The same for a moment, hundred by hundred: each is found by going on in the index from the
    end of the last."""
    span = projected.span
    order = (span.c.number, span.c.site) if by_area else (span.c.site, span.c.number)
    query = select(span.c.number, span.c.site).where(*held_at(at)).order_by(*order).limit(1)
    for column, value in (
        (span.c.site, wanted.site),
        (span.c.carrier, wanted.carrier),
        (span.c.state, wanted.state),
    ):
        if value:
            query = query.where(column == value)
    if within:
        query = query.where(span.c.number.between(*within))
    found: list[Place] = []
    while len(found) < limit and (place := _next_then(connection, query, after, by_area=by_area)):
        found.append(place)
        after = place
    return found


def _next_then(
    connection: Connection, query: Select[Any, Any], after: Place | None, *, by_area: bool
) -> Place | None:
    span = projected.span
    tries = [query]
    if after:
        lead, site = after
        later = span.c.number > lead * 100 + 99
        if by_area:
            tries = [
                query.where(span.c.number.between(lead * 100, lead * 100 + 99), span.c.site > site),
                query.where(later),
            ]
        else:
            tries = [query.where(span.c.site == site, later), query.where(span.c.site > site)]
    row = next((row for one in tries if (row := connection.execute(one).first())), None)
    return (row.number // 100, row.site) if row else None


def _large(connection: Connection, keys: Sequence[Place], at: datetime | None) -> set[Place]:
    """Ten-thousands (lead, site) of which the site has so many hundreds that they are drawn as
    density."""
    wholes = sorted({(hundred // 100, site) for hundred, site in keys})
    if at is not None:
        return set()
    table = projected.tally
    found: set[Place] = set()
    for start in range(0, len(wholes), 100):
        ranges = or_(
            *(
                and_(table.c.hundred.between(whole * 100, whole * 100 + 99), table.c.site == site)
                for whole, site in wholes[start : start + 100]
            )
        )
        held: dict[Place, set[int]] = {}
        for hundred, site in connection.execute(
            select(table.c.hundred, table.c.site).where(ranges).distinct()
        ):
            held.setdefault((hundred // 100, site), set()).add(hundred)
        found |= {whole for whole, hundreds in held.items() if len(hundreds) >= LARGE}
    return found


def _drawn(
    connection: Connection, shown: Sequence[tuple[Place, bool]], at: datetime | None
) -> dict[tuple[Place, bool], Hundred | Large]:
    drawn: dict[tuple[Place, bool], Hundred | Large] = {}
    hundreds = [place for place, large in shown if not large]
    for place in hundreds:
        drawn[place, False] = Hundred(*place)
    for row in _cells(connection, hundreds, at) if hundreds else ():
        one = drawn[(row.number // 100, row.site), False]
        if isinstance(one, Hundred):
            one.cells.append(
                Cell(
                    row.number,
                    State(row.state),
                    row.holder_kind,
                    row.holder_id,
                    row.holder_name,
                    row.carrier,
                    getattr(row, "price", 0),
                )
            )
    for place, large in shown:
        if large:
            drawn[place, True] = Large(*place, _density(connection, place))
    return {key: one for key, one in drawn.items() if isinstance(one, Large) or one.cells}


def _cells(connection: Connection, places: Sequence[Place], at: datetime | None) -> list[Any]:
    table = tables.life if at is None else projected.span
    ranges = or_(
        *(
            and_(table.c.number.between(h * 100, h * 100 + 99), table.c.site == site)
            for h, site in places
        )
    )
    columns = [
        table.c[name]
        for name in (
            "number",
            "site",
            "state",
            "holder_kind",
            "holder_id",
            "holder_name",
            "carrier",
        )
    ]
    now = at is None
    query = (
        select(*columns, tables.life.c.price).where(ranges, is_open())
        if now
        else select(*columns).where(ranges, *held_at(at))
    )
    return list(connection.execute(query.order_by(table.c.number)).all())


def _density(connection: Connection, place: Place) -> dict[int, Counter[State]]:
    table = projected.tally
    lead, site = place
    at = table.c.site == site, table.c.hundred.between(lead * 100, lead * 100 + 99)
    query = (
        select(table.c.hundred, table.c.state, func.sum(table.c.count))
        .where(*at)
        .group_by(table.c.hundred, table.c.state)
    )
    found: dict[int, Counter[State]] = {}
    for hundred, state, n in connection.execute(query):
        found.setdefault(hundred, Counter())[State(state)] += int(n)
    return dict(sorted(found.items()))


def how_many(connection: Connection, wanted: Filter) -> int:
    """How many hundreds have numbers like those wanted, counted by site."""
    table = projected.tally
    keys = select(table.c.hundred, table.c.site).distinct()
    for column, value in (
        (table.c.site, wanted.site),
        (table.c.carrier, wanted.carrier),
        (table.c.state, wanted.state),
    ):
        if value:
            keys = keys.where(column == value)
    return connection.execute(select(func.count()).select_from(keys.subquery())).scalar() or 0
