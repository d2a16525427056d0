"""Right-sizing: what could be given up or bought otherwise, from months of real use; together as
one work order."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind, SupplyModel
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money, counted, in_words
from sedge.core.numbers.life import State
from sedge.core.records import (
    Carrier,
    Grant,
    HolderRef,
    Number,
    Person,
    Product,
    ServiceLine,
    Subscription,
    Trunk,
)
from sedge.core.spend.months import Month, last_months
from sedge.core.spend.rates.rating import Reach, reach_of
from sedge.core.spend.right_sizing import (
    Advice,
    Saving,
    a_year,
    cheapest_bundles,
    enough_for,
    in_order,
    worth_it,
)
from sedge.core.trunks.erlang import advise
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.spend import costs, usage
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import spend, tables

IDLE_DAYS = 60
MONTHS_LOOKED_AT = 3
MOST_NUMBERS = 300
TRIAL_SOON = timedelta(days=30)
SPARE_SHARE = Decimal("0.3")  # of a site's numbers that may lie ready
WANTED_BLOCKING = 0.01


@dataclass(frozen=True)
class RightSizing:
    """`reaches_back`: whether the records tell of so many days; without them nothing is said of
    use."""

    advices: list[Advice]
    reaches_back: bool

    def saved(self, keys: Sequence[str] = ()) -> list[Money]:
        """What all, or the chosen, save a year, by currency."""
        sums: dict[str, Decimal] = defaultdict(Decimal)
        for advice in self.advices:
            if not keys or advice.key in keys:
                sums[advice.saves.currency] += advice.saves.amount
        return [
            Money(amount=amount, currency=currency) for currency, amount in sums.items() if amount
        ]


def view(context: Context) -> RightSizing:
    context.require(May.SEE_MONEY)
    return context.installation.while_unchanged(
        context, "right-sizing", lambda: _view(context), minutes=60
    )


def _view(context: Context) -> RightSizing:
    idle = usage.not_called(context, IDLE_DAYS, limit=MOST_NUMBERS)
    since = (context.now() - timedelta(days=IDLE_DAYS)).date().isoformat()
    table = spend.usage_day
    peaks, home = usage.peaks(context), costs.home_currency(context)
    with context.reading() as reading:
        oldest = reading.connection.execute(select(func.min(table.c.day))).scalar()
        reaches_back = oldest is not None and oldest <= since
        found = [*_trials(reading), *_seats_left(reading), *_channels(reading, peaks, home)]
        if oldest is not None and reaches_back:
            months = last_months(context.now(), MONTHS_LOOKED_AT + 1)[:-1]
            months = [m for m in months if m.first.isoformat() >= oldest]
            seats = _idle_seats(reading, since)
            found += [
                *_idle_numbers(reading, idle),
                *(advice for _, advice in seats),
                *_licences(reading, months, {grant for grant, _ in seats}),
                *_pools(reading, months),
            ]
    return RightSizing(in_order(found), reaches_back)


# ── seats ──


def _seats_left(reading: Reading) -> Iterator[Advice]:
    """Paid seats that nobody has; of a term, they go at its end."""
    products = {p.id: p for p in reading.records.all(Product)}
    for pool in reading.records.all(Subscription):
        product = products.get(pool.product)
        if product is None or product.free or pool.is_trial or pool.ended or not pool.left:
            continue
        if not product.monthly.amount:
            continue
        ends = f" They are paid until {pool.renews_on:%-d %B %Y}." if pool.renews_on else ""
        yield Advice(
            f"seats {pool.id}",
            Saving.SEATS_LEFT,
            f"{counted(pool.left, 'seat')} of {product.name}",
            f"{pool.used} of {pool.seats} seats are granted.{ends}",
            a_year(product.monthly.times(pool.left)),
            (t.CancelSeats(subscription=pool.id, seats=pool.left),),
        )


def _trials(reading: Reading) -> Iterator[Advice]:
    products = {p.id: p for p in reading.records.all(Product)}
    for pool in reading.records.all(Subscription):
        ends, product = pool.trial_ends, products.get(pool.product)
        if ends is None or product is None or pool.ended or ends - reading.now > TRIAL_SOON:
            continue
        yield Advice(
            f"trial {pool.id}",
            Saving.TRIAL,
            f"Trial of {product.name}",
            f"It ends on {ends:%-d %B %Y}; {counted(pool.used, 'holder')} would lose it.",
            a_year(product.monthly.times(-pool.used)),
            (t.BuySeats(product=product.id, seats=pool.used),) if pool.used else (),
            href="/licences",
            lacked=f"{product.name} for {counted(pool.used, 'holder')}" if pool.used else "",
        )


def _idle_seats(reading: Reading, since: str) -> list[tuple[str, Advice]]:
    """Seats whose holders had no call, each with its grant; not those without which their numbers
    would not work."""
    table = spend.usage_day
    busy = set(
        reading.connection.execute(
            select(table.c.holder_id).where(table.c.day > since).distinct()
        ).scalars()
    )
    products = {p.id: p for p in reading.records.all(Product)}
    needed = needed_licences(reading)
    names = _names(reading)
    begins = reading.now - timedelta(days=IDLE_DAYS)
    grants, paid = _open_grants(reading), _Paid(reading)
    found: list[tuple[str, Advice]] = []
    for grant in grants:
        product = products.get(grant.product)
        if product is None or not product.monthly.amount or not paid.is_paid(grant):
            continue
        if grant.holder.id in busy or grant.since > begins:
            continue
        if product.id in needed.get(grant.holder, frozenset()):
            continue
        others = _that_need(product.id, products, grant.holder, grants)
        if others:
            continue
        advice = Advice(
            f"grant {grant.id}",
            Saving.SEATS_IDLE,
            f"{product.name} of {names.get(grant.holder, grant.holder.id)}",
            f"No call in or out for {IDLE_DAYS} days.{paid.ends(grant)}",
            a_year(paid.price(product, grant.holder)),
            _given_up(grant),
        )
        found.append((grant.id, advice))
    return found


def _given_up(grant: Grant) -> tuple[t.Task, ...]:
    """Taken back, and no longer paid for: a seat alone that nobody has saves nothing."""
    return (
        t.RevokeLicence(holder=grant.holder, product=grant.product),
        t.CancelSeats(subscription=grant.subscription, seats=1),
    )


class _Paid:
    """What granted seats cost, and until when they are paid for whatever is done."""

    def __init__(self, reading: Reading) -> None:
        self._pools = {s.id: s for s in reading.records.all(Subscription)}
        self._sites, self._currencies = (
            costs.sites_of_holders(reading),
            costs.currencies_of_sites(reading),
        )

    def is_paid(self, grant: Grant) -> bool:
        pool = self._pools.get(grant.subscription)
        return pool is not None and not pool.is_trial and not pool.ended

    def price(self, product: Product, holder: HolderRef) -> Money:
        """Of a seat a month, in the currency in which the holder's site pays."""
        site = self._sites.get((holder.kind.value, holder.id), "")
        return product.price_in(self._currencies.get(site, product.monthly.currency))

    def ends(self, grant: Grant) -> str:
        pool = self._pools.get(grant.subscription)
        until = pool.renews_on if pool else None
        return f" It is paid until {until:%-d %B %Y}." if until else ""


def _that_need(
    product: str, products: dict[str, Product], holder: HolderRef, grants: Sequence[Grant]
) -> list[str]:
    """What else the holder has that does not work without it."""
    return [
        g.product
        for g in grants
        if g.holder == holder
        and g.product in products
        and product in products[g.product].prerequisites
    ]


def _open_grants(reading: Reading) -> list[Grant]:
    return reading.records.where(Grant, tables.grant.c.ended.is_(False))


def needed_licences(reading: Reading) -> dict[HolderRef, frozenset[str]]:
    """The licences that holders' numbers ask for, by the agreement of their carrier."""
    carriers = {c.id: c for c in reading.records.all(Carrier)}
    numbers = reading.records.where(Number, is_open(), tables.IN_USE)
    found: dict[HolderRef, set[str]] = defaultdict(set)
    for number in numbers:
        carrier = carriers.get(number.carrier)
        if number.holder is None or carrier is None:
            continue
        if carrier.supply_model is not SupplyModel.OWN_TRUNK:
            found[number.holder] |= set(carrier.asks_of.get(number.holder.kind, ()))
    return {holder: frozenset(asked) for holder, asked in found.items()}


def _names(reading: Reading) -> dict[HolderRef, str]:
    people = {
        HolderRef(kind=HolderKind.PERSON, id=p.id): p.name for p in reading.records.all(Person)
    }
    lines = {
        HolderRef(kind=HolderKind.SERVICE_LINE, id=x.id): x.name
        for x in reading.records.all(ServiceLine)
    }
    return people | lines


# ── numbers ──


def _idle_numbers(reading: Reading, idle: Sequence[str]) -> Iterator[Advice]:
    """People's numbers without a call; not main numbers of sites, alarms and lifts, which are there
    for the day they are needed."""
    wanted = [int(number) for number in idle]
    numbers = reading.records.where(Number, tables.life.c.number.in_(wanted), is_open())
    names = _names(reading)
    for number in sorted(numbers, key=lambda n: n.e164):
        holder = number.holder
        if holder is None or holder.kind is not HolderKind.PERSON or number.leaving_on:
            continue
        if number.state is not State.ASSIGNED or not number.monthly.amount:
            continue
        yield Advice(
            f"number {number.e164}",
            Saving.NUMBERS_IDLE,
            f"{number.shown} of {names.get(holder, holder.id)}",
            f"No call in or out for {IDLE_DAYS} days.",
            a_year(number.monthly),
            (t.UnassignNumber(number=number.e164),),
            href=f"/spend/usage/numbers/{number.e164[1:]}",
            lacked="nothing: nobody called",
        )


# ── minutes ──


def _minutes(
    reading: Reading, months: Sequence[Month], reach: Reach | None = None
) -> dict[str, list[Decimal]]:
    """Minutes out of each holder in each of the months, of one reach or of all."""
    record = spend.call_record
    found: dict[str, list[Decimal]] = defaultdict(lambda: [Decimal(0)] * len(months))
    for place, month in enumerate(months):
        query = select(
            record.c.holder_kind, record.c.holder_id, record.c.number, record.c.other, record.c.talk
        ).where(
            record.c.day.between(month.first.isoformat(), month.last.isoformat()),
            record.c.started >= int(month.starts.timestamp()) - 86400,
            record.c.direction == "out",
            record.c.talk > 0,
        )
        for kind, key, number, other, talk in reading.connection.execute(query):
            if reach is None or reach_of(f"+{number}", other) is reach:
                found[f"{kind}:{key}"][place] += Decimal(talk) / 60
    return found


def _licences(reading: Reading, months: Sequence[Month], told: set[str]) -> Iterator[Advice]:
    """Licences with included minutes that cost more than the minutes would; never one that the
    holder's numbers ask for, and none of the grants that are `told` as without calls."""
    if not months:
        return
    products = {p.id: p for p in reading.records.all(Product)}
    with_minutes = {p.id for p in products.values() if p.minutes and not p.pooled and not p.free}
    used = _minutes(reading, months, Reach.HOME)
    needed, names = needed_licences(reading), _names(reading)
    grants, paid = _open_grants(reading), _Paid(reading)
    a_minute_in: dict[str, Decimal] = {}
    for grant in grants:
        if grant.product not in with_minutes or grant.since > months[-1].starts:
            continue
        if grant.id in told or not paid.is_paid(grant):
            continue
        product, holder = products[grant.product], grant.holder
        if product.id in needed.get(holder, frozenset()):
            continue
        spent = used.get(f"{holder.kind.value}:{holder.id}", [Decimal(0)] * len(months))
        price = paid.price(product, holder)
        if price.currency not in a_minute_in:
            a_minute_in[price.currency] = _mean_rate(reading, price.currency)
        a_minute = a_minute_in[price.currency]
        is_worth, without = worth_it(spent, price.amount, product.minutes, a_minute)
        if is_worth or _that_need(product.id, products, holder, grants):
            continue
        by_minute = Money(amount=without, currency=price.currency)
        yield Advice(
            f"licence {grant.id}",
            Saving.MINUTES,
            f"{product.name} of {names.get(holder, holder.id)}",
            f"{enough_for(spent):.0f} minutes in four months of five, of {product.minutes}"
            f" included; paid for each they would cost {in_words(by_minute)} a month."
            f"{paid.ends(grant)}",
            a_year((price - by_minute).rounded()),
            _given_up(grant),
            lacked="nothing that is not paid for by the minute",
        )


def _mean_rate(reading: Reading, currency: str) -> Decimal:
    """What a minute out cost in the mean, in a currency; nothing where nothing is known."""
    table = spend.usage_month
    cost, talk, included = reading.connection.execute(
        select(func.sum(table.c.cost), func.sum(table.c.talk), func.sum(table.c.included)).where(
            table.c.currency == currency, table.c.direction == "out"
        )
    ).one()
    paid = (talk or 0) - (included or 0)
    return Decimal(cost or 0) / 10_000 / (Decimal(paid) / 60) if paid > 0 else Decimal(0)


def _pools(reading: Reading, months: Sequence[Month]) -> Iterator[Advice]:
    """Pooled bundles: how many of them cost least for the minutes abroad of those who have one."""
    if not months:
        return
    products = [p for p in reading.records.all(Product) if p.pooled and p.minutes and not p.free]
    abroad = _minutes(reading, months, Reach.ABROAD) if products else {}
    for product in products:
        pools = [
            s
            for s in reading.records.all(Subscription)
            if s.product == product.id and not s.ended and not s.is_trial
        ]
        seats = sum(s.seats - s.leaving for s in pools)
        holders = {
            f"{g.holder.kind.value}:{g.holder.id}"
            for g in _open_grants(reading)
            if g.product == product.id
        }
        used = [
            sum((abroad[h][i] for h in holders if h in abroad), Decimal(0))
            for i in range(len(months))
        ]
        if not holders:
            continue  # told as seats that nobody has
        beyond = _mean_rate(reading, product.monthly.currency)
        least = max(len(holders), 0)
        best = cheapest_bundles(used, product.minutes, product.monthly.amount, beyond, seats + 5)
        best = max(best, least)
        if best == seats or not pools:
            continue
        change = seats - best
        tasks: tuple[t.Task, ...] = (
            (t.CancelSeats(subscription=pools[0].id, seats=min(change, pools[0].left)),)
            if change > 0 and pools[0].left
            else ((t.BuySeats(product=product.id, seats=-change),) if change < 0 else ())
        )
        if not tasks:
            continue
        yield Advice(
            f"pool {product.id}",
            Saving.POOL,
            f"{product.name}: {best} instead of {seats}",
            f"{enough_for(used):.0f} minutes abroad in four months of five; each has"
            f" {product.minutes}.",
            a_year(product.monthly.times(change)),
            tasks,
        )


# ── channels ──


def _channels(reading: Reading, peaks: dict[str, float], home: str) -> Iterator[Advice]:
    """Trunks with far more or fewer channels than their load needs; what a channel costs nobody has
    told, so it is for people to decide."""
    for trunk in sorted(reading.records.all(Trunk), key=lambda x: x.name):
        load = peaks.get(trunk.id, 0.0)
        if not trunk.channels or not load:
            continue
        needed = advise(load, WANTED_BLOCKING, 0.0).needed
        if needed * 2 > trunk.channels >= needed:
            continue
        yield Advice(
            f"channels {trunk.id}",
            Saving.CHANNELS,
            f"{trunk.name}: {counted(needed, 'channel')} instead of {trunk.channels}",
            f"{load:.2f} erlangs in the mean busy hour; at most 1 % of calls blocked (Erlang B).",
            Money(amount=Decimal(0), currency=home),
            href=f"/carriers/channels?trunk={trunk.id}&load={load:.2f}",
        )


# ── as a work order ──


def draft(context: Context, keys: Sequence[str]) -> WorkOrder:
    """One work order with the tasks of what was chosen. Raises NotUnderstood."""
    context.require(May.CHANGE_ESTATE)
    chosen = [a for a in view(context).advices if a.key in set(keys) and a.tasks]
    if not chosen:
        raise NotUnderstood("Choose at least one line that can be done here.", field="keys")
    tasks = [task for advice in chosen for task in advice.tasks]
    return workorders.draft(
        context, f"Right-sizing: {counted(len(chosen), 'saving')}", tasks, look=True
    )
