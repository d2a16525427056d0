"""The estate at a glance: its counts, its block maps, its list; now, or at the end of a past
day."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import func, select

from sedge.core.numbers.capacity_forecast import Exhaustion, figures
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import Account, Carrier, Number, Site, Subject
from sedge.services.context import Context, Reading
from sedge.services.numbers import capacity_forecast as forecast_service
from sedge.store.repositories import ledger, maps, number_counts, past
from sedge.store.repositories import numbers as store
from sedge.store.repositories.maps import Cell, Hundred, Large
from sedge.store.repositories.number_counts import Counts
from sedge.store.repositories.numbers import Filter
from sedge.store.repositories.past import UNKNOWN_THEN as UNKNOWN_THEN  # noqa: PLC0414  for pages
from sedge.store.schema import projected

BLOCKS_A_PAGE = 8
NOTHING = Exhaustion(None, None, None, 0.0)


@dataclass(frozen=True)
class Overview:
    """Figures for the whole estate. `soonest` is the site that runs out first, by name."""

    total: int
    counts: Counts
    carriers: dict[str, str]
    sites: int
    maps: int
    soonest: tuple[str, Exhaustion] | None

    @property
    def by_state(self) -> Counter[str]:
        return self.counts.values["state"]

    @property
    def by_carrier(self) -> Counter[str]:
        return self.counts.values["carrier"]

    @property
    def attention(self) -> int:
        return self.counts.values["attention"]["yes"]


@dataclass(frozen=True)
class Block:
    """One site's part of an aligned hundred (or ten-thousand: `density`), with its figures.
    `exhaustion` is the site's."""

    lead: int
    site: Site
    cells: list[Cell]
    by_state: Counter[State]
    free_run: int
    carriers: dict[str, int]
    prices: tuple[int, int]
    currency: str
    exhaustion: Exhaustion
    area: str
    density: dict[int, Counter[State]] = field(default_factory=dict)

    @property
    def total(self) -> int:
        return sum(self.by_state.values())

    @property
    def is_large(self) -> bool:
        return bool(self.density)

    @property
    def size(self) -> int:
        return 10_000 if self.density else 100


@dataclass(frozen=True)
class Row:
    """One line of the list, now or at a past day; `since` is its last change, or when it came to be
    as it stood."""

    number: Number
    site_name: str
    carrier_name: str
    holder_name: str
    since: datetime | None = None


@dataclass(frozen=True)
class Listing:
    rows: list[Row]
    next: str | None
    counts: Counts


def overview(context: Context) -> Overview:
    return context.installation.while_unchanged(context, "overview", lambda: _overview(context))


def site_called(context: Context, key: str) -> str:
    """The name of a site; what was asked for where there is none."""
    with context.reading() as reading:
        found = reading.records.find(Site, key)
    return found.name if found else key


def _overview(context: Context) -> Overview:
    with context.reading() as reading:
        counts = number_counts.counts(reading.connection, Filter())
        facet = projected.facet
        used = select(func.count(facet.c.site.distinct())).where(facet.c.site != "")
        sites = reading.connection.execute(used).scalar() or 0
        how_many = maps.how_many(reading.connection, Filter())
        carriers = {c.id: c.name for c in reading.records.all(Carrier)}
    soonest = context.installation.for_a_while(context, "soonest", lambda: _soonest(context))
    return Overview(counts.total, counts, carriers, sites, how_many, soonest)


def _soonest(context: Context) -> tuple[str, Exhaustion] | None:
    first = next(iter(forecast_service.growing(context)), None)
    return (first.site.name, first.exhaustion) if first else None


# the maps with their sites, currencies, carriers, and the carriers of large ones
Maps = tuple[
    maps.Maps,
    dict[str, Site],
    dict[str, str],
    dict[str, str],
    dict[tuple[int, str], dict[str, int]],
]


def blocks(
    context: Context,
    wanted: Filter,
    *,
    by_area: bool = False,
    after: str = "",
    at: datetime | None = None,
    within: tuple[int, int] | None = None,
) -> tuple[list[Block], str]:
    """A page of block maps and the cursor of the next one."""

    def drawn_anew() -> Maps:
        return _maps(context, wanted, by_area=by_area, after=after, at=at, within=within)

    asked = (repr(wanted), by_area, after, at, within)
    found, sites, currencies, carriers, large = (
        context.installation.recall(context, "block maps", asked, drawn_anew)
        if wanted.chosen is None
        else drawn_anew()
    )
    exhaustion = forecast_service.soonest(context, list(sites)) if at is None else {}
    drawn = [
        _block(m, sites[m.site], exhaustion, carriers, currencies, large)
        for m in found.maps
        if m.site in sites
    ]
    return drawn, found.next


def _maps(
    context: Context,
    wanted: Filter,
    *,
    by_area: bool,
    after: str,
    at: datetime | None,
    within: tuple[int, int] | None,
) -> Maps:
    """The maps with their sites, currencies, carriers, and the carriers of large ones."""
    with context.reading() as reading:
        found = maps.maps(
            reading.connection,
            wanted,
            by_area=by_area,
            after=after,
            limit=BLOCKS_A_PAGE,
            at=at,
            within=within,
        )
        sites = {s.id: s for s in reading.records.many(Site, {m.site for m in found.maps})}
        currencies = _currencies(reading, sites.values())
        carriers = {c.id: c.name for c in reading.records.all(Carrier)}
        large = {
            (m.lead, m.site): _large_carriers(reading, m)
            for m in found.maps
            if isinstance(m, Large)
        }
    return found, sites, currencies, carriers, large


def _currencies(reading: Reading, sites: Sequence[Site] | object) -> dict[str, str]:
    """The currency numbers are paid in at each site: its account's."""
    accounts = {a.id: a.balance.currency for a in reading.records.all(Account)}
    return {s.id: accounts.get(s.account or "", "") for s in sites}  # type: ignore[attr-defined]


def _large_carriers(reading: Reading, m: Large) -> dict[str, int]:
    tally = projected.tally
    at = tally.c.site == m.site, tally.c.hundred.between(m.lead * 100, m.lead * 100 + 99)
    query = select(tally.c.carrier, func.sum(tally.c["count"])).where(*at).group_by(tally.c.carrier)
    return {carrier: int(n) for carrier, n in reading.connection.execute(query)}


def _block(
    m: Hundred | Large,
    site: Site,
    exhaustion: dict[str, Exhaustion],
    carriers: dict[str, str],
    currencies: dict[str, str],
    large: dict[tuple[int, str], dict[str, int]],
) -> Block:
    left = exhaustion.get(site.id, NOTHING)
    if isinstance(m, Large):
        by_state: Counter[State] = sum(m.hundreds.values(), Counter())
        held = {carriers.get(key, key): n for key, n in large[m.lead, m.site].items()}
        area = describe(f"+{m.lead}0000").area
        return Block(m.lead, site, [], by_state, 0, held, (0, 0), "", left, area, m.hundreds)
    numbers = figures({cell.number: cell.state for cell in m.cells})
    prices = [cell.price for cell in m.cells]
    held = dict(Counter(carriers.get(cell.carrier, cell.carrier) for cell in m.cells))
    return Block(
        m.lead,
        site,
        m.cells,
        Counter(cell.state for cell in m.cells),
        numbers.free_run,
        held,
        (min(prices), max(prices)),
        currencies.get(site.id, ""),
        left,
        describe(f"+{m.cells[0].number}").area,
    )


def counts_of(context: Context, wanted: Filter, at: datetime | None = None) -> Counts:
    """How many numbers the filters leave, now or at a past day."""
    with context.reading() as reading:
        return (
            number_counts.counts(reading.connection, wanted)
            if at is None
            else _counts_then(reading, wanted, at)
        )


def sites_to_choose(context: Context, wanted: Filter, name: str = "") -> list[tuple[str, str, int]]:
    """Sites (id, name) with how many numbers the other filters leave there."""
    with context.reading() as reading:
        return number_counts.site_counts(reading.connection, wanted, name=name[:80])


def tags(context: Context, wanted: Filter) -> list[tuple[str, int]]:
    with context.reading() as reading:
        return number_counts.tag_counts(reading.connection, wanted)


def list_numbers(
    context: Context,
    wanted: Filter,
    *,
    sort: str = "number",
    after: str = "",
    limit: int = 100,
    at: datetime | None = None,
) -> Listing:
    """A page of the list. At a past day, rows come in order of number and by what the past knows:
    state, site, carrier, holder."""
    with context.reading() as reading:
        if at is not None:
            return _listing_then(reading, wanted, after=after, limit=limit, at=at)
        counts = number_counts.counts(reading.connection, wanted)
        few = counts.whole and counts.total <= store.FEW
        found = store.page(reading.connection, wanted, sort=sort, after=after, limit=limit, few=few)
        return Listing(rows_of(reading, found), found.next, counts)


def rows_of(reading: Reading, page: store.Page) -> list[Row]:
    numbers = page.numbers
    refs = [n.holder for n in numbers if n.holder]
    names = reading.records.names((ref.subject, ref.id) for ref in refs)
    sites = {s.id: s.name for s in reading.records.many(Site, {n.site for n in numbers})}
    carriers = {c.id: c.name for c in reading.records.all(Carrier)}
    return [
        Row(
            n,
            sites.get(n.site, n.site),
            carriers.get(n.carrier, n.carrier),
            names.get((n.holder.subject, n.holder.id), "") if n.holder else "",
            changed,
        )
        for n, changed in zip(numbers, page.changed, strict=True)
    ]


def _listing_then(
    reading: Reading, wanted: Filter, *, after: str, limit: int, at: datetime
) -> Listing:
    found, following = past.page(reading.connection, wanted, at, after=after, limit=limit)
    sites = {s.id: s.name for s in reading.records.many(Site, {w.site for w in found})}
    carriers = {c.id: c.name for c in reading.records.all(Carrier)}
    rows = []
    for was in found:
        number = ledger.as_it_stood(reading.connection, Subject.NUMBER, f"+{was.number}", at)
        if number is not None:
            rows.append(
                Row(
                    number,
                    sites.get(was.site, was.site),
                    carriers.get(was.carrier, was.carrier),
                    was.holder_name,
                    was.since,
                )
            )
    return Listing(rows, following, _counts_then(reading, wanted, at))


def _counts_then(reading: Reading, wanted: Filter, at: datetime) -> Counts:
    """From the spans, as the rows are: the movements know whole days of UTC only."""
    all_then = past.count_wanted(reading.connection, Filter(), at)
    states = all_then if wanted == Filter() else past.count_wanted(reading.connection, wanted, at)
    by_state = Counter({state.value: n for state, n in states.items()})
    return Counts(sum(by_state.values()), {"state": by_state}, of=sum(all_then.values()))


@dataclass(frozen=True)
class Differences:
    """What stood differently at the ends of two days; `moved` counts all numbers that changed in
    between."""

    rows: list[past.Difference]
    moved: int
    before: Counter[State]
    after: Counter[State]
    site_names: dict[str, str]


def differences(context: Context, one: datetime, other: datetime, site: str = "") -> Differences:
    with context.reading() as reading:
        rows, moved = past.differences(reading.connection, one, other, site=site)
        before = past.count_by_state(reading.connection, one.date(), site)
        after = past.count_by_state(reading.connection, other.date(), site)
        keys = {was.site for row in rows for was in (row.before, row.after) if was}
        names = {s.id: s.name for s in reading.records.many(Site, keys)}
    return Differences(rows, moved, before, after, names)
