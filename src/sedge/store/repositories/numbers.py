"""Numbers in bulk: pages of the list, counts per filter value, a finder's search. By columns and
counts, never by bodies.

Two ways lead to a page: along the order that is wanted, filtering as one goes, or from the
narrowest filter, sorting what is left. SQLite can't know which is shorter; the counts can, so the
query is written to leave it no choice (`few`).
"""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Connection,
    and_,
    func,
    literal_column,
    or_,
    select,
    text,
    tuple_,
)

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.finding import Search, SearchKind
from sedge.core.numbers.life import ENDED
from sedge.core.numbers.plan import areas_called
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import HolderKind, HolderRef, Number, Subject
from sedge.store.projections import finder
from sedge.store.repositories.records import is_open, plus, read_record
from sedge.store.schema import projected, tables

MOST_HITS, WHILE_TYPING = (
    2000,
    64,
)  # matches of the index looked at for a list, and for the finder's first answers
FEW = 20_000  # so many rows are sorted quicker than found along the order
DIMENSIONS = ("carrier", "state", "capacity", "kind", "holder_kind", "attention")


@dataclass(frozen=True)
class Filter:
    """What narrows the estate. `search` comes from the finder, `chosen` is a selection; the rest
    are exact values.

    `holder_kind` 'nobody' asks for numbers without a holder.
    """

    search: Search | None = None
    state: str | None = None
    site: str | None = None
    carrier: str | None = None
    capacity: str | None = None
    holder: HolderRef | None = None
    attention: bool = False
    kind: str | None = None
    holder_kind: str | None = None
    tag: str | None = None
    chosen: NumberSet | None = None

    @property
    def is_counted(self) -> bool:
        """Whether the kept counts know everything it asks for."""
        return not (self.search or self.holder or self.tag or self.chosen is not None)


@dataclass(frozen=True)
class Page:
    """`next` is the cursor of the following page, None at the end; `changed` when each number last
    was."""

    numbers: list[Number]
    next: str | None
    changed: tuple[datetime, ...] = ()


@dataclass(frozen=True)
class Sort:
    """A column the list can be sorted by. Rows without a value come last, in order of number."""

    column: Any
    nothing: Any = None


SORTS = {
    "number": Sort(tables.life.c.number),
    "holder": Sort(tables.life.c.holder_name, ""),
    "label": Sort(tables.life.c.label, ""),
    "until": Sort(tables.life.c.state_until),
    "changed": Sort(tables.life.c.changed_at),
    "price": Sort(tables.life.c.price),
}
SPARSE = {"holder", "label", "until"}


def page(
    connection: Connection,
    wanted: Filter,
    *,
    sort: str = "number",
    after: str = "",
    limit: int = 100,
    hits: int = MOST_HITS,
    few: bool = False,
) -> Page:
    """Open lives in the order of `sort` (with a minus in front: backwards), after the cursor.
    `few`: see above."""
    name, backwards = sort.lstrip("-"), sort.startswith("-")
    if name not in SORTS:
        raise NotUnderstood(f"The list can be sorted by {', '.join(SORTS)}.", field="sort")
    searched = _searched(connection, wanted.search, hits) if wanted.search else None
    if searched == []:
        return Page([], None)
    few = (
        few
        or searched is not None
        or wanted.chosen is not None
        or bool(wanted.holder or wanted.tag)
    )
    conditions = _conditions(wanted, plainly=few)
    begin = _cursor(name, after)
    rows: list[Any] = []
    for empty in (False, True) if name in SPARSE else (False,):
        if len(rows) > limit or (begin and begin[0] is None and not empty):
            continue
        order = _order(name, backwards=backwards, empty=empty, few=few)
        where = [
            *conditions,
            *_phase(name, empty=empty),
            *_after(name, begin, backwards=backwards, empty=empty),
        ]
        rows += _merged(connection, where, order, searched, limit + 1 - len(rows))
    numbers = [read_record(Number, row.body) for row in rows[:limit]]
    changed = tuple(row.changed_at for row in rows[:limit])
    return Page(numbers, _cursor_of(name, rows[limit - 1]) if len(rows) > limit else None, changed)


def _merged(
    connection: Connection,
    where: list[Any],
    order: list[Any],
    searched: list[Any] | None,
    limit: int,
) -> list[Any]:
    """The first rows of several searches together, each of which can use an index of its own."""
    life = tables.life
    shown = (
        life.c.number,
        life.c.id,
        life.c.holder_name,
        life.c.label,
        life.c.state_until,
        life.c.changed_at,
        life.c.price,
        life.c.body,
    )
    if searched is None or len(searched) == 1:
        query = select(*shown).where(*where, *(searched or [])).order_by(*order).limit(limit)
        return list(connection.execute(query))
    ids = {
        row.id
        for part in searched
        for row in connection.execute(
            select(life.c.id).where(*where, part).order_by(*order).limit(limit)
        )
    }
    return list(
        connection.execute(
            select(*shown).where(life.c.id.in_(sorted(ids))).order_by(*order).limit(limit)
        )
    )


def _order(name: str, *, backwards: bool, empty: bool, few: bool) -> list[Any]:
    life = tables.life
    columns = [life.c.number] if empty or name == "number" else [SORTS[name].column, life.c.number]
    columns = [plus(c) if few else c for c in columns]
    return [c.desc() for c in columns] if backwards else columns


def _phase(name: str, *, empty: bool) -> list[Any]:
    if name not in SPARSE:
        return []
    column, nothing = SORTS[name].column, SORTS[name].nothing
    if nothing is None:
        return [column.is_(None) if empty else column.is_not(None)]
    nil = literal_column("''")
    return [column == nil if empty else column != nil]


def _cursor(name: str, after: str) -> tuple[object, int] | None:
    if not after or after == "0":
        return None
    value, _, number = after.rpartition("~")
    if not number.isdigit() or len(number) > 16:
        raise NotUnderstood("after is the cursor of the page before.", field="after")
    if name == "number":
        return int(number), int(number)
    if not value:
        return None, int(number)
    try:
        match name:
            case "until" | "changed":
                return datetime.fromtimestamp(int(value) / 1_000_000, UTC), int(number)
            case "price":
                return int(value), int(number)
            case _:
                return value, int(number)
    except (ValueError, OverflowError, OSError) as error:
        raise NotUnderstood("after is the cursor of the page before.", field="after") from error


def _cursor_of(name: str, row: Any) -> str:
    match name:
        case "number":
            return str(row.number)
        case "until" | "changed":
            value = row.state_until if name == "until" else row.changed_at
            return f"{round(value.timestamp() * 1_000_000) if value else ''}~{row.number}"
        case "price":
            return f"{row.price}~{row.number}"
        case _:
            return f"{row.holder_name if name == 'holder' else row.label}~{row.number}"


def _after(
    name: str, begin: tuple[object, int] | None, *, backwards: bool, empty: bool
) -> list[object]:
    life = tables.life
    if begin is None:
        return []
    value, number = begin
    if empty or name == "number":
        if empty and value is not None:
            return []
        return [life.c.number < number if backwards else life.c.number > number]
    left, right = tuple_(SORTS[name].column, life.c.number), tuple_(value, number)
    return [left < right if backwards else left > right]


def _conditions(wanted: Filter, *, plainly: bool = True) -> list[Any]:
    life = tables.life
    reach = (lambda column: column) if plainly else plus
    conditions: list[Any] = []
    if wanted.state:
        conditions.append(reach(life.c.state) == wanted.state)
    if wanted.state not in {s.value for s in ENDED}:
        conditions.append(is_open())
    for column, value in (
        (life.c.site, wanted.site),
        (life.c.carrier, wanted.carrier),
        (life.c.capacity, wanted.capacity),
        (life.c.kind, wanted.kind),
    ):
        if value:
            conditions.append(reach(column) == value)
    if wanted.holder_kind:
        held = life.c.holder_kind
        conditions.append(
            held.is_(None) if wanted.holder_kind == "nobody" else reach(held) == wanted.holder_kind
        )
    if wanted.holder:
        conditions.append(
            and_(
                life.c.holder_kind == wanted.holder.kind.value, life.c.holder_id == wanted.holder.id
            )
        )
    if wanted.attention:
        conditions.append(
            text("life.attention = 1")
        )  # in so many words, else the index of those few can't be used
    if wanted.tag:
        tag = projected.number_tag
        conditions.append(life.c.number.in_(select(tag.c.number).where(tag.c.tag == wanted.tag)))
    if wanted.chosen is not None:
        conditions.append(life.c.number.in_(list(wanted.chosen)))
    return conditions


def _searched(connection: Connection, search: Search, most: int) -> list[ColumnElement[bool]]:
    """Conditions of which any may hold; each alone can use an index, which all in one could not."""
    life = tables.life
    match search.kind:
        case SearchKind.NOTHING:
            return [life.c.number > 0]
        case SearchKind.EXACT:
            numbers = [int(e164) for e164 in search.exact]
            if connection.execute(
                select(life.c.id).where(life.c.number.in_(numbers), is_open()).limit(1)
            ).first():
                return [life.c.number.in_(numbers)]
            return [life.c.number.in_({*numbers, *_hit_numbers(connection, search, most)})]
        case SearchKind.RANGE:
            return [life.c.number.between(search.first, search.last)]
        case SearchKind.EXTENSION:
            person = tables.person
            at_it = select(person.c.id).where(
                person.c.extension == search.extension, person.c.departed.is_(False)
            )
            return [
                and_(life.c.holder_kind == HolderKind.PERSON.value, life.c.holder_id.in_(at_it))
            ]
        case SearchKind.FRAGMENT if (
            search.leading and (beginning := _beginning(connection, search.leading)) is not None
        ):
            return beginning
        case SearchKind.FRAGMENT if not search.digits:
            return []
        case SearchKind.LEADING | SearchKind.FRAGMENT if max(map(len, search.digits)) < 3:
            return [_short_fragment(search.digits[0])]
        case SearchKind.ENDING if len(search.digits[0]) < 2:
            return [life.c.number % 10 == int(search.digits[0])]
        case _:
            return _by_index(connection, search, most)


def _beginning(
    connection: Connection, leading: tuple[str, ...]
) -> list[ColumnElement[bool]] | None:
    """Ranges of the numbers that begin so, one for each length; None where there are none. A range
    is found at once, where the index of fragments would look through all numbers of an area."""
    life = tables.life
    found = []
    for lead in leading:
        for length in range(max(len(lead), 8), 16):
            free = length - len(lead)
            between = life.c.number.between(
                int(lead) * 10**free, int(lead) * 10**free + 10**free - 1
            )
            if connection.execute(select(life.c.id).where(between, is_open()).limit(1)).first():
                found.append(between)
    return found or None


def _by_index(connection: Connection, search: Search, most: int) -> list[ColumnElement[bool]]:
    life = tables.life
    hits = (
        finder.find_words(connection, search.words, limit=most)[0]
        if search.kind is SearchKind.WORDS
        else []
    )
    numbers = _hit_numbers(connection, search, most)
    found: dict[Subject, set[str]] = {}
    for hit in hits:
        if hit.subject is Subject.NUMBER:
            numbers.append(int(hit.ref))
        else:
            found.setdefault(hit.subject, set()).add(hit.ref)
    conditions: list[Any] = [life.c.number.in_(numbers)] if numbers else []
    for subject, kind in (
        (Subject.PERSON, "person"),
        (Subject.SERVICE_LINE, "service_line"),
        (Subject.SITE, "site"),
    ):
        if subject in found:
            conditions.append(
                and_(life.c.holder_kind == kind, life.c.holder_id.in_(found[subject]))
            )
    for subject, column in (
        (Subject.SITE, life.c.site),
        (Subject.CARRIER, life.c.carrier),
        (Subject.ORDER, life.c.order_id),
        (Subject.SPOT, life.c.spot),
        (Subject.PATH, life.c.path),
    ):
        if subject in found:
            conditions.append(column.in_(found[subject]))
    if search.kind is SearchKind.WORDS and (areas := areas_called(search.words)):
        conditions.extend(_beginning(connection, areas) or ())
    return conditions


def _hit_numbers(connection: Connection, search: Search, most: int) -> list[int]:
    return finder.numbers_with(
        connection, search.digits, ending=search.kind is SearchKind.ENDING, limit=most
    )


def _short_fragment(digits: str) -> ColumnElement[bool]:
    """One or two digits: at the end of the number, which is what people mean."""
    return tables.life.c.number % 10 ** len(digits) == int(digits)


def owned(connection: Connection, numbers: NumberSet) -> NumberSet:
    """Those of the given numbers that are in the estate."""
    life = tables.life
    found: list[int] = []
    spans = numbers.spans
    for start in range(0, len(spans), 200):
        part = or_(*(life.c.number.between(s.first, s.last) for s in spans[start : start + 200]))
        found += [n for (n,) in connection.execute(select(life.c.number).where(part, is_open()))]
    return NumberSet.of(found)


def spans(connection: Connection, e164: str) -> list[Any]:
    """The life strip's stretches of one number, oldest first."""
    span = projected.span
    return list(
        connection.execute(
            select(span).where(span.c.number == int(e164)).order_by(span.c.since, span.c.id)
        )
    )


def due(connection: Connection, now: datetime) -> list[Number]:
    """Numbers whose rest or reservation has run out."""
    life = tables.life
    query = (
        select(life.c.body)
        .where(life.c.state_until.is_not(None), life.c.state_until <= now)
        .limit(200)
    )
    return [read_record(Number, body) for (body,) in connection.execute(query)]


def next_due(connection: Connection) -> datetime | None:
    return connection.execute(select(func.min(tables.life.c.state_until))).scalar()


def searched_in(connection: Connection, search: Search, table: Any) -> ColumnElement[bool]:
    """The finder's search over another table of numbers, which knows digits and holders' names
    only."""
    match search.kind:
        case SearchKind.NOTHING:
            return table.c.number > 0
        case SearchKind.RANGE:
            return table.c.number.between(search.first, search.last)
        case SearchKind.EXACT:
            return table.c.number.in_([int(e164) for e164 in search.exact])
        case SearchKind.WORDS:
            return table.c.holder_name.icontains(search.words, autoescape=True)
        case _:
            begun = [
                table.c.number.between(int(lead) * 10**free, int(lead) * 10**free + 10**free - 1)
                for lead in search.leading
                for free in range(max(0, 8 - len(lead)), 16 - len(lead))
            ]
            hits = _hit_numbers(connection, search, MOST_HITS) if search.digits else []
            return or_(table.c.number.in_(hits), *begun)
