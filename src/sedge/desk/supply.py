"""Supply at the desk: search a carrier's stock, hold, quote, order, watch it arrive."""

import hashlib
import statistics
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideRefused
from sedge.core.facts import Money, counted
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.records import Account, Carrier, Hold, Number, Order, Site, Spot, Subject
from sedge.core.reduce import changed
from sedge.core.supply.offers import StockNumber
from sedge.core.supply.quote import Quote, quote
from sedge.core.supply.records import LineState, OrderForm
from sedge.core.workorders import tasks as t
from sedge.core.workorders.carrier_tasks import OrderedLine
from sedge.desk import drafts, joining, workorders
from sedge.desk.accounts import amount_in
from sedge.desk.desk import Desk, Reading
from sedge.outside.carrier import StockItem
from sedge.store import tables
from sedge.store.workorders import WorkOrder

MOST_NUMBERS, MOST_WHEN_FREE = 1000, 100


@dataclass(frozen=True)
class HeldQuote:
    hold: Hold
    quote: Quote
    numbers: list[StockNumber]
    account: Account
    carrier: Carrier

    @property
    def agreed(self) -> str:
        return agreed_on(self.numbers)


@dataclass(frozen=True)
class OrderView:
    """An order with its state, which follows from its lines, and what may be expected."""

    order: Order
    state: str
    account: Account
    site: Site
    work_order: str
    median: timedelta | None = None
    late: timedelta | None = None

    @property
    def delivered(self) -> int:
        return sum(1 for line in self.order.lines if line.state is LineState.DELIVERED)


def agreed_on(numbers: list[StockNumber]) -> str:
    """The prices seen of numbers, as a short text to compare."""
    seen = sorted(f"{n.e164} {n.setup.amount} {n.monthly.amount}" for n in numbers)
    return hashlib.blake2b("\n".join(seen).encode(), digest_size=10).hexdigest()


def order_state(order: Order) -> str:
    """Any line waiting: placed, or part delivered. None waiting: delivered, part delivered, cancelled or failed."""
    if order.form:
        return _form_state(order, order.form)
    states = [line.state for line in order.lines]
    some = LineState.DELIVERED in states
    if LineState.WAITING in states:
        return ("part delivered" if some else "placed") if order.placed_as else "draft"
    if all(s is LineState.DELIVERED for s in states):
        return "delivered"
    if some:
        return "part delivered"
    return "cancelled" if all(s is LineState.CANCELLED for s in states) else "failed"


def _form_state(order: Order, form: OrderForm) -> str:
    if len(order.lines) >= form.quantity:
        return "delivered"
    if order.refused:
        return "part delivered" if order.lines else "cancelled"
    if order.lines:
        return "part delivered"
    return "placed" if form.sent_on else "draft"


def buyable_accounts(desk: Desk) -> list[tuple[Account, Carrier]]:
    """Accounts whose carrier takes orders over the wire."""
    with desk.reading() as reading:
        carriers = {c.id: c for c in reading.records.all(Carrier)}
        accounts = reading.records.all(Account)
    return [(a, carriers[a.carrier]) for a in accounts if a.carrier in desk.outside.carriers]


def hold(desk: Desk, account_id: str, numbers: list[str]) -> Hold:
    """Hold numbers at their carrier. Raises OutsideRefused with the sentence about those that are gone."""
    desk.require(May.BUY)
    if not numbers:
        raise NotUnderstood("Choose at least one number to hold.", field="numbers")
    if len(numbers) > MOST_NUMBERS:
        raise NotUnderstood(f"At most {MOST_NUMBERS:,} numbers can be held at once; these are {len(numbers):,}.", field="numbers")
    with desk.reading() as reading:
        account = reading.records.the(Account, account_id)
        ours = [n for n in reading.records.many(Number, numbers) if n.state not in ENDED]
    if ours:
        raise NotAllowedNow(
            f"{ours[0].national} is in the estate already. Choose others.", field="numbers", reason="ours", numbers=[n.e164 for n in ours]
        )
    try:
        held = desk.at_carrier(account).hold(numbers)
    except OutsideRefused as error:
        if error.reason == "taken":
            gone = error.facts.get("numbers", [])
            names = ", ".join(describe(n).national for n in gone[:3])
            raise OutsideRefused(
                f"{names} {'is' if len(gone) == 1 else 'are'} no longer to be had. Search again and choose others.",
                field="numbers",
                reason="taken",
                numbers=gone,
            ) from error
        raise
    record = Hold(
        id=f"{account.carrier}:{held.id}", account=account.id, numbers=tuple(numbers), expires_at=held.expires_at, can_be_longer=held.can_be_longer
    )  # fmt: skip
    with desk.writing() as writing:
        return writing.save([changed(Subject.HOLD, None, record, "hold.taken")])[0].after


def hold_longer(desk: Desk, key: str) -> Hold:
    """Prolong a hold, once, where the carrier allows it. Raises NotAllowedNow."""
    desk.require(May.BUY)
    with desk.reading() as reading:
        record = reading.records.the(Hold, key)
        account = reading.records.the(Account, record.account)
        carrier = reading.records.the(Carrier, account.carrier)
    _still_held(record, desk.now())
    if not record.can_be_longer:
        raise NotAllowedNow(
            f"{carrier.name} holds these numbers no longer. Order them, or search again later.", reason="no-longer", field="hold"
        )
    try:
        longer = desk.at_carrier(account).hold_longer(key.partition(":")[2])
    except OutsideRefused as error:
        raise NotAllowedNow(
            f"{carrier.name} does not hold these numbers any longer. Order them, or search again.", reason="no-longer", field="hold"
        ) from error
    with desk.writing() as writing:
        now = writing.records.the(Hold, key)
        after = now.but(expires_at=longer.expires_at, can_be_longer=longer.can_be_longer)
        return writing.save([changed(Subject.HOLD, now, after, "hold.longer")])[0].after


def end_hold(desk: Desk, key: str) -> None:
    with desk.reading() as reading:
        record = reading.records.the(Hold, key)
        account = reading.records.the(Account, record.account)
    if record.state != "held":
        return
    desk.at_carrier(account).end_hold(key.partition(":")[2])
    with desk.writing() as writing:
        now = writing.records.the(Hold, key)
        writing.save([changed(Subject.HOLD, now, now.but(state="ended"), "hold.ended")])


def quoted(desk: Desk, key: str, features: list[str] | None = None) -> HeldQuote:
    """The quote for a hold. Raises NotAllowedNow when it has run out."""
    with desk.reading() as reading:
        record = reading.records.the(Hold, key)
        account = reading.records.the(Account, record.account)
        carrier = reading.records.the(Carrier, account.carrier)
    _still_held(record, desk.now())
    numbers = _priced(desk, account, list(record.numbers))
    return HeldQuote(record, quote(numbers, features or [], account, desk.now().date()), numbers, account, carrier)


def _still_held(record: Hold, now: datetime) -> None:
    if record.state != "held" or record.expires_at <= now:
        raise NotAllowedNow(
            "The hold has run out, so somebody else may buy the numbers. Search again: they are probably still there.",
            field="hold",
            reason="hold-over",
        )


def _priced(desk: Desk, account: Account, numbers: list[str]) -> list[StockNumber]:
    """Prices of numbers as the carrier's stock has them, held ones included."""
    return [stock_number(s) for s in desk.at_carrier(account).prices(numbers)]


def stock_number(s: StockItem) -> StockNumber:
    return StockNumber(s.e164, s.capacity, s.setup, s.monthly, s.features)


def order(
    desk: Desk, *, reference: str, account: str, site: str, hold_id: str | None = None, numbers: list[str] | None = None, spot: str | None = None,
    features: tuple[str, ...] = (), identity: str | None = None, agreed: str = "", people: str = "", reserve_for: str = "",
) -> tuple[str, WorkOrder]:  # fmt: skip
    """Order held (or named) numbers: writes and runs a work order. Gives the order's id and the work order.

    Asked again with the same `identity`, it goes on with the work order of the first time. `agreed` is what was seen of the
    prices (`HeldQuote.agreed`); where they are others by now, nothing is ordered. `people` (one a line) are given the numbers as they
    arrive, in their order, with all they lack; the rest is reserved `reserve_for`.

    Raises NotUnderstood (no reference, a spot of another site), NotAllowedNow (hold over), NotRunnable (no money).
    """
    desk.require(May.BUY)
    if identity and (begun := workorders.find(desk, identity)):
        return _ordering(begun), workorders.run(desk, begun.id)
    reference = reference.strip()
    if not reference:
        raise NotUnderstood("Give the order a reference, so that you find it again.", field="reference")
    if len(reference) > 80:
        raise NotUnderstood("A reference has at most 80 characters.", field="reference")
    with desk.reading() as reading:
        held = reading.records.the(Hold, hold_id) if hold_id else None
        paying = reading.records.the(Account, held.account if held else account)
        carrier = reading.records.the(Carrier, paying.carrier)
        reading.records.the(Site, site)
        _check_spot(reading, spot, site)
    if held:
        _still_held(held, desk.now())
    wanted = list(held.numbers) if held else list(numbers or [])
    if not wanted:
        raise NotUnderstood("Name the numbers to order, or a hold.", field="numbers")
    priced = _priced(desk, paying, wanted)
    if agreed and agreed != agreed_on(priced):
        raise NotAllowedNow(
            f"{carrier.name} asks other prices than when this quote was made. Nothing was ordered. Load the page again to see them.",
            field="hold", reason="price",
        )  # fmt: skip
    lines = tuple(_line(s, features) for s in priced)
    task = t.OrderNumbers(
        reference=reference, account=paying.id, site=site, spot=spot or None, hold=hold_id, features=features, lines=lines
    )
    afterwards = joining.plan(desk, len(lines), people=people, reserve_for=reserve_for)
    written = workorders.draft(desk, f"Order {reference}: {counted(len(lines), 'number')}", [task, *afterwards], identity=identity)
    if afterwards:
        drafts.add_remedies(desk, written.id)
    work_order = workorders.run(desk, written.id)
    if held:
        with desk.writing() as writing:
            now = writing.records.the(Hold, held.id)
            writing.save([changed(Subject.HOLD, now, now.but(state="ordered"), "hold.ended")])
    return _ordering(work_order), work_order


def _ordering(work_order: WorkOrder) -> str:
    """The id of the order that a work order places."""
    return next(f"{x.id}-order" for x in work_order.tasks if isinstance(x.body, t.OrderNumbers))


def order_when_free(desk: Desk, form: dict[str, str]) -> WorkOrder:
    """A draft that orders once such numbers are in stock, from a form whose fields are those of the search, with limits and a last
    day. Raises NotUnderstood naming the field."""
    desk.require(May.BUY)
    with desk.reading() as reading:
        account = reading.records.the(Account, form.get("account", ""))
        reading.records.the(Site, form.get("site", ""))
        _check_spot(reading, form.get("spot") or None, form.get("site", ""))
    if not form.get("reference"):
        raise NotUnderstood("Give the order a reference, so that you find it again.", field="reference")
    until = end_of(form.get("until", ""))
    if until is None or until <= desk.now():
        raise NotUnderstood("Say until which day it is to be asked for; it must be still to come.", field="until")
    quantity = form.get("quantity", "1")
    if not (quantity.isascii() and quantity.isdigit() and 1 <= int(quantity) <= MOST_WHEN_FREE):
        raise NotUnderstood(f"Ask for 1 to {MOST_WHEN_FREE} numbers.", field="quantity")
    limits = {
        name: Money(
            amount=amount_in(desk, form.get(name, ""), account.balance.currency, name, least=Decimal(0)), currency=account.balance.currency
        )
        for name in ("most_setup", "most_monthly")
    }
    task = t.OrderWhenFree(
        reference=form["reference"][:80], account=account.id, site=form["site"], spot=form.get("spot") or None, country=form.get("country", "")[:2].upper(),
        area=form.get("area", "")[:80], number_kind=form.get("kind", "")[:20], capacity=form.get("capacity", "")[:10], starts=form.get("starts", "")[:20],
        pattern=form.get("pattern", "")[:15], quantity=int(quantity), consecutive=bool(form.get("consecutive")), until=until, most_setup=limits["most_setup"],
        most_monthly=limits["most_monthly"],
    )  # fmt: skip
    return workorders.draft(desk, f"Order {form['reference'][:80]} when free", [task])


def end_of(day: str) -> datetime | None:
    """The end of a typed day; None for ''. Raises NotUnderstood."""
    try:
        return datetime.fromisoformat(f"{day}T23:59:59+00:00") if day else None
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field="until") from error


def _line(number: StockNumber, features: tuple[str, ...]) -> OrderedLine:
    """What a number costs with the features that are switched on. Raises NotUnderstood where the carrier doesn't offer one."""
    monthly = number.monthly
    for name in features:
        if name not in number.features:
            offered = ", ".join(number.features) or "nothing"
            raise NotUnderstood(f"“{name}” can't be switched on for {number.e164}; the carrier offers: {offered}.", field="features")
        monthly = monthly + number.features[name]
    return OrderedLine(number=number.e164, capacity=number.capacity, setup=number.setup, monthly=monthly, listed=number.monthly)


def _check_spot(reading: Reading, spot: str | None, site: str) -> None:
    if not spot:
        return
    found = reading.records.the(Spot, spot)
    if found.site != site:
        raise NotUnderstood(f"{spot} is a spot of another site. Choose one of this site.", field="spot")


def open_orders(desk: Desk, *, limit: int = 60) -> list[Order]:
    """Orders of which something is still to arrive, newest first."""
    with desk.reading() as reading:
        return reading.records.where(Order, tables.order.c.open.is_(True), order_by=tables.order.c.at.desc(), limit=limit)


def orders(desk: Desk, *, limit: int = 100) -> list[OrderView]:
    """Newest first."""
    with desk.reading() as reading:
        rows = reading.records.where(Order, order_by=tables.order.c.at.desc(), limit=limit)
        return [_view(reading, row) for row in rows]


def order_view(desk: Desk, key: str) -> OrderView:
    """One order. While the runner has not yet written it down, it is told from its work order. Raises NotFound."""
    with desk.reading() as reading:
        record = reading.records.find(Order, key) or _not_yet_written(reading, key)
        return _view(reading, record)


def _not_yet_written(reading: Reading, key: str) -> Order:
    from sedge.store import workorders as store

    for x in store.tasks_of(reading.connection, key.removesuffix("-order").rpartition("-")[0]):
        if f"{x.id}-order" == key and isinstance(x.body, t.OrderNumbers):
            from sedge.core.supply.records import OrderLine

            lines = tuple(
                OrderLine(e164=line.number, setup=line.setup, monthly=line.monthly, capacity=line.capacity) for line in x.body.lines
            )
            return Order(
                id=key, reference=x.body.reference, account=x.body.account, site=x.body.site, key=x.id, lines=lines, refused=x.error
            )
    return reading.records.the(Order, key)


def _view(reading: Reading, record: Order) -> OrderView:
    account = reading.records.the(Account, record.account)
    median, late = lead_times(reading, account.carrier)
    return OrderView(
        record, order_state(record), account, reading.records.the(Site, record.site), record.key.rpartition("-")[0], median, late
    )


def lead_times(reading: Reading, carrier: str) -> tuple[timedelta | None, timedelta | None]:
    """Median and 90th percentile of this carrier's own past deliveries, from placing to delivery."""
    accounts = [a.id for a in reading.records.where(Account, tables.account.c.carrier == carrier)]
    waits: list[float] = []
    for record in reading.records.where(Order, order_by=tables.order.c.at.desc(), limit=200):
        if record.account in accounts and record.placed_at:
            waits += [
                (line.delivered_at - record.placed_at).total_seconds()
                for line in record.lines
                if line.state is LineState.DELIVERED and line.delivered_at
            ]
    if len(waits) < 3:
        return None, None
    return timedelta(seconds=statistics.median(waits)), timedelta(seconds=statistics.quantiles(waits, n=10)[8])


def cancel(desk: Desk, key: str) -> WorkOrder:
    with desk.reading() as reading:
        record = reading.records.the(Order, key)
    return workorders.run_now(desk, f"Cancel order {record.reference}", [t.CancelOrder(order=key)])


def numbers_of(desk: Desk, key: str) -> list[Number]:
    with desk.reading() as reading:
        return reading.records.where(Number, tables.life.c.order_id == key, order_by=tables.life.c.number)
