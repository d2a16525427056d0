"""Licences at the desk: the products there are, and their pools of seats."""

from dataclasses import dataclass

from sedge.core.records import Product, Subscription
from sedge.desk.desk import Desk

SEATS_LOW = 2


@dataclass(frozen=True)
class Pool:
    """A licence product with its seats."""

    product: Product
    needs: list[str]
    subscription: Subscription | None

    @property
    def whom(self) -> str:
        return " or ".join(f"a {kind.value.replace('_', ' ')}" for kind in self.product.for_holders)

    @property
    def is_short(self) -> bool:
        return self.subscription is not None and self.subscription.left <= SEATS_LOW


def products(desk: Desk) -> list[Product]:
    with desk.reading() as reading:
        return reading.records.all(Product)


def pools(desk: Desk) -> list[Pool]:
    """Every product with its seats bought, used and left."""
    with desk.reading() as reading:
        found = reading.records.all(Product)
        subscriptions = {s.product: s for s in reading.records.all(Subscription)}
    names = {p.id: p.name for p in found}
    return [Pool(p, [names[n] for n in p.needs_all], subscriptions.get(p.id)) for p in found]
