"""Right-sizing: what could be given up or bought otherwise, from months of real use; together as
one work order."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money, counted
from sedge.core.numbers.life import State
from sedge.core.records import (
    Carrier,
    Number,
    Product,
    Subscription,
    Trunk,
)
from sedge.core.spend.months import last_months
from sedge.core.spend.right_sizing import (
    SIDES_OF_FEATURES,
    Advice,
    Saving,
    a_year,
    in_order,
)
from sedge.core.trunks.erlang import advise
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.spend import costs, usage
from sedge.services.spend.savings.licences import (
    PaidSeats,
    dear_licences,
    dear_pools,
    given_up,
    names_of_holders,
    needed_licences,
    open_grants,
    that_need,
)
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
                *_unused_features(reading, since),
                *(advice for _, advice in seats),
                *dear_licences(reading, months, {grant for grant, _ in seats}),
                *dear_pools(reading, months),
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
    names = names_of_holders(reading)
    begins = reading.now - timedelta(days=IDLE_DAYS)
    grants, paid = open_grants(reading), PaidSeats(reading)
    found: list[tuple[str, Advice]] = []
    for grant in grants:
        product = products.get(grant.product)
        if product is None or not product.monthly.amount or not paid.is_paid(grant):
            continue
        if grant.holder.id in busy or grant.since > begins:
            continue
        if product.id in needed.get(grant.holder, frozenset()):
            continue
        others = that_need(product.id, products, grant.holder, grants)
        if others:
            continue
        advice = Advice(
            f"grant {grant.id}",
            Saving.SEATS_IDLE,
            f"{product.name} of {names.get(grant.holder, grant.holder.id)}",
            f"No call in or out for {IDLE_DAYS} days.{paid.ends(grant)}",
            a_year(paid.price(product, grant.holder)),
            given_up(grant),
        )
        found.append((grant.id, advice))
    return found


# ── numbers ──


def _idle_numbers(reading: Reading, idle: Sequence[str]) -> Iterator[Advice]:
    """People's numbers without a call; not main numbers of sites, alarms and lifts, which are there
    for the day they are needed."""
    wanted = [int(number) for number in idle]
    numbers = reading.records.where(Number, tables.life.c.number.in_(wanted), is_open())
    names = names_of_holders(reading)
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


def _unused_features(reading: Reading, since: str) -> Iterator[Advice]:
    """Features that are paid for on numbers without such calls; only those of which call records
    can tell, and none that came within those days."""
    table, begins = spend.usage_day, reading.now - timedelta(days=IDLE_DAYS)
    used = {
        (number, direction)
        for number, direction in reading.connection.execute(
            select(table.c.number, table.c.direction).where(table.c.day > since).distinct()
        )
    }
    carriers = {c.id: c for c in reading.records.all(Carrier)}
    for number in reading.records.where(Number, is_open(), tables.IN_USE):
        carrier = carriers.get(number.carrier)
        if carrier is None:
            continue
        for feature in number.features:
            sides = SIDES_OF_FEATURES.get(feature, ())
            fee = carrier.fee(feature, number.monthly.currency)
            is_new = number.features_from.get(feature, begins) > begins
            busy = any((int(number.e164), side.value) in used for side in sides)
            if not sides or not fee.amount or is_new or busy or _since(number) > begins:
                continue
            yield Advice(
                f"feature {number.e164} {feature}",
                Saving.FEATURES,
                f"{feature} of {number.shown}",
                f"No call {' or '.join(side.value for side in sides)} for {IDLE_DAYS} days.",
                a_year(fee),
                (t.SetFeature(number=number.e164, feature=feature, on=False),),
                href=f"/spend/usage/numbers/{number.e164[1:]}",
                lacked="nothing: there was no such call",
            )


def _since(number: Number) -> datetime:
    """From when its holder has had it; long ago for one without."""
    return number.assignment.since if number.assignment else datetime.min.replace(tzinfo=UTC)


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
