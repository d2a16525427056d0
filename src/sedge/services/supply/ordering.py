"""Ordering numbers from a carrier: the whole of it planned and priced first, then bought as it was
seen, once.

What is planned is the work order itself: the numbers with their features, what people get of them,
and every licence that comes with it. Its price is that of all its tasks. Whoever orders says with
`agreed` which plan they saw; where the plan is another by now, nothing is bought.
"""

import hashlib
import threading
from dataclasses import dataclass, field
from typing import Any

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotRunnable, NotUnderstood, SedgeError
from sedge.core.facts import Money, counted, in_words, to_canonical_json
from sedge.core.holders.devices import DeviceKind
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED
from sedge.core.records import Account, Carrier, Hold, Number, Order, Site, Subject
from sedge.core.supply.offers import StockNumber
from sedge.core.supply.quote import Quote, quote
from sedge.core.supply.tasks import OrderedLine
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.supply import provisioning
from sedge.services.supply.holds import require_held
from sedge.services.supply.supply import check_spot, priced
from sedge.services.workorders import order_running, order_views, workorders
from sedge.services.workorders.checking import remedies
from sedge.services.workorders.order_views import OrderView
from sedge.store.repositories import workorders as store
from sedge.store.repositories.workorders import WorkOrder

UNNAMED = "your reference"
OWN: dict[str, str | None] = {
    "reference": UNNAMED,
    "spot": None,
}  # of a task: chosen by whoever orders, and no change of the plan
_ordering = (
    threading.Lock()
)  # one process orders one thing at a time; between processes the carrier sells nothing twice


@dataclass(frozen=True)
class Wanted:
    """What somebody wants to order: a hold, or numbers on an account. `people` (one a line) are
    given the numbers as they arrive, in their order, with all they lack, and a `phone`; the rest is
    reserved for what `reserve_for` says."""

    reference: str = ""
    account: str = ""
    site: str = ""
    hold: str | None = None
    numbers: tuple[str, ...] = ()
    spot: str | None = None
    features: tuple[str, ...] = ()
    people: str = ""
    reserve_for: str = ""
    phone: DeviceKind | None = None


@dataclass(frozen=True)
class Planned:
    """An order before it is placed. `view` is the work order it will run with; `marks` say which of
    its tasks are remedies."""

    hold: Hold | None
    account: Account
    carrier: Carrier
    site: str
    numbers: list[StockNumber]
    quote: Quote
    view: OrderView
    bodies: list[Any] = field(default_factory=list)
    marks: list[int | None] = field(default_factory=list)

    @property
    def agreed(self) -> str:
        """What was seen of tasks and prices, as a short text to compare; what whoever orders types
        themselves is left out: reference, spot."""
        seen = [
            body.copy_with(
                **{name: own for name, own in OWN.items() if name in type(body).model_fields}
            )
            for body in self.bodies
        ]
        costs = [
            sorted(side) + [side[c] for c in sorted(side)]
            for side in (self.view.costs.once, self.view.costs.monthly)
        ]
        return hashlib.blake2b(
            to_canonical_json([seen, costs]).encode(), digest_size=10
        ).hexdigest()

    @property
    def price(self) -> str:
        """`£3.00 now and £10.15 a month`: everything, licences and features included."""
        once, monthly = (
            _together(side) for side in (self.view.costs.once, self.view.costs.monthly)
        )
        return (
            f"{once or in_words(self.quote.setup)} now and"
            f" {monthly or in_words(self.quote.monthly)} a month"
        )

    @property
    def buys_more(self) -> bool:
        """Whether anything beside the numbers themselves costs something."""
        return self.view.costs.monthly != {self.quote.monthly.currency: self.quote.monthly}

    @property
    def stops(self) -> list[str]:
        return [f.message for f in self.view.report.stops] if self.view.report else []


def _together(side: dict[str, Money]) -> str:
    return " and ".join(in_words(side[currency]) for currency in sorted(side))


def plan(context: Context, wanted: Wanted) -> Planned:
    """Raises NotUnderstood naming the field, NotAllowedNow for a hold that has run out,
    NotFound."""
    context.require(May.BUY)
    with context.reading() as reading:
        held = reading.records.the(Hold, wanted.hold) if wanted.hold else None
        account = reading.records.the(Account, held.account if held else wanted.account)
        carrier = reading.records.the(Carrier, account.carrier)
    if held:
        require_held(held, context.now())
    numbers = list(held.numbers) if held else list(wanted.numbers)
    if not numbers:
        raise NotUnderstood("Name the numbers to order, or a hold.", field="numbers")
    site = wanted.site or site_management.likely_site(context, account.id, numbers[0])
    with context.reading() as reading:
        reading.records.the(Site, site)
        check_spot(reading, wanted.spot, site)
    found = priced(context, account, numbers)
    lines = tuple(_line(number, wanted.features) for number in found)
    task = t.OrderNumbers(
        reference=wanted.reference.strip() or UNNAMED,
        account=account.id,
        site=site,
        spot=wanted.spot or None,
        hold=wanted.hold,
        features=wanted.features,
        lines=lines,
    )
    tasks = [
        task,
        *provisioning.plan(
            context,
            len(lines),
            people=wanted.people,
            reserve_for=wanted.reserve_for,
            phone=wanted.phone,
        ),
    ]
    marks: list[int | None] = [None] * len(tasks)
    if len(tasks) > 1:
        tasks, marks = remedies.add_all(context, tasks)
    view = order_views.look_ahead(context, title_of(wanted, len(lines)), tasks, marks)
    return Planned(
        held,
        account,
        carrier,
        site,
        found,
        quote(found, wanted.features, account, context.now().date()),
        view,
        tasks,
        marks,
    )


def title_of(wanted: Wanted, count: int) -> str:
    return f"Order {wanted.reference.strip()}: {counted(count, 'number')}"


def place(
    context: Context, wanted: Wanted, *, identity: str | None = None, agreed: str = ""
) -> tuple[str, WorkOrder]:
    """Order as planned; the order's id and the work order that runs. However often a hold, or an
    `identity`, is ordered, it is bought once.

    Raises NotUnderstood (no reference), NotAllowedNow (the plan is no longer the one that was
    `agreed`; numbers that are ours, or are being ordered), NotRunnable with what stops it. Nothing
    is kept then.
    """
    context.require(May.BUY)
    identity = identity or (
        f"hold-{hashlib.sha256(wanted.hold.encode()).hexdigest()[:16]}" if wanted.hold else None
    )
    with _ordering:
        if (
            identity
            and (begun := workorders.find(context, identity))
            and begun.state not in {OrderState.STOPPED, OrderState.DISCARDED}
        ):
            return order_of(begun), order_running.run(context, begun.id)
        reference = wanted.reference.strip()
        if not reference:
            raise NotUnderstood(
                "Give the order a reference, so that you find it again.", field="reference"
            )
        if len(reference) > 80:
            raise NotUnderstood("A reference has at most 80 characters.", field="reference")
        planned = plan(context, wanted)
        _as_agreed(planned, agreed)
        if planned.stops:
            many = f"{len(planned.stops)} checks stop this. " if len(planned.stops) > 1 else ""
            raise NotRunnable(f"{many}{planned.stops[0]}", stops=planned.stops)
        if not wanted.hold:
            _not_twice(context, wanted.numbers)
        title = title_of(wanted, len(planned.numbers))
        written = workorders.draft(
            context, title, planned.bodies, marks=planned.marks, identity=identity
        )
        try:
            work_order = order_running.run(context, written.id)
        except SedgeError:  # what stops it came up in between: nothing was bought, nothing stays
            workorders.discard(context, written.id)
            raise
        if wanted.hold:
            _hold_used(context, wanted.hold, order_of(work_order))
    return order_of(work_order), work_order


def order(
    context: Context,
    *,
    reference: str,
    account: str,
    site: str,
    hold_id: str | None = None,
    numbers: list[str] | None = None,
    spot: str | None = None,
    features: tuple[str, ...] = (),
    identity: str | None = None,
    agreed: str = "",
    people: str = "",
    reserve_for: str = "",
) -> tuple[str, WorkOrder]:
    """`place` with its wish in words of their own."""
    wanted = Wanted(
        reference, account, site, hold_id, tuple(numbers or ()), spot, features, people, reserve_for
    )
    return place(context, wanted, identity=identity, agreed=agreed)


def _as_agreed(planned: Planned, agreed: str) -> None:
    if agreed and agreed != planned.agreed:
        raise NotAllowedNow(
            f"The order is another by now: it costs {planned.price}. Nothing was bought. Look at"
            " it, then order again.",
            field="hold",
            reason="price",
            agreed=planned.agreed,
        )
    if not agreed and planned.buys_more:
        raise NotAllowedNow(
            f"With what comes with it this costs {planned.price}. Nothing was bought. Agree to that"
            " price by sending “agreed”.",
            field="agreed",
            reason="price",
            agreed=planned.agreed,
        )


def _not_twice(context: Context, numbers: tuple[str, ...]) -> None:
    """Raises NotAllowedNow for numbers that are in the estate, or in an order that is being
    placed."""
    with context.reading() as reading:
        ours = [n.e164 for n in reading.records.many(Number, numbers) if n.state not in ENDED]
        ordered = {
            number
            for task in store.open_of_kind(reading.connection, "order_numbers")
            for number in task.body.brings()
        }
    if taken := [n for n in numbers if n in ours or n in ordered]:
        what = "is in the estate already" if taken[0] in ours else "is being ordered already"
        raise NotAllowedNow(
            f"{describe(taken[0]).shown} {what}. Choose others.",
            field="numbers",
            reason="ours",
            numbers=taken,
        )


def order_of(work_order: WorkOrder) -> str:
    """The id of the order that a work order places."""
    return next(f"{x.id}-order" for x in work_order.tasks if isinstance(x.body, t.OrderNumbers))


def _hold_used(context: Context, key: str, order: str) -> None:
    with context.writing() as writing:
        now = writing.records.the(Hold, key)
        if now.state == "held":
            writing.save(
                [
                    changed(
                        Subject.HOLD, now, now.copy_with(state="ordered", order=order), "hold.ended"
                    )
                ]
            )


def order_of_hold(context: Context, key: str) -> str:
    """The order a hold was used for; '' where it was not, or the order is not written yet. Raises
    NotFound."""
    with context.reading() as reading:
        held = reading.records.the(Hold, key)
        return held.order if held.order and reading.records.find(Order, held.order) else ""


def _line(number: StockNumber, features: tuple[str, ...]) -> OrderedLine:
    """What a number costs with the features that are switched on. Raises NotUnderstood where the
    carrier doesn't offer one."""
    monthly = number.monthly
    for name in features:
        if name not in number.features:
            offered = ", ".join(number.features) or "nothing"
            raise NotUnderstood(
                f"“{name}” can't be switched on for {number.e164}; the carrier offers: {offered}.",
                field="features",
            )
        monthly = monthly + number.features[name]
    return OrderedLine(
        number=number.e164,
        capacity=number.capacity,
        setup=number.setup,
        monthly=monthly,
        listed=number.monthly,
    )
