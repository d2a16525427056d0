"""Right-sizing of licences: what their seats cost, who needs them, and whether their minutes are
worth it."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.enums import HolderKind, SupplyModel
from sedge.core.facts import Money, in_words
from sedge.core.records import (
    Carrier,
    Grant,
    HolderRef,
    Number,
    Person,
    Product,
    ServiceLine,
    Subscription,
)
from sedge.core.spend.months import Month
from sedge.core.spend.rates.rating import Reach, reach_of
from sedge.core.spend.right_sizing import (
    Advice,
    Offer,
    Saving,
    a_year,
    cheapest_bundles,
    cheapest_offer,
    enough_for,
)
from sedge.core.workorders import tasks as t
from sedge.services.context import Reading
from sedge.services.spend import costs
from sedge.store.repositories.records import is_open
from sedge.store.schema import spend, tables

PAID_BY_MINUTE = Offer("", Decimal(0), 0)
BY_MINUTE_ALONE = "nothing that is not paid for by the minute"


def given_up(grant: Grant) -> tuple[t.Task, ...]:
    """Taken back, and no longer paid for: a seat alone that nobody has saves nothing."""
    return (
        t.RevokeLicence(holder=grant.holder, product=grant.product),
        t.CancelSeats(subscription=grant.subscription, seats=1),
    )


class PaidSeats:
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


def that_need(
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


def open_grants(reading: Reading) -> list[Grant]:
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


def names_of_holders(reading: Reading) -> dict[HolderRef, str]:
    people = {
        HolderRef(kind=HolderKind.PERSON, id=p.id): p.name for p in reading.records.all(Person)
    }
    lines = {
        HolderRef(kind=HolderKind.SERVICE_LINE, id=x.id): x.name
        for x in reading.records.all(ServiceLine)
    }
    return people | lines


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


def dear_licences(reading: Reading, months: Sequence[Month], told: set[str]) -> Iterator[Advice]:
    """Licences with included minutes that cost more than the minutes would, or than another licence
    that allows the same; never one that the holder's numbers ask for, and none of the grants that
    are `told` as without calls."""
    if not months:
        return
    known = _Licences(reading)
    used = _minutes(reading, months, Reach.HOME)
    a_minute_in: dict[str, Decimal] = {}
    for grant in known.grants:
        if grant.id in told or grant.since > months[-1].starts or not known.may_go(grant):
            continue
        holder = grant.holder
        spent = used.get(f"{holder.kind.value}:{holder.id}", [Decimal(0)] * len(months))
        currency = known.paid.price(known.products[grant.product], holder).currency
        if currency not in a_minute_in:
            a_minute_in[currency] = _mean_rate(reading, currency)
        if advice := known.advice(grant, spent, a_minute_in[currency]):
            yield advice


class _Licences:
    """Who has which licence, and what each of them could be without or have instead."""

    def __init__(self, reading: Reading) -> None:
        self.products = {p.id: p for p in reading.records.all(Product)}
        self.grants, self.paid = open_grants(reading), PaidSeats(reading)
        self.needed, self.names = needed_licences(reading), names_of_holders(reading)

    def may_go(self, grant: Grant) -> bool:
        """A paid licence with minutes that nothing else rests on."""
        product = self.products.get(grant.product)
        return (
            product is not None
            and bool(product.minutes)
            and not (product.pooled or product.free)
            and self.paid.is_paid(grant)
            and product.id not in self.needed.get(grant.holder, frozenset())
            and not that_need(product.id, self.products, grant.holder, self.grants)
        )

    def advice(self, grant: Grant, spent: Sequence[Decimal], a_minute: Decimal) -> Advice | None:
        """The cheapest of what it is now, paying for each minute, and other licences."""
        product = self.products[grant.product]
        offers = [self._offer(product, grant), PAID_BY_MINUTE]
        offers += [self._offer(other, grant) for other in self._instead(grant)]
        _, costs_now = cheapest_offer(spent, offers[:1], a_minute)
        best, costs_then = cheapest_offer(spent, offers, a_minute)
        if best.product == product.id:
            return None
        currency = self.paid.price(product, grant.holder).currency
        saves = a_year(Money(amount=costs_now - costs_then, currency=currency).rounded())
        then = in_words(Money(amount=costs_then, currency=currency))
        whose = self.names.get(grant.holder, grant.holder.id)
        usual = f"{enough_for(spent):.0f} minutes in four months of five"
        if best == PAID_BY_MINUTE:
            return Advice(
                f"licence {grant.id}",
                Saving.MINUTES,
                f"{product.name} of {whose}",
                f"{usual}, of {product.minutes} included; paid for each they would cost {then} a"
                f" month.{self.paid.ends(grant)}",
                saves,
                given_up(grant),
                lacked=BY_MINUTE_ALONE,
            )
        other = self.products[best.product]
        now = in_words(Money(amount=costs_now, currency=currency))
        return Advice(
            f"product {grant.id}",
            Saving.PRODUCT,
            f"{other.name} instead of {product.name} for {whose}",
            f"{usual}; {then} a month instead of {now}, minutes beyond those included among"
            f" it.{self.paid.ends(grant)}",
            saves,
            (
                t.BuySeats(product=other.id, seats=1),
                *given_up(grant),
                t.GrantLicence(holder=grant.holder, product=other.id),
            ),
            lacked=BY_MINUTE_ALONE,
        )

    def _offer(self, product: Product, grant: Grant) -> Offer:
        price = self.paid.price(product, grant.holder)
        return Offer(product.id, price.amount, product.minutes)

    def _instead(self, grant: Grant) -> list[Product]:
        """Other licences that allow all that this one does, for a holder who has what they need,
        paid in the same currency."""
        product, holder = self.products[grant.product], grant.holder
        has = {g.product for g in self.grants if g.holder == holder} - {product.id}
        currency = self.paid.price(product, holder).currency
        found = [
            other
            for other in self.products.values()
            if other.id not in {product.id, *has}
            and not (other.pooled or other.free or other.withdrawn)
            and holder.kind in other.for_holders
            and set(product.allows) <= set(other.allows)
            and set(other.needs_all) <= has
            and (not other.needs_any or set(other.needs_any) & has)
            and self.paid.price(other, holder).currency == currency
        ]
        return sorted(found, key=lambda other: other.name)


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


def dear_pools(reading: Reading, months: Sequence[Month]) -> Iterator[Advice]:
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
            for g in open_grants(reading)
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
