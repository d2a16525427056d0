"""What each trunk costs to where, by last month's calls."""

from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, money
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.facts import Money
from sedge.core.spend.rates.rate_decks import amount_of
from sedge.services.spend.rates import least_cost

resource = Resource(tags=["spend"])


class DestinationOut(TypedDict):
    """`over` has a minute's price by the trunk's id; `least` is what the cheapest way of each call
    would have cost."""

    destination: str
    calls: int
    seconds: int
    paid: MoneyOut
    least: MoneyOut
    over: dict[str, str]
    cheapest: str | None


class LeastCostOut(TypedDict):
    month: str
    saves: list[MoneyOut]
    items: list[DestinationOut]


@resource.read("/least-cost", May.SEE_MONEY)
def least_cost_of_month(context: RequestContext) -> LeastCostOut:
    found = least_cost.view(context)
    return {
        "month": str(found.month),
        "saves": [money(amount) for amount in found.saved],
        "items": [
            {
                "destination": row.name,
                "calls": row.calls,
                "seconds": row.seconds,
                "paid": money(Money(amount=amount_of(row.paid), currency=row.currency)),
                "least": money(Money(amount=amount_of(row.least), currency=row.currency)),
                "over": {
                    key: format(price, "f")
                    for key in row.over
                    if (price := row.per_minute(key)) is not None
                },
                "cheapest": row.cheapest or None,
            }
            for row in found.destinations
        ],
    }
