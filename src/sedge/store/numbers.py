"""Numbers in bulk: pages of the list, block maps, counts. All by columns and tallies, never by scanning bodies."""

from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, and_, func, literal, or_, select, union_all

from sedge.core.numbers.finding import Search, SearchKind
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import HolderRef, Number
from sedge.store import finder, tables
from sedge.store.records import is_open

MOST_HITS, WHILE_TYPING = 2000, 64  # matches of the index looked at for a list, and for the finder's first answers


@dataclass(frozen=True)
class Filter:
    """What narrows the estate. `search` comes from the finder; the rest are exact values."""

    search: Search | None = None
    state: str | None = None
    site: str | None = None
    carrier: str | None = None
    capacity: str | None = None
    holder: HolderRef | None = None
    attention: bool = False


@dataclass(frozen=True)
class Page:
    numbers: list[Number]
    next: int | None


@dataclass(frozen=True)
class Cell:
    number: int
    state: State
    holder_kind: str | None
    holder_id: str | None


@dataclass(frozen=True)
class Hundred:
    """An aligned hundred with the numbers of it that are in the estate, one site's."""

    lead: int
    site: str
    cells: list[Cell] = field(default_factory=list)


def page(connection: Connection, wanted: Filter, *, after: int = 0, limit: int = 100, hits: int = MOST_HITS) -> Page:
    """Open lives in ascending order, after the given number."""
    life = tables.life
    query = select(life.c.number, life.c.id, life.c.body).where(life.c.number > after, *_conditions(wanted)).order_by(life.c.number)
    found: dict[tuple[int, str], str] = {}
    for searched in _searched(connection, wanted.search, hits) if wanted.search else [life.c.number > 0]:
        rows = connection.execute(query.where(searched).limit(limit + 1))
        found |= {(number, key): body for number, key, body in rows}
    first = sorted(found.items())[: limit + 1]
    numbers = [Number.model_validate_json(body) for _, body in first[:limit]]
    return Page(numbers, first[limit - 1][0][0] if len(first) > limit else None)


def _conditions(wanted: Filter) -> list[ColumnElement[bool]]:
    life = tables.life
    conditions: list[ColumnElement[bool]] = []
    if wanted.state:
        conditions.append(life.c.state == wanted.state)
    if wanted.state not in {s.value for s in ENDED}:
        conditions.append(is_open())
    for column, value in ((life.c.site, wanted.site), (life.c.carrier, wanted.carrier), (life.c.capacity, wanted.capacity)):
        if value:
            conditions.append(column == value)
    if wanted.holder:
        conditions.append(and_(life.c.holder_kind == wanted.holder.kind.value, life.c.holder_id == wanted.holder.id))
    if wanted.attention:
        conditions.append(life.c.attention)
    return conditions


def _searched(connection: Connection, search: Search, most: int) -> list[ColumnElement[bool]]:
    """Conditions of which any may hold; each alone can use an index, which all in one could not."""
    life = tables.life
    match search.kind:
        case SearchKind.NOTHING:
            return [life.c.number > 0]
        case SearchKind.EXACT:
            numbers = [int(e164) for e164 in search.exact]
            return [life.c.number.in_({*numbers, *_hit_numbers(connection, search, most)})]
        case SearchKind.RANGE:
            return [life.c.number.between(search.first, search.last)]
        case SearchKind.LEADING | SearchKind.FRAGMENT if max(map(len, search.digits)) < 3:
            return [_short_fragment(search.digits[0])]
        case SearchKind.ENDING if len(search.digits[0]) < 2:
            return [life.c.number % 10 == int(search.digits[0])]
        case _:
            return _by_index(connection, search, most)


def _by_index(connection: Connection, search: Search, most: int) -> list[ColumnElement[bool]]:
    life = tables.life
    hits = finder.match_all_words(connection, search.words, limit=most) if search.kind is SearchKind.WORDS else []
    numbers = _hit_numbers(connection, search, most)
    holders: dict[str, set[str]] = {}
    for hit in hits:
        if hit.subject.value == "number":
            numbers.append(int(hit.ref))
        else:
            holders.setdefault({"service line": "service_line"}.get(hit.subject.value, hit.subject.value), set()).add(hit.ref)
    found = [life.c.number.in_(numbers)] if numbers else []
    found += [and_(life.c.holder_kind == kind, life.c.holder_id.in_(ids)) for kind, ids in holders.items()]
    found += [life.c.site.in_(holders["site"])] if "site" in holders else []
    return found


def _hit_numbers(connection: Connection, search: Search, most: int) -> list[int]:
    from sedge.core.records import Subject

    ending = search.kind is SearchKind.ENDING
    hits = finder.match(connection, search.digits, ending=ending, subject=Subject.NUMBER, limit=most)
    return [int(hit.ref) for hit in hits]


def _short_fragment(digits: str) -> ColumnElement[bool]:
    """One or two digits: at the end of the number, which is what people mean."""
    return tables.life.c.number % 10 ** len(digits) == int(digits)


def tallies(connection: Connection, wanted: Filter) -> Counter[tuple[str, str, str]]:
    """(site, carrier, state) → how many; counts ignore search and holder, which the tallies don't know."""
    table = tables.tally
    query = select(table.c.site, table.c.carrier, table.c.state, func.sum(table.c.count)).group_by(
        table.c.site, table.c.carrier, table.c.state
    )
    for column, value in ((table.c.site, wanted.site), (table.c.carrier, wanted.carrier)):
        if value:
            query = query.where(column == value)
    return Counter({(site, carrier, state): count for site, carrier, state, count in connection.execute(query)})


def hundreds(connection: Connection, wanted: Filter, *, limit: int, offset: int = 0) -> tuple[list[Hundred], int]:
    """A page of block maps in order of site and number, and how many there are in all."""
    table, life = tables.tally, tables.life
    keys: Select[Any, Any] = select(table.c.hundred, table.c.site).group_by(table.c.hundred, table.c.site)
    for column, value in ((table.c.site, wanted.site), (table.c.carrier, wanted.carrier), (table.c.state, wanted.state)):
        if value:
            keys = keys.where(column == value)
    total = connection.execute(select(func.count()).select_from(keys.subquery())).scalar() or 0
    chosen = connection.execute(keys.order_by(table.c.site, table.c.hundred).limit(limit).offset(offset)).all()
    maps = {(row.hundred, row.site): Hundred(row.hundred, row.site) for row in chosen}
    if maps:
        ranges = or_(*(and_(life.c.number.between(h * 100, h * 100 + 99), life.c.site == site) for h, site in maps))
        query = select(life.c.number, life.c.site, life.c.state, life.c.holder_kind, life.c.holder_id).where(ranges, is_open())
        for number, site, state, holder_kind, holder_id in connection.execute(query.order_by(life.c.number)):
            maps[number // 100, site].cells.append(Cell(number, State(state), holder_kind, holder_id))
    return list(maps.values()), total


def net_demand(connection: Connection, months: list[tuple[datetime, datetime]]) -> dict[str, list[int]]:
    """Per site, assignments less returns in each of the given periods (from the spans)."""
    span = tables.span
    parts = [
        select(literal(position).label("month"), literal(sign).label("sign"), span.c.site, func.count().label("count"))
        .where(span.c.state == State.ASSIGNED.value, moment >= start, moment < end)
        .group_by(span.c.site)
        for position, (start, end) in enumerate(months)
        for moment, sign in ((span.c.since, 1), (span.c.until, -1))
    ]
    demand: dict[str, list[int]] = {}
    for month, sign, site, count in connection.execute(union_all(*parts)):
        demand.setdefault(site, [0] * len(months))[month] += sign * count
    return demand


def spans(connection: Connection, e164: str) -> list[Any]:
    """The life strip's stretches of one number, oldest first."""
    span = tables.span
    return list(connection.execute(select(span).where(span.c.number == int(e164)).order_by(span.c.since, span.c.id)))


def due(connection: Connection, now: datetime) -> list[Number]:
    """Numbers whose rest or reservation has run out."""
    life = tables.life
    query = select(life.c.body).where(life.c.state_until.is_not(None), life.c.state_until <= now).limit(200)
    return [Number.model_validate_json(body) for (body,) in connection.execute(query)]


def next_due(connection: Connection) -> datetime | None:
    return connection.execute(select(func.min(tables.life.c.state_until))).scalar()
