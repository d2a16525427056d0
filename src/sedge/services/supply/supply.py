"""Supply: search a carrier's stock, hold, quote, order, watch it arrive."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money
from sedge.core.records import Account, Carrier, Number, Order, Site, Spot
from sedge.core.supply.offers import StockNumber
from sedge.core.supply.records import LineState, OrderForm, OrderLine
from sedge.core.workorders import tasks as t
from sedge.outside.carrier import StockItem
from sedge.services.carriers.payments import amount_in
from sedge.services.context import Context, Reading
from sedge.services.workorders import order_running, workorders
from sedge.store.repositories import workorders as store
from sedge.store.repositories.deliveries import lead_times
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

MOST_NUMBERS, MOST_WHEN_FREE = 1000, 100


class Progress(StrEnum):
    """How far an order is, as its lines say."""

    DRAFT = "draft"
    PLACED = "placed"
    PART_DELIVERED = "part delivered"
    DELIVERED = "delivered"
    CANCELLED = "cancelled"
    FAILED = "failed"


@dataclass(frozen=True)
class OrderView:
    """An order with its state, which follows from its lines, and what may be expected."""

    order: Order
    state: Progress
    account: Account
    site: Site
    work_order: str
    median: timedelta | None = None
    late: timedelta | None = None

    @property
    def is_draft(self) -> bool:
        return self.state is Progress.DRAFT

    @property
    def delivered(self) -> int:
        return sum(1 for line in self.order.lines if line.state is LineState.DELIVERED)


def order_state(order: Order) -> Progress:
    """Any line waiting: placed, or part delivered. None waiting: delivered, part delivered,
    cancelled or failed."""
    if order.form:
        return _form_state(order, order.form)
    states = [line.state for line in order.lines]
    some = LineState.DELIVERED in states
    if LineState.WAITING in states:
        return (
            (Progress.PART_DELIVERED if some else Progress.PLACED)
            if order.placed_as
            else Progress.DRAFT
        )
    if all(s is LineState.DELIVERED for s in states):
        return Progress.DELIVERED
    if some:
        return Progress.PART_DELIVERED
    return Progress.CANCELLED if all(s is LineState.CANCELLED for s in states) else Progress.FAILED


def _form_state(order: Order, form: OrderForm) -> Progress:
    if len(order.lines) >= form.quantity:
        return Progress.DELIVERED
    if order.refused:
        return Progress.PART_DELIVERED if order.lines else Progress.CANCELLED
    if order.lines:
        return Progress.PART_DELIVERED
    return Progress.PLACED if form.sent_on else Progress.DRAFT


def buyable_accounts(context: Context) -> list[tuple[Account, Carrier]]:
    """Accounts whose carrier takes orders over the wire."""
    with context.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        accounts = reading.records.all(Account)
    return [(a, carriers[a.carrier]) for a in accounts if a.carrier in context.outside.carriers]


def priced(context: Context, account: Account, numbers: list[str]) -> list[StockNumber]:
    """Prices of numbers as the carrier's stock has them, held ones included."""
    return [stock_number(s) for s in context.at_carrier(account).prices(numbers)]


def stock_number(s: StockItem) -> StockNumber:
    return StockNumber(s.e164, s.capacity, s.setup, s.monthly, s.features)


def order_when_free(context: Context, form: dict[str, str]) -> WorkOrder:
    """A draft that orders once such numbers are in stock, from a form whose fields are those of the
    search, with limits and a last day. Raises NotUnderstood naming the field."""
    context.require(May.BUY)
    with context.reading() as reading:
        account = reading.records.the(Account, form.get("account", ""))
        reading.records.the(Site, form.get("site", ""))
        check_spot(reading, form.get("spot") or None, form.get("site", ""))
    if not form.get("reference"):
        raise NotUnderstood(
            "Give the order a reference, so that you find it again.", field="reference"
        )
    until = end_of(form.get("until", ""))
    if until is None or until <= context.now():
        raise NotUnderstood(
            "Say until which day it is to be asked for; it must be still to come.", field="until"
        )
    quantity = form.get("quantity", "1")
    if not (quantity.isascii() and quantity.isdigit() and 1 <= int(quantity) <= MOST_WHEN_FREE):
        raise NotUnderstood(f"Ask for 1 to {MOST_WHEN_FREE} numbers.", field="quantity")
    limits = {
        name: Money(
            amount=amount_in(
                context, form.get(name, ""), account.balance.currency, name, least=Decimal(0)
            ),
            currency=account.balance.currency,
        )
        for name in ("most_setup", "most_monthly")
    }
    task = t.OrderWhenFree(
        reference=form["reference"][:80],
        account=account.id,
        site=form["site"],
        spot=form.get("spot") or None,
        country=form.get("country", "")[:2].upper(),
        area=form.get("area", "")[:80],
        number_kind=form.get("kind", "")[:20],
        capacity=form.get("capacity", "")[:10],
        starts=form.get("starts", "")[:20],
        pattern=form.get("pattern", "")[:15],
        quantity=int(quantity),
        consecutive=bool(form.get("consecutive")),
        until=until,
        most_setup=limits["most_setup"],
        most_monthly=limits["most_monthly"],
    )
    return workorders.draft(context, f"Order {form['reference'][:80]} when free", [task])


def end_of(day: str) -> datetime | None:
    """The end of a typed day; None for ''. Raises NotUnderstood."""
    try:
        return datetime.fromisoformat(f"{day}T23:59:59+00:00") if day else None
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field="until") from error


def check_spot(reading: Reading, spot: str | None, site: str) -> None:
    """Raises NotUnderstood where the spot is another site's, NotFound."""
    if spot and reading.records.the(Spot, spot).site != site:
        raise NotUnderstood(
            f"{spot} is a spot of another site. Choose one of this site.", field="spot"
        )


def open_orders(context: Context, *, limit: int = 60) -> list[Order]:
    """Orders of which something is still to arrive, newest first."""
    with context.reading() as reading:
        return reading.records.where(
            Order, tables.order.c.open.is_(True), order_by=tables.order.c.at.desc(), limit=limit
        )


def orders(context: Context, *, limit: int = 100) -> list[OrderView]:
    """Newest first."""
    with context.reading() as reading:
        rows = reading.records.where(Order, order_by=tables.order.c.at.desc(), limit=limit)
        return [_view(reading, row) for row in rows]


def order_view(context: Context, key: str) -> OrderView:
    """One order. While the runner has not yet written it down, it is told from its work order.
    Raises NotFound."""
    with context.reading() as reading:
        record = reading.records.find(Order, key) or _not_yet_written(reading, key)
        return _view(reading, record)


def _not_yet_written(reading: Reading, key: str) -> Order:
    for x in store.tasks_of(reading.connection, key.removesuffix("-order").rpartition("-")[0]):
        if f"{x.id}-order" == key and isinstance(x.body, t.OrderNumbers):
            lines = tuple(
                OrderLine(
                    e164=line.number, setup=line.setup, monthly=line.monthly, capacity=line.capacity
                )
                for line in x.body.lines
            )
            return Order(
                id=key,
                reference=x.body.reference,
                account=x.body.account,
                site=x.body.site,
                key=x.id,
                lines=lines,
                refused=x.error,
            )
    return reading.records.the(Order, key)


def _view(reading: Reading, record: Order) -> OrderView:
    account = reading.records.the(Account, record.account)
    median, late = lead_times(reading.records, account.carrier)
    return OrderView(
        record,
        order_state(record),
        account,
        reading.records.the(Site, record.site),
        record.key.rpartition("-")[0],
        median,
        late,
    )


def cancel(context: Context, key: str) -> WorkOrder:
    with context.reading() as reading:
        record = reading.records.the(Order, key)
    return order_running.run_now(
        context, f"Cancel order {record.reference}", [t.CancelOrder(order=key)]
    )


def numbers_of(context: Context, key: str) -> list[Number]:
    with context.reading() as reading:
        return reading.records.where(
            Number, tables.life.c.order_id == key, order_by=tables.life.c.number
        )
