"""What the JSON interface answers: products, subscriptions."""

from typing_extensions import TypedDict

from sedge.api.answers import JsonObject, MoneyOut
from sedge.core.enums import HolderKind


class ProductSeatOut(TypedDict):
    bought: int
    granted: int
    waiting: int
    left: int
    leaving: int


ProductOut = TypedDict(
    "ProductOut",
    {
        "id": str,
        "name": str,
        "needs": list[str],
        "needs_any": list[str],
        "for": list[HolderKind],
        "allows": list[str],
        "monthly": MoneyOut,
        "prices": list[MoneyOut],
        "minutes": int,
        "messages": int,
        "propagation_minutes": int,
        "trial_days": int,
        "term_months": int,
        "free": bool,
        "entitlement": JsonObject | None,
        "withdrawn": bool,
        "seats": ProductSeatOut,
        "short_on": str | None,
    },
)


class ProductDetailHolderOut(TypedDict):
    kind: HolderKind
    id: str
    name: str
    since: str
    works_from: str


class ProductDetailOut(ProductOut):
    needed_by: list[str]
    holders: list[ProductDetailHolderOut]
    more_holders: int


class SubscriptionOut(TypedDict):
    id: str
    product: str
    seats: int
    used: int
    left: int
    leaving: int
    term_months: int
    renews_on: str | None
    trial_ends: str | None
