"""What grants amount to: a seat works once all it needs works; how free seats are counted; when a
pool runs short."""

from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from decimal import Decimal

from sedge.core.licences.records import Product, Subscription

PACE_DAYS = 90
WARNED_DAYS = (30, 7, 1)


def working(granted: Iterable[str], products: Mapping[str, Product]) -> set[str]:
    """The granted products whose prerequisites work too. Products that need each other in a circle
    never do."""
    left = {key for key in granted if key in products}
    works: set[str] = set()
    while ready := {key for key in left if _met(products[key], works)}:
        works |= ready
        left -= ready
    return works


def _met(product: Product, works: set[str]) -> bool:
    return works.issuperset(product.needs_all) and (
        not product.needs_any or not works.isdisjoint(product.needs_any)
    )


def lacking(
    wanted: Iterable[str], granted: Iterable[str], products: Mapping[str, Product]
) -> list[str]:
    """The products to grant, in that order, so that all `wanted` ones work; of alternatives the one
    that costs least, or that is there.

    A product that needs itself through others is left out: nothing can be granted for it.
    """
    held, out = set(granted), []

    def add(key: str, on_the_way: tuple[str, ...]) -> None:
        if key in on_the_way or key in out or key not in products:
            return
        product = products[key]
        for needed in product.needs_all:
            add(needed, (*on_the_way, key))
        if product.needs_any and not (set(product.needs_any) & (held | set(out))):
            add(min(product.needs_any, key=lambda k: (_price(k, products), k)), (*on_the_way, key))
        if key not in held:
            out.append(key)

    for key in wanted:
        add(key, ())
    return out


def _price(key: str, products: Mapping[str, Product]) -> Decimal:
    product = products.get(key)
    if product is None or product.withdrawn:
        return Decimal("Infinity")
    return product.monthly.amount + sum(
        (_price(k, products) for k in product.needs_all if k != key), Decimal(0)
    )


def circle(products: Mapping[str, Product]) -> list[str]:
    """Products that need each other in a circle, in its order; empty where there is none."""
    done: set[str] = set()

    def walk(key: str, way: list[str]) -> list[str]:
        if key in way:
            return way[way.index(key) :]
        if key in done or key not in products:
            return []
        for needed in products[key].prerequisites:
            if found := walk(needed, [*way, key]):
                return found
        done.add(key)
        return []

    return next((found for key in sorted(products) if (found := walk(key, []))), [])


def entitled(product: Product, subscriptions: Iterable[Subscription]) -> int:
    """Free seats of a product with an entitlement: `base + paid // per`."""
    of = product.entitlement
    if of is None:
        return 0
    return of.base + sum(
        s.paid for s in subscriptions if s.product == of.of and not s.ended
    ) // max(of.per, 1)


def runs_short_on(
    left: int, net_grants: int, now: datetime, *, days: int = PACE_DAYS
) -> datetime | None:
    """When the last seat is given if grants go on as over the last `days`; None where they don't
    grow."""
    if net_grants <= 0:
        return None
    return now + timedelta(days=left * days / net_grants)


def warned(ends: datetime, now: datetime) -> int | None:
    """The last of the warnings before an end that is due by now (30, 7 or 1 days ahead); None while
    it is further off, 0 once over."""
    if ends <= now:
        return 0
    days = (ends - now) / timedelta(days=1)
    return min((d for d in WARNED_DAYS if days <= d), default=None)
