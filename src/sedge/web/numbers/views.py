"""What the pages of Numbers show: ready facts for their templates."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

from markupsafe import Markup

from sedge.core.facts import Money, counted
from sedge.core.numbers.e164 import describe, ending
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import NumberSet
from sedge.services.numbers.columns import COLUMNS, Column
from sedge.services.numbers.estate import UNKNOWN_THEN, Block, Listing, Overview, Row
from sedge.services.numbers.saved_views import SavedView
from sedge.store.repositories.number_counts import Counts
from sedge.web.numbers.query import HOLDER_KINDS, Query
from sedge.web.shared.drawings.blockmap import MapCell, Tile, block_map, density_map, legend_shape
from sedge.web.shared.rendering import money

ORDER_OF_STATES = (
    State.ASSIGNED,
    State.AVAILABLE,
    State.RESERVED,
    State.AGING,
    State.ADMINISTRATIVE,
    State.ON_ORDER,
    State.PORTING_IN,
    State.PORTING_OUT,
)
ACTIONS = {
    "assign": ("Assign", "/work-orders/new/assign?number={n}"),
    "reserve": ("Reserve", "/work-orders/new/reserve?number={n}"),
    "set-aside": ("Set aside", "/work-orders/new/set-aside?number={n}"),
    "unreserve": ("Cancel reservation", "/work-orders/new/unreserve?number={n}"),
    "set-spot": ("Set emergency spot", "/work-orders/new/set-spot?number={n}"),
    "register-address": ("Register address", "/work-orders/new/register-address?number={n}"),
    "list-on-trunk": ("Add to the trunk's list", "/work-orders/new/list-on-trunk?number={n}"),
    "set-path": ("Set call path", "/work-orders/new/set-path?number={n}"),
    "route-calls": ("Route calls", "/work-orders/new/route-calls?number={n}"),
    "set-fallback": ("Set fallback", "/work-orders/new/set-fallback?number={n}"),
    "test-call": ("Place a test call", "/numbers/{n}/test-call"),
    "follow": ("Simulate a call", "/numbers/{n}/follow"),
    "features": ("Switch features", "/numbers/{n}/features"),
    "retire": ("Retire", "/numbers/{n}/retire"),
    "end-rest": ("End quarantine", "/work-orders/new/end-rest?number={n}"),
    "return": ("Return to available", "/work-orders/new/return?number={n}"),
}
FILTERS = (  # title, name in the address, what is counted
    ("State", "state", "state"),
    ("Carrier", "carrier", "carrier"),
    ("Held by", "held", "holder_kind"),
    ("Calls at once", "capacity", "capacity"),
    ("Kind", "kind", "kind"),
)


@dataclass(frozen=True)
class BlockView:
    group: str
    title: str
    lead: str
    href: str
    picture: Markup
    used_percent: int
    lines: list[str]
    figures: str
    site: str
    totals: str = ""


@dataclass(frozen=True)
class Choice:
    name: str
    href: str
    count: int | None
    is_on: bool = False


@dataclass(frozen=True)
class Pick:
    """One filter: its name, its value in words, its choices."""

    title: str
    words: str
    is_on: bool
    choices: list[Choice]


def page_facts(
    query: Query, overview: Overview, saved: list[SavedView], now: datetime
) -> dict[str, Any]:
    """What both the maps and the list show around them."""
    return {
        "query": query,
        "overview": overview,
        "saved": [(v, f"/numbers?{v.query}", v.query == query.kept) for v in saved],
        "today": now.date().isoformat(),
        "blocks": [],
        "rows": [],
        "columns": [],
        "later": "",
        "legend": [],
        "whole": True,
        "unknown_then": ("at", *UNKNOWN_THEN),
    }


def block_facts(
    query: Query, overview: Overview, blocks: list[Block], following: str, counts: Counts
) -> dict[str, Any]:
    drawn = [block_view(b, query) for b in blocks]
    if not query.after and not following:
        drawn = _with_totals(drawn, blocks)
    return {
        "blocks": drawn,
        "later": query.link(after=following) if following else "",
        "heading": heading(_all(overview, counts), counts.total),
        "lede": lede(overview) if not query.at else "",
        "legend": legend(counts, query),
        "picks": picks(query, overview, counts, []),
    }


def _with_totals(views: list[BlockView], blocks: list[Block]) -> list[BlockView]:
    """With what the blocks of each group hold together; all of them have to be there."""
    held: Counter[str] = Counter()
    used: Counter[str] = Counter()
    free: Counter[str] = Counter()
    for view, block in zip(views, blocks, strict=True):
        held[view.group] += block.total
        used[view.group] += block.by_state[State.ASSIGNED]
        free[view.group] += block.by_state[State.AVAILABLE]
    return [
        replace(
            view,
            totals=f"{used[view.group]:,} of {held[view.group]:,} in use,"
            f" {free[view.group]:,} available",
        )
        for view in views
    ]


def list_facts(
    query: Query,
    overview: Overview,
    listing: Listing,
    columns: list[Column],
    tags: list[tuple[str, int]],
) -> dict[str, Any]:
    counts = listing.counts
    found = (
        heading(_all(overview, counts), counts.total)
        if counts.whole
        else f"More than {counts.total:,} numbers"
    )
    return {
        "rows": [row_view(row, columns, query) for row in listing.rows],
        "columns": [heads(c, query) for c in columns],
        "later": query.link(after=listing.next) if listing.next else "",
        "heading": found,
        "whole": counts.whole,
        "lede": "" if not query.at else "As the past knows it: state, holder, site and carrier.",
        "legend": legend(counts, query),
        "picks": picks(query, overview, counts, tags),
        "all_columns": [(c, c.key in {x.key for x in columns}) for c in COLUMNS.values()],
    }


@dataclass(frozen=True)
class Head:
    """The head of a column: its title, and where it can be sorted by, the link and which way it is
    sorted now."""

    title: str
    href: str
    way: str
    is_end: bool


def heads(column: Column, query: Query) -> Head:
    if not column.sort or query.at:
        return Head(column.title, "", "", column.key == "price")
    way = {column.sort: "ascending", f"-{column.sort}": "descending"}.get(query.sort, "")
    turned = f"-{column.sort}" if way == "ascending" else column.sort
    return Head(column.title, query.link(sort=turned), way, column.key == "price")


@dataclass(frozen=True)
class RowView:
    digits: str
    href: str
    is_open: bool
    cells: list[tuple[str, bool, bool]]


def row_view(row: Row, columns: list[Column], query: Query) -> RowView:
    digits = row.number.e164[1:]
    cells = [
        (
            money(row.number.monthly) if c.key == "price" else c.value(row) or "–",
            c.is_code or c.key == "price",
            c.key == "price",
        )
        for c in columns
    ]
    return RowView(
        digits, query.link(number=digits, after=query.after), digits == query.number, cells
    )


def block_view(block: Block, query: Query) -> BlockView:
    place = block.area or block.site.name
    site = block.site.name.split(",")[0]
    by_area = query.group == "area"
    free = 4 if block.is_large else 2
    national = describe(f"+{block.lead}{'0' * free}").shown
    assigned = block.by_state[State.ASSIGNED]
    lines = [f"{assigned:,} of {block.total:,} in use"]
    if not block.is_large:
        lines.append(f"longest free run: {block.free_run}")
    if block.total < block.size:
        lines.append(
            f"{block.size - block.total:,} of the {'ten thousand' if block.is_large else 'hundred'}"
            " are not ours"
        )
    if block.carriers:
        lines.append(", ".join(_carried(block)))
    return BlockView(
        group=place if by_area else block.site.name,
        title=f"{block.site.name}" if by_area else (block.area or site),
        lead=national[:-free] + "x" * free,
        href=query.link(view="list", find=f"+{block.lead}{'x' * free}"),
        picture=_large_picture(block, query) if block.is_large else _picture(block, query),
        used_percent=round(100 * assigned / block.total) if block.total else 0,
        lines=lines,
        figures=_left(block),
        site=block.site.id,
    )


def _picture(block: Block, query: Query) -> Markup:
    chosen = int(query.number) if query.number.isdigit() else None
    cells = [MapCell(c.number, c.state, cell_name(c.state, c.holder_name)) for c in block.cells]
    return block_map(
        f"+{block.lead}xx",
        cells,
        chosen=chosen,
        address=f"/numbers?{query.keep}",
        columns=int(query.shape),
    )


def _large_picture(block: Block, query: Query) -> Markup:
    like = query.link(
        within="000000xx", site=block.site.id
    )  # built once: a link for each of a hundred tiles takes its time
    tiles = [
        Tile(
            hundred,
            states,
            f"{hundred % 100:02d}xx, {states[State.ASSIGNED]} of {states.total()} in use,"
            f" {states[State.AVAILABLE]} available",
            like.replace("000000xx", f"{hundred}xx", 1),
        )
        for hundred, states in block.density.items()
    ]
    return density_map(f"+{block.lead}xxxx", tiles)


def _carried(block: Block) -> list[str]:
    """Carriers with their share where there are several, and what a number costs a month."""
    least, most = (
        (money(Money(amount=Decimal(p) / 100, currency=block.currency)) for p in block.prices)
        if block.currency
        else ("", "")
    )
    price = f"{least} each" if least == most else f"{least} to {most} each"
    if len(block.carriers) == 1:
        return [*block.carriers, *([price] if least else [])]
    return [
        f"{name} ({n:,})" for name, n in sorted(block.carriers.items(), key=lambda item: -item[1])
    ] + ([price] if least else [])


def cell_name(state: State, holder: str) -> str:
    return f"{state.value}, {holder}" if holder else state.value


def _left(block: Block) -> str:
    """Months until the site has none left, with the range the months' own spread allows."""
    e = block.exhaustion
    if e.months is None:
        return ""
    latest = spell_months(e.latest) if e.latest is not None else "much later"
    return (
        f"{spell_months(e.months)} left at this site ({spell_months(e.soonest or 0)} to {latest})"
    )


def spell_months(months: float) -> str:
    """Months as people plan: weeks below two months, years above two years."""
    if months < 2:
        weeks = max(0, round(months * 4.35))
        return counted(weeks, "week")
    return f"{round(months)} months" if months <= 24 else f"{round(months / 12)} years"


def lede(overview: Overview) -> str:
    if not overview.total:
        return ""
    used = overview.by_state[State.ASSIGNED]
    share = f"{round(100 * used / overview.total)}% in use"
    text = (
        f"in {counted(overview.maps, 'block map')}, {counted(overview.sites, 'site')},"
        f" {counted(len(overview.by_carrier), 'carrier')}. {share}"
    )
    if overview.soonest:
        site, exhaustion = overview.soonest
        text += f"; at the present pace {site} runs out in {spell_months(exhaustion.months or 0)}"
    return text + "."


def _all(overview: Overview, counts: Counts) -> int:
    """What the counts are a part of: the estate of today, or of a past day."""
    return overview.total if counts.of is None else counts.of


def heading(total: int, found: int) -> str:
    """How many numbers are looked at, of all."""
    return (
        counted(found, "number") if found == total else f"{found:,} of {counted(total, 'number')}"
    )


def legend(counts: Counts, query: Query) -> list[tuple[Markup, str, int, str, bool]]:
    by_state = counts.values.get("state", {})
    return [
        (
            legend_shape(state),
            state.value.capitalize(),
            by_state[state],
            query.link(state="" if query.state == state else state.value),
            query.state == state,
        )
        for state in ORDER_OF_STATES
        if by_state.get(state)
    ]


def picks(
    query: Query, overview: Overview, counts: Counts, tags: list[tuple[str, int]]
) -> list[Pick]:
    """The filters beside the site's, each choice with the numbers it would leave."""
    values = counts.values
    names = {"held": HOLDER_KINDS, "carrier": overview.carriers}
    found = []
    for title, name, dimension in FILTERS:
        if query.at and name in UNKNOWN_THEN:
            continue
        rows = {key: n for key, n in values.get(dimension, {}).items() if n}
        found.append(_pick(title, name, rows, names.get(name, {}), query))
    if tags and not query.at:
        found.append(_pick("Tag", "tag", dict(tags), {}, query))
    return found


def _pick(
    title: str, name: str, rows: Mapping[str, int], names: Mapping[str, str], query: Query
) -> Pick:
    on = getattr(query, name)
    choices = [Choice("any", query.link(**{name: ""}), None, not on)]
    choices += [
        Choice(names.get(key, key), query.link(**{name: key}), n, on == key)
        for key, n in sorted(rows.items(), key=lambda item: (-item[1], item[0]))
    ]
    return Pick(title, names.get(on, on) if on else "any", bool(on), choices)


def chosen_link(name: str, act: str = "", *, unread: tuple[str, ...] = ()) -> str:
    asked = {"pick": name, "act": act, "unread": " · ".join(unread)[:600]}
    return "/numbers/chosen?" + urlencode({key: value for key, value in asked.items() if value})


def numbers_in_words(numbers: NumberSet, most: int = 12) -> str:
    """The first ranges as people write them."""
    spans = numbers.spans
    both = [(describe(f"+{s.first}").shown, describe(f"+{s.last}").shown) for s in spans[:most]]
    words = [
        f"{first} to {ending(first, last)}" if first != last else first for first, last in both
    ]
    return ", ".join(words) + (
        f" and {len(spans) - most:,} more ranges" if len(spans) > most else ""
    )


CALLS_AT_ONCE = {"any": "any number of calls", "single": "one call at a time", "many": "many calls"}
