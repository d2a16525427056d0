"""Licences: the catalogue of products, their pools of seats, who has one, and what
happens at the end of a term."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from babel.numbers import is_currency
from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.amounts import CURRENCIES, locale_of, read_amount
from sedge.core.changes import changed
from sedge.core.enums import HolderKind
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import Money
from sedge.core.holding import HolderRef
from sedge.core.licences.entitlement_status import PACE_DAYS, circle, runs_short_on, warned
from sedge.core.licences.reducers import free_seats, term_over
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Grant, Product, Subject, Subscription
from sedge.services.context import Context, Reading
from sedge.services.periodic import periodic
from sedge.store.schema import tables

SEATS_LOW = 2
MOST_SHOWN = 300
MOST_PRICE = Decimal(100_000)


@dataclass(frozen=True)
class Pool:
    """A licence product with its seats: `bought` in all, `granted`, of those `waiting` to work,
    `left` to give, `leaving` at the end of their term; `short_on` when the last is given at the
    present pace."""

    product: Product
    needs: list[str]
    needs_any: list[str]
    subscriptions: list[Subscription]
    bought: int
    granted: int
    waiting: int
    left: int
    leaving: int
    short_on: datetime | None
    ends: tuple[Subscription, int] | None = None

    @property
    def whom(self) -> str:
        return " or ".join(f"a {kind.value.replace('_', ' ')}" for kind in self.product.for_holders)

    @property
    def is_short(self) -> bool:
        return bool(self.subscriptions) and self.left <= SEATS_LOW


@dataclass(frozen=True)
class Has:
    """Somebody with a seat: since when, and from when it works."""

    holder: HolderRef
    name: str
    grant: Grant


@dataclass(frozen=True)
class ProductView:
    pool: Pool
    holders: list[Has]
    more: int
    needed_by: list[str]
    others: list[tuple[str, str]]


def products(context: Context) -> list[Product]:
    with context.reading() as reading:
        return [p for p in reading.records.all(Product) if not p.withdrawn]


def pools(context: Context) -> list[Pool]:
    """Every product that is sold or still granted, with its seats."""
    with context.reading() as reading:
        found = _pools(reading)
    return [p for p in found if not p.product.withdrawn or p.granted]


def _pools(reading: Reading) -> list[Pool]:
    products_ = reading.records.all(Product)
    names = {p.id: p.name for p in products_}
    seats: dict[str, list[Subscription]] = {}
    for s in reading.records.all(Subscription):
        if not s.ended:
            seats.setdefault(s.product, []).append(s)
    waiting, pace = _waiting(reading), _pace(reading)
    return [
        _pool(p, seats.get(p.id, []), names, waiting.get(p.id, 0), pace.get(p.id, 0), reading.now)
        for p in products_
    ]


def _pool(
    product: Product,
    seats: list[Subscription],
    names: dict[str, str],
    waiting: int,
    net: int,
    now: datetime,
) -> Pool:
    left = sum(s.left for s in seats)
    ending = [
        (s, days) for s in seats if s.trial_ends and (days := warned(s.trial_ends, now)) is not None
    ]
    return Pool(
        product=product,
        needs=[names.get(n, n) for n in product.needs_all],
        needs_any=[names.get(n, n) for n in product.needs_any],
        subscriptions=seats,
        bought=sum(s.seats for s in seats),
        granted=sum(s.used for s in seats),
        waiting=waiting,
        left=left,
        leaving=sum(s.leaving for s in seats),
        short_on=runs_short_on(left, net, now) if seats else None,
        ends=min(ending, key=lambda pair: pair[1], default=None),
    )


def _waiting(reading: Reading) -> dict[str, int]:
    """Grants that don't work yet, by product."""
    grant = tables.grant
    query = select(grant.c.product, func.count()).where(
        grant.c.since > reading.now - timedelta(days=2), grant.c.works_from > reading.now
    )
    return dict(
        reading.connection.execute(
            query.where(grant.c.ended.is_(False)).group_by(grant.c.product)
        ).all()
    )  # type: ignore[arg-type]


def _pace(reading: Reading) -> dict[str, int]:
    """By how much grants grew over the last three months, by product."""
    grant, since = tables.grant, reading.now - timedelta(days=PACE_DAYS)
    given = (
        select(grant.c.product, func.count()).where(grant.c.since > since).group_by(grant.c.product)
    )
    ended = (
        select(grant.c.product, func.count()).where(grant.c.until > since).group_by(grant.c.product)
    )
    net: dict[str, int] = dict(reading.connection.execute(given).all())  # type: ignore[arg-type]
    for product, n in reading.connection.execute(ended):
        net[product] = net.get(product, 0) - n
    return net


def one_product(context: Context, key: str) -> ProductView:
    """Raises NotFound."""
    with context.reading() as reading:
        product = reading.records.the(Product, key)
        pool = next(p for p in _pools(reading) if p.product.id == product.id)
        grant = tables.grant
        open_ = (grant.c.product == product.id, grant.c.ended.is_(False))
        grants = reading.records.where(
            Grant, *open_, order_by=grant.c.since.desc(), limit=MOST_SHOWN
        )
        total = reading.connection.execute(select(func.count()).where(*open_)).scalar() or 0
        names = reading.records.names((g.holder.subject, g.holder.id) for g in grants)
        all_ = reading.records.all(Product)
    rows = [
        Has(g.holder, names.get((g.holder.subject, g.holder.id), g.holder.id), g) for g in grants
    ]
    fitting = [
        (p.id, p.name)
        for p in all_
        if p.id != product.id and not p.withdrawn and set(p.for_holders) & set(product.for_holders)
    ]
    return ProductView(
        pool,
        rows,
        total - len(rows),
        [p.name for p in all_ if product.id in p.prerequisites],
        fitting,
    )


def holders_of(context: Context, product: str) -> list[HolderRef]:
    """Everybody with an open grant of the product."""
    grant = tables.grant
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(grant.c.holder_kind, grant.c.holder_id)
            .where(grant.c.product == product, grant.c.ended.is_(False))
            .order_by(grant.c.holder_id)
        )
        return [HolderRef(kind=HolderKind(kind), id=key) for kind, key in rows]


# ── the catalogue ──


def put_product(context: Context, form: dict[str, Any], key: str | None = None) -> Product:
    """A product added, or changed where `key` names one. Raises NotUnderstood naming the field,
    NotAllowedNow where products would need each other in a circle, naming it."""
    context.require(May.SET_RULES)
    with context.writing() as writing:
        known = {p.id: p for p in writing.records.all(Product)}
        before = writing.records.the(Product, key) if key else None
        product = _product_from(context, form, before, key or context.new_id("product"), known)
        known[product.id] = product
        if round_ := circle(known):
            names = " needs ".join(known[k].name for k in (*round_, round_[0]))
            raise NotAllowedNow(
                f"{names}: nobody could ever be granted one of them. Take one of these needs away.",
                field="needs_all",
                reason="circle",
            )
        if before == product:
            return product
        action = "product.changed" if before else "product.added"
        saved = writing.save([changed(Subject.PRODUCT, before, product, action)])
        estate = writing.estate(LoadSpec())
        if more := free_seats([], estate):
            writing.save(more)
        return saved[0].after


def _product_from(
    context: Context,
    form: dict[str, Any],
    before: Product | None,
    key: str,
    known: dict[str, Product],
) -> Product:
    name = str(form.get("name", before.name if before else "")).strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A product needs a name of at most 80 characters.", field="name")
    if any(p.name.lower() == name.lower() and p.id != key for p in known.values()):
        raise NotUnderstood(
            f"There is a product called {name} already. Choose another name.", field="name"
        )
    base = before or Product(
        id=key,
        name=name,
        for_holders=(HolderKind.PERSON,),
        monthly=Money(amount=Decimal(0), currency=CURRENCIES[context.organisation.home_country]),
        propagation_minutes=10,
    )
    values: dict[str, Any] = {"name": name}
    for field in ("needs_all", "needs_any"):
        if field in form:
            values[field] = tuple(dict.fromkeys(form[field]))
            strange = [p for p in values[field] if p not in known]
            if strange:
                raise NotUnderstood(
                    f"There is no product “{strange[0]}” here. Choose among those there are.",
                    field=field,
                )
    if "for_holders" in form:
        values["for_holders"] = _kinds(form["for_holders"])
    if "price" in form or "currency" in form:
        currency = str(form.get("currency", base.monthly.currency)).upper()
        values["monthly"] = Money(
            amount=_price(context, form.get("price", base.monthly.amount), _currency(currency)),
            currency=currency,
        )
    for field, most in (
        ("propagation_minutes", 20_160),
        ("trial_days", 365),
        ("term_months", 60),
        ("minutes", 100_000),
        ("messages", 100_000),
    ):
        if field in form:
            values[field] = _whole(form[field], field, 1 if field == "term_months" else 0, most)
    if "withdrawn" in form:
        values["withdrawn"] = bool(form["withdrawn"])
    return base.copy_with(**values)


def _kinds(raw: Any) -> tuple[HolderKind, ...]:
    try:
        kinds = tuple(HolderKind(k) for k in dict.fromkeys(raw))
    except ValueError as error:
        raise NotUnderstood(
            "A product is for people, service lines, sites or downstream systems.",
            field="for_holders",
        ) from error
    if not kinds:
        raise NotUnderstood("Say for whom the product is.", field="for_holders")
    return kinds


def _price(context: Context, raw: Any, currency: str) -> Decimal:
    if isinstance(raw, Decimal):
        return raw
    amount = read_amount(
        str(raw), currency, locale_of(context.organisation.home_country), field="price"
    )
    if not 0 <= amount <= MOST_PRICE:
        raise NotUnderstood(f"The price is from 0 to {MOST_PRICE:,}.", field="price")
    return amount


def _currency(code: str) -> str:
    if not is_currency(code):
        raise NotUnderstood(
            "The currency is an ISO 4217 code of three letters, such as GBP.", field="currency"
        )
    return code


def _whole(raw: object, field: str, least: int, most: int) -> int:
    text = str(raw).strip()
    if not (text.isascii() and text.isdigit() and len(text) < 9 and least <= int(text) <= most):
        raise NotUnderstood(f"Type a whole number from {least} to {most:,}.", field=field)
    return int(text)


# ── the end of a term ──


@periodic("terms", after_changes=True)
def end_terms(context: Context) -> int:
    """Renew, end, or take seats off whatever subscription's day has come; how many."""
    with context.reading() as reading:
        due = [s.id for s in reading.records.all(Subscription) if _is_due(s, reading.now)]
    for key in due:
        with context.writing(reason="term over") as writing:
            subscription = writing.records.the(Subscription, key)
            if not _is_due(subscription, writing.now):
                continue
            estate = writing.estate(LoadSpec())
            grant = tables.grant
            open_ = grant.c.product == subscription.product, grant.c.ended.is_(False)
            for found in writing.records.where(Grant, *open_) if subscription.is_trial else ():
                estate.put(found)
            writing.save(term_over(subscription, estate))
    return len(due)


def _is_due(subscription: Subscription, now: datetime) -> bool:
    ends = subscription.trial_ends or subscription.renews_on
    return not subscription.ended and ends is not None and ends <= now


def ending_soon(reading: Reading) -> list[tuple[Product, Subscription, int]]:
    """Trials that end within 30, 7 or 1 days, with who has a seat of them."""
    found = []
    products_ = {p.id: p for p in reading.records.all(Product)}
    for s in reading.records.all(Subscription):
        days = warned(s.trial_ends, reading.now) if s.trial_ends and not s.ended else None
        if days is not None:
            found.append((products_[s.product], s, days))
    return found
