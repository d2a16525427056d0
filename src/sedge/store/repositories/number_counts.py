"""How many numbers there are of each state, site, tag and area."""

from collections import Counter
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import (
    Connection,
    func,
    or_,
    select,
    true,
)

from sedge.core.numbers.plan import areas_called
from sedge.store.repositories.numbers import (
    DIMENSIONS,
    MOST_HITS,
    Filter,
    _beginning,
    _conditions,
    _searched,
)
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables


@dataclass(frozen=True)
class Counts:
    """How many numbers each value of a filter would leave, all other filters kept. `whole`: false
    where only the first matches were looked at; `of` how many there were in all, as it stood, None
    for now."""

    total: int
    values: dict[str, Counter[str]] = field(default_factory=dict)
    whole: bool = True
    of: int | None = None


def counts(connection: Connection, wanted: Filter) -> Counts:
    """Counts by `DIMENSIONS`: from the kept counts, or from the matches themselves where a search
    narrows."""
    if not wanted.is_counted:
        return _counted_matches(connection, wanted)
    facet = projected.facet
    asked = _asked(wanted)
    values: dict[str, Counter[str]] = {name: Counter() for name in DIMENSIONS}
    total = 0
    columns = [facet.c[name] for name in DIMENSIONS]
    for *key, n in connection.execute(
        select(*columns, facet.c["count"]).where(facet.c.site == (wanted.site or ""))
    ):
        shown = [_shown(name, value) for name, value in zip(DIMENSIONS, key, strict=True)]
        unlike = [
            i
            for i, (value, want) in enumerate(zip(shown, asked, strict=True))
            if want and value != want
        ]
        if not unlike:
            total += n
        for i, name in enumerate(DIMENSIONS):
            if not unlike or unlike == [i]:
                values[name][shown[i]] += n
    return Counts(total, values)


def _asked(wanted: Filter) -> list[str]:
    return [
        wanted.carrier or "",
        wanted.state or "",
        wanted.capacity or "",
        wanted.kind or "",
        wanted.holder_kind or "",
        "yes" if wanted.attention else "",
    ]


def _shown(name: str, value: Any) -> str:
    if name == "attention":
        return "yes" if value else "no"
    return value or ("nobody" if name == "holder_kind" else "")


def _counted_matches(connection: Connection, wanted: Filter) -> Counts:
    life = tables.life
    columns = (
        life.c.carrier,
        life.c.state,
        life.c.capacity,
        life.c.kind,
        life.c.holder_kind,
        life.c.attention,
    )
    loose = replace(
        wanted,
        carrier=None,
        state=None,
        capacity=None,
        kind=None,
        holder_kind=None,
        attention=False,
    )
    found: dict[str, tuple[str, ...]] = {}
    searched = (
        _searched(connection, wanted.search, MOST_HITS) if wanted.search else [life.c.number > 0]
    )
    for part in searched:
        query = select(life.c.id, *columns).where(*_conditions(loose), part).limit(10 * MOST_HITS)
        for key, *row in connection.execute(query):
            found[key] = tuple(
                _shown(name, value) for name, value in zip(DIMENSIONS, row, strict=True)
            )
    asked = _asked(wanted)
    values: dict[str, Counter[str]] = {name: Counter() for name in DIMENSIONS}
    total = 0
    for row in found.values():
        unlike = [
            i
            for i, (value, want) in enumerate(zip(row, asked, strict=True))
            if want and value != want
        ]
        total += not unlike
        for i, name in enumerate(DIMENSIONS):
            if not unlike or unlike == [i]:
                values[name][row[i]] += 1
    return Counts(total, values, whole=len(found) < MOST_HITS)


def site_counts(
    connection: Connection, wanted: Filter, *, name: str = "", limit: int = 60
) -> list[tuple[str, str, int]]:
    """Sites (id, name) whose names contain `name`, with how many numbers the other filters leave
    there, most first."""
    facet, site = projected.facet, tables.site
    total = func.sum(facet.c["count"])
    query = (
        select(facet.c.site, site.c.name, total)
        .join(site, site.c.id == facet.c.site)
        .group_by(facet.c.site)
    )
    for column, value in zip((facet.c[d] for d in DIMENSIONS), _asked(wanted), strict=True):
        if value:
            plain: object = {"yes": True, "nobody": ""}.get(value, value)
            query = query.where(column == plain)
    if name:
        query = query.where(site.c.name.icontains(name, autoescape=True))
    return [
        (key, title, int(n))
        for key, title, n in connection.execute(
            query.order_by(total.desc(), site.c.name).limit(limit)
        )
    ]


def tag_counts(connection: Connection, wanted: Filter, *, limit: int = 60) -> list[tuple[str, int]]:
    """The tags of the numbers that all other filters leave, most used first."""
    tag, life = projected.number_tag, tables.life
    total = func.count()
    query = (
        select(tag.c.tag, total).group_by(tag.c.tag).order_by(total.desc(), tag.c.tag).limit(limit)
    )
    others = replace(wanted, tag=None)
    if others != Filter():
        searched = _searched(connection, others.search, MOST_HITS) if others.search else None
        if searched == []:
            return []
        query = query.join(life, life.c.number == tag.c.number).where(
            *_conditions(others, plainly=False), or_(*searched) if searched else true()
        )
    return [(name, n) for name, n in connection.execute(query)]


def tags_like(connection: Connection, begin: str, *, limit: int) -> list[tuple[str, int]]:
    """Tags that begin like that, with how many numbers have each."""
    tag = projected.number_tag
    near = tag.c.tag >= begin, tag.c.tag < begin + "\uffff"
    names = [
        name
        for (name,) in connection.execute(
            select(tag.c.tag).where(*near).distinct().order_by(tag.c.tag).limit(limit)
        )
    ]
    count = select(tag.c.tag, func.count()).where(tag.c.tag.in_(names)).group_by(tag.c.tag)
    return sorted((name, n) for name, n in connection.execute(count)) if names else []


def areas_like(connection: Connection, text: str) -> list[tuple[str, int]]:
    """Areas called so that the estate has numbers in, as country code and area digits, with how
    many."""
    found = []
    for lead in areas_called(text):
        begins = _beginning(connection, (lead,))
        if begins and (
            n := connection.execute(
                select(func.count()).select_from(tables.life).where(or_(*begins), is_open())
            ).scalar()
        ):
            found.append((lead, n))
    return found
