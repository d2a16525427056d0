"""What each trunk costs to where, by last month's calls, and the route that takes the cheapest."""

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow
from sedge.core.facts import Money
from sedge.core.outbound.records import OutboundRoute
from sedge.core.records import Trunk
from sedge.core.spend.months import Month, last_months
from sedge.core.spend.rates.least_cost import (
    Destination,
    Made,
    Offer,
    compare,
    saved_by_currency,
)
from sedge.core.spend.rates.rate_decks import amount_of
from sedge.core.trunks.records import TrunkState
from sedge.services.context import Context, Reading
from sedge.services.outbound import outbound_routes
from sedge.services.spend.rates import rate_decks
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import spend, tables

ROUTE = "Cheapest first"


@dataclass(frozen=True)
class Compared:
    """`month` is the last whole one that has calls; `offers` are the trunks that carry calls."""

    month: Month
    offers: list[Offer]
    destinations: list[Destination]

    @property
    def saved(self) -> list[Money]:
        sums = saved_by_currency(self.destinations)
        return [Money(amount=amount_of(units), currency=c) for c, units in sums.items()]


def view(context: Context) -> Compared:
    context.require(May.SEE_MONEY)
    return context.installation.while_unchanged(
        context, "least cost", lambda: _view(context), minutes=60
    )


def _view(context: Context) -> Compared:
    month = last_months(context.now(), 2)[0]
    with context.reading() as reading:
        offers = [
            Offer(x.id, x.name, x.carrier, bool(x.settings and x.settings.others_caller_ids))
            for x in sorted(reading.records.all(Trunk), key=lambda x: x.name.lower())
            if x.carries and x.connection is None
        ]
        find = rate_decks.finder(reading.connection)
        return Compared(month, offers, compare(_calls(reading, month), offers, find))


def _calls(reading: Reading, month: Month) -> Iterator[Made]:
    life, table = tables.life, spend.call_record
    carriers = {
        str(number): carrier
        for number, carrier in reading.connection.execute(
            select(life.c.number, life.c.carrier).where(is_open())
        )
    }
    query = select(
        table.c.number,
        table.c.other,
        table.c.day,
        table.c.talk,
        table.c.trunk,
        table.c.cost,
        table.c.currency,
    ).where(
        table.c.day >= month.first.isoformat(),
        table.c.day < month.later(1).first.isoformat(),
        table.c.direction != "in",
        table.c.answered.is_(True),
    )
    for number, other, day, talk, trunk, cost, currency in reading.connection.execute(query):
        key = str(number)
        yield Made(key, carriers.get(key, ""), other, day, talk, trunk, cost, currency)


def draft_cheapest(context: Context) -> WorkOrder:
    """A work order with one more route behind all others: everything, over the cheapest trunk that
    takes it. Raises NotAllowedNow where there is one already, or nothing to choose from."""
    context.require(May.TRUNKS)
    known = outbound_routes.view(context).routes
    if any(route.name.casefold() == ROUTE.casefold() for route in known):
        message = f"There is a route “{ROUTE}” already. Change it among the outbound routes."
        raise NotAllowedNow(message, reason="exists")
    with context.reading() as reading:
        every = sorted(reading.records.all(Trunk), key=lambda x: x.name.lower())
    # also those that carry nothing just now, and those to a carrier that keeps its numbers: calls
    # that show such a number have no other way out
    trunks = tuple(x.id for x in every if x.state is not TrunkState.RETIRED)
    if len(trunks) < 2:
        message = "There is one trunk at most. Add another before you route the cheapest first."
        raise NotAllowedNow(message, reason="single")
    route = OutboundRoute(name=ROUTE, destinations=("+",), trunks=trunks, cheapest=True)
    return outbound_routes.with_route(context, None, route)
