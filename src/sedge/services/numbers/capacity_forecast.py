"""Figures: utilisation, months to exhaustion and order advice of a site, with
everything they are made of."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise

from sqlalchemy import func, select

from sedge.core.errors import NotFound
from sedge.core.numbers.capacity_forecast import (
    MONTH_DAYS,
    Advice,
    Exhaustion,
    is_a_pace,
    months_to_exhaustion,
    order_advice,
)
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.records import Account, Carrier, Site
from sedge.services.context import Context, Reading
from sedge.store.repositories import past
from sedge.store.repositories.deliveries import lead_times
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables

DEMAND_MONTHS = 6
USUAL_LEAD_DAYS = 7.0
MOST_LOOKED_AT = 200
Pool = tuple[str, str]


@dataclass(frozen=True)
class Month:
    """`net` is assignments less returns between the two days (the last not included)."""

    begins: date
    ends: date
    net: int


@dataclass(frozen=True)
class Figure:
    """One site's numbers of one capacity: the counts, the demand month by month, and what
    follows."""

    site: Site
    capacity: str
    by_state: Counter[State]
    months: list[Month]
    exhaustion: Exhaustion
    advice: Advice
    carrier: str
    area: str

    @property
    def total(self) -> int:
        return sum(self.by_state.values())

    @property
    def utilisation(self) -> float:
        return self.by_state[State.ASSIGNED] / self.total if self.total else 0.0


def periods(today: date) -> list[tuple[date, date]]:
    """Six months of 182 days in all, the last ending with today."""
    ends = today + timedelta(days=1)
    cuts = [ends - timedelta(days=int(MONTH_DAYS * n)) for n in range(DEMAND_MONTHS, -1, -1)]
    return list(pairwise(cuts))


def of_site(context: Context, site_id: str) -> list[Figure]:
    """The figures of each capacity a site has numbers of. Raises NotFound."""
    with context.reading() as reading:
        site = reading.records.find(Site, site_id)
        if site is None:
            raise NotFound(
                f"There is no site “{site_id}”. Choose one from the list.",
                subject="site",
                id=site_id,
            )
        return _figures(reading, [site])


def worth_ordering(context: Context) -> list[Figure]:
    """Where numbers should be ordered now, soonest first: the sites that grew for some months,
    asked once in ten minutes."""
    return context.installation.for_a_while(
        context, "worth ordering", lambda: _worth_ordering(context)
    )


def _worth_ordering(context: Context) -> list[Figure]:
    return [f for f in growing(context) if f.advice.order and is_a_pace([m.net for m in f.months])]


def soonest(context: Context, sites: Sequence[str]) -> dict[str, Exhaustion]:
    """Of each site given, the capacity that is used up first."""
    with context.reading() as reading:
        found = _exhaustion(reading, list(sites))
    best: dict[str, Exhaustion] = {}
    for (site, _capacity), exhaustion in found.items():
        known = best.get(site)
        if known is None or (
            exhaustion.months is not None
            and (known.months is None or exhaustion.months < known.months)
        ):
            best[site] = exhaustion
    return best


def _exhaustion(reading: Reading, sites: list[str]) -> dict[Pool, Exhaustion]:
    demand = past.net_by_period(reading.connection, periods(reading.now.date()), sites)
    free = {pool: counts[State.AVAILABLE] for pool, counts in _by_state(reading, sites).items()}
    return {
        pool: months_to_exhaustion(free.get(pool, 0), months) for pool, months in demand.items()
    }


def _by_state(reading: Reading, sites: list[str]) -> dict[Pool, Counter[State]]:
    facet = projected.facet
    found: dict[Pool, Counter[State]] = {}
    for start in range(0, len(sites), 900):
        query = (
            select(facet.c.site, facet.c.capacity, facet.c.state, func.sum(facet.c["count"]))
            .where(facet.c.site.in_(sites[start : start + 900]))
            .group_by(facet.c.site, facet.c.capacity, facet.c.state)
        )
        for site, capacity, state, n in reading.connection.execute(query):
            found.setdefault((site, capacity), Counter())[State(state)] += int(n)
    return found


def _figures(reading: Reading, sites: list[Site]) -> list[Figure]:
    keys = [s.id for s in sites]
    counts = _by_state(reading, keys)
    spans = periods(reading.now.date())
    demand = past.net_by_period(reading.connection, spans, keys) if keys else {}
    accounts = {a.id: a.carrier for a in reading.records.all(Account)}
    carriers = {c.id: c for c in reading.records.all(Carrier)}
    leads = {key: _days(lead_times(reading.records, key)[0]) for key in carriers}
    found = []
    for site in sites:
        carrier = carriers.get(accounts.get(site.account or "", ""))
        for capacity in sorted({c for s, c in {*counts, *demand} if s == site.id}):
            pool = site.id, capacity
            months = demand.get(pool, [0] * DEMAND_MONTHS)
            have = counts.get(pool, Counter())
            exhaustion = months_to_exhaustion(have[State.AVAILABLE], months)
            lead = leads[carrier.id] if carrier else USUAL_LEAD_DAYS
            until = reading.now + timedelta(days=lead + 3 * float(MONTH_DAYS))
            advice = order_advice(
                exhaustion.monthly_demand,
                lead_days=lead,
                available=have[State.AVAILABLE],
                on_order=have[State.ON_ORDER] + have[State.PORTING_IN],
                out_of_rest=_out_of_rest(reading, pool, until),
                multiple=carrier.order_multiple if carrier else 1,
            )
            rows = [Month(begin, end, net) for (begin, end), net in zip(spans, months, strict=True)]
            found.append(
                Figure(
                    site,
                    capacity,
                    have,
                    rows,
                    exhaustion,
                    advice,
                    carrier.name if carrier else "",
                    _area(reading, pool),
                )
            )
    return found


def _area(reading: Reading, pool: Pool) -> str:
    """The area of the pool's first number, where more would be looked for."""
    life = tables.life
    query = (
        select(life.c.number)
        .where(life.c.site == pool[0], life.c.capacity == pool[1], is_open())
        .order_by(life.c.number)
        .limit(1)
    )
    first = reading.connection.execute(query).scalar()
    return describe(f"+{first}").area if first else ""


def _days(lead: timedelta | None) -> float:
    return lead.total_seconds() / 86_400 if lead else USUAL_LEAD_DAYS


def _out_of_rest(reading: Reading, pool: Pool, until: datetime) -> int:
    life = tables.life
    site, capacity = pool
    resting = (
        life.c.state == State.AGING.value,
        life.c.site == site,
        life.c.capacity == capacity,
        life.c.state_until <= until,
    )
    return (
        reading.connection.execute(select(func.count()).select_from(life).where(*resting)).scalar()
        or 0
    )


def growing(context: Context) -> list[Figure]:
    """Sites whose numbers run out some day, soonest first; of very many, those that grew most."""
    with context.reading() as reading:
        net = past.net_by_site(reading.connection, periods(reading.now.date()))
        most = sorted(net, key=lambda row: -row[2])[:MOST_LOOKED_AT]
        sites = reading.records.many(Site, {site for site, _capacity, _net in most})
        found = [f for f in _figures(reading, sites) if f.exhaustion.months is not None]
    return sorted(found, key=lambda f: f.exhaustion.months or 0)
