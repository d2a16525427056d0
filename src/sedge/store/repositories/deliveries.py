"""How long carriers took to deliver what was ordered of them."""

import statistics
from datetime import timedelta

from sedge.core.records import Account, Order
from sedge.core.supply.records import LineState
from sedge.store.repositories.records import Records
from sedge.store.schema import tables

MOST_ORDERS, FEWEST = 200, 3


def lead_times(records: Records, carrier: str) -> tuple[timedelta | None, timedelta | None]:
    """Median and 90th percentile of a carrier's own past deliveries, from placing to delivery; none
    of fewer than three."""
    accounts = {a.id for a in records.where(Account, tables.account.c.carrier == carrier)}
    waits = [
        (line.delivered_at - order.placed_at).total_seconds()
        for order in records.where(Order, order_by=tables.order.c.at.desc(), limit=MOST_ORDERS)
        if order.account in accounts and order.placed_at
        for line in order.lines
        if line.state is LineState.DELIVERED and line.delivered_at
    ]
    if len(waits) < FEWEST:
        return None, None
    late = statistics.quantiles(waits, n=10)[8]
    return timedelta(seconds=statistics.median(waits)), timedelta(seconds=late)
