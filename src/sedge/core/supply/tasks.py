"""Tasks that ask a carrier for numbers: orders and their papers, numbers that stay elsewhere,
features."""

from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Capacity, Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Fact, Money, counted
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import ENDED, Event, next_state
from sedge.core.records import Account, Document, Number, Order, Trunk
from sedge.core.supply.records import LineState, OrderLine, OrderPaper, PaperState
from sedge.core.supply.reducers import (
    LineAnswer,
    as_delivered,
    feature_set,
    ordered_number,
    settle_lines,
)
from sedge.core.workorders.task_base import (
    E164,
    Cost,
    Name,
    NumberField,
    Prerequisites,
    Provision,
    Snapshot,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    name_of,
    no_changes,
    not_at_all,
    nothing,
    outside_decides,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore


class OrderedLine(Fact):
    """`monthly` with the features switched on, `listed` without, as the carrier was seen to ask."""

    number: E164
    capacity: Capacity
    setup: Money
    monthly: Money
    listed: Money | None = None


class ArrivedLine(Fact):
    """A number as the carrier's letter tells of it."""

    number: E164
    setup: Money
    monthly: Money


class OrderNumbers(Task):
    kind: Literal["order_numbers"] = "order_numbers"
    takes = frozenset({May.BUY})
    for_good = "an order"
    reference: Name
    account: Name
    site: Name
    spot: str | None = None
    hold: str | None = None
    features: tuple[str, ...] = ()
    lines: tuple[OrderedLine, ...] = Field(min_length=1, max_length=1000)

    settles = outside_decides
    requires = what_it_is_about
    waits = for_nothing
    reversal = not_at_all

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.numbers |= set(self.brings())
        found.documents = True
        return found

    def provides(self) -> Iterator[Provision]:
        return (Provision(Thing.NUMBER, number) for number in self.brings())

    def brings(self) -> tuple[str, ...]:
        return tuple(line.number for line in self.lines)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Order {counted(len(self.lines), 'number')}", f"under {self.reference}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """Write the order and open a life per line. The carrier's answer follows as changes of its
        own."""
        account = estate.the(Account, self.account)
        lines = tuple(
            OrderLine(e164=x.number, capacity=x.capacity, setup=x.setup, monthly=x.monthly)
            for x in self.lines
        )
        order = Order(
            id=f"{identity}-order",
            reference=self.reference,
            account=account.id,
            site=self.site,
            spot=self.spot,
            features=self.features,
            key=identity,
            hold=self.hold,
            lines=lines,
        )
        lives = [ordered_number(line, order, account, estate, identity) for line in lines]
        return [changed(Subject.ORDER, None, order, "order.drafted"), *lives]

    def project(self, estate: Estate, identity: str) -> list[Change]:
        """The numbers as delivered."""
        return [as_delivered(change) for change in self.apply(estate, identity)]

    def works(self, estate: Estate) -> str:
        return "when the carrier delivers"

    def costs(self, estate: Estate) -> Cost:
        return _sum_of(self.lines)


class OrderWhenFree(Task):
    """Order numbers once a carrier has such in stock: asked for now and then, with a work order of
    its own.

    The wish is as in a search; `most_monthly` and `most_setup` are for each number, in the
    account's currency.
    """

    kind: Literal["order_when_free"] = "order_when_free"
    takes = frozenset({May.BUY})
    for_good = "an order when free"
    reference: Name
    account: Name
    site: Name
    spot: str | None = None
    country: Annotated[str, Field(pattern=r"^[A-Z]{2}$")]
    area: str = Field(default="", max_length=80)
    number_kind: str = Field(default="", max_length=20)
    capacity: str = Field(default="", max_length=10)
    starts: str = Field(default="", max_length=20)
    pattern: str = Field(default="", max_length=15)
    quantity: int = Field(default=1, ge=1, le=100)
    consecutive: bool = False
    most_setup: Money
    most_monthly: Money
    until: datetime

    settles = outside_decides
    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    apply = no_changes
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def describe(self, estate: Estate) -> tuple[str, str]:
        ending = f"ending {self.pattern}" if self.pattern else ""
        wish = ", ".join(x for x in (self.area or self.country, self.starts, ending) if x)
        what = f"Order {counted(self.quantity, 'number')} when free"
        return what, f"under {self.reference}: {wish}"

    def works(self, estate: Estate) -> str:
        return f"when there is such a number, until {estate.clock(self.until)}"


class RecordArrival(Task):
    """Numbers that were ordered on a form have arrived. What they cost comes with the carrier's
    bill."""

    kind: Literal["record_arrival"] = "record_arrival"
    takes = frozenset({May.BUY})
    order: Name
    lines: tuple[ArrivedLine, ...] = Field(min_length=1, max_length=1000)

    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.numbers |= set(self.brings())
        return found

    def provides(self) -> Iterator[Provision]:
        return (Provision(Thing.NUMBER, number) for number in self.brings())

    def brings(self) -> tuple[str, ...]:
        return tuple(line.number for line in self.lines)

    def describe(self, estate: Estate) -> tuple[str, str]:
        what = f"Take in {counted(len(self.lines), 'number')}"
        return what, f"that came for order {_reference(estate, self.order)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """The numbers come into the estate as available, and the order remembers them."""
        order = estate.the(Order, self.order)
        account = estate.the(Account, order.account)
        known = {line.e164 for line in order.lines}
        lines = [
            OrderLine(
                e164=x.number,
                state=LineState.DELIVERED,
                usable_from=estate.now,
                delivered_at=estate.now,
                setup=x.setup,
                monthly=x.monthly,
                capacity=order.form.capacity if order.form else Capacity.ANY,
            )
            for x in self.lines
            if x.number not in known
        ]
        if not lines:
            return []
        here = {"usable_from": estate.now}
        ordered = [ordered_number(line, order, account, estate, identity).after for line in lines]
        lives = [
            n.copy_with(state=next_state(n.state, Event.DELIVER), state_before=n.state, **here)
            for n in ordered
        ]
        after = order.copy_with(lines=(*order.lines, *lines))
        return [
            changed(Subject.ORDER, order, after, "order.arrived"),
            *(changed(Subject.NUMBER, None, n, "number.delivered") for n in lives),
        ]

    def costs(self, estate: Estate) -> Cost:
        return _sum_of(self.lines)


class SendPaper(Task):
    """Send a carrier another document for one of an order's that it has rejected."""

    kind: Literal["send_paper"] = "send_paper"
    takes = frozenset({May.BUY})
    for_good = "a document that was sent"
    order: Name
    document: Name
    instead_of: Name

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = not_at_all

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.documents = True
        return found

    def describe(self, estate: Estate) -> tuple[str, str]:
        what = f"Send {name_of(estate, Document, self.document)}"
        return what, f"to the carrier, for order {_reference(estate, self.order)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """The new document stands where the rejected one stood, and is looked at anew."""
        order, document = estate.the(Order, self.order), estate.the(Document, self.document)
        fresh = OrderPaper(document=document.id, paper=document.paper, state=PaperState.IN_REVIEW)
        papers = tuple(fresh if p.document == self.instead_of else p for p in order.papers)
        if papers == order.papers:
            return []
        return [changed(Subject.ORDER, order, order.copy_with(papers=papers), "order.paper-sent")]


class CancelOrder(Task):
    kind: Literal["cancel_order"] = "cancel_order"
    takes = frozenset({May.BUY})
    order: Name

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Cancel", f"order {self.order}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        order = estate.the(Order, self.order)
        waiting = [line for line in order.lines if line.state is LineState.WAITING]
        if not waiting:
            raise NotAllowedNow(
                f"Nothing of order {order.reference} is still on its way, so nothing can be"
                " cancelled.",
                reason="settled",
            )
        answers: dict[str, LineAnswer] = {
            line.e164: (LineState.CANCELLED, None, "cancelled by us") for line in waiting
        }
        return settle_lines(order, answers, estate)


class ConnectNumber(Task):
    """A number that stays with its carrier comes into the estate and is reached over a connection.

    The connection is a trunk on which our telephone system signs in.
    """

    kind: Literal["connect_number"] = "connect_number"
    takes = frozenset({May.BUY})
    may_be_new = True
    number: E164
    trunk: Name
    account: Name
    site: Name
    capacity: Capacity = Capacity.ANY
    monthly: Money

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.NUMBER, self.number)
        yield Provision(Thing.LISTED, self.number)

    def brings(self) -> tuple[str, ...]:
        return (self.number,)

    def describe(self, estate: Estate) -> tuple[str, str]:
        trunk = name_of(estate, Trunk, self.trunk)
        return f"Connect {self.shown}", f"over {trunk}; it stays with its carrier"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """The number is available from now on; calls to it arrive over the connection."""
        account, existing = estate.the(Account, self.account), estate.get(Number, self.number)
        if existing and existing.state not in ENDED:
            message = f"{existing.shown} is in the estate already, {existing.state}."
            raise NotAllowedNow(message, reason="exists", field="number")
        number = Number(
            id=f"{identity}-{self.number[1:]}",
            e164=self.number,
            capacity=self.capacity,
            state=next_state(None, Event.REGISTER),
            account=account.id,
            carrier=account.carrier,
            site=self.site,
            trunk=estate.the(Trunk, self.trunk).id,
            monthly=self.monthly,
        )
        return [changed(Subject.NUMBER, None, number, "number.connected")]

    def costs(self, estate: Estate) -> Cost:
        return Cost(self.monthly)


class SetFeature(Task):
    """Switch a feature of a number on or off at its carrier."""

    kind: Literal["set_feature"] = "set_feature"
    takes = frozenset({May.BUY})
    number: NumberField
    feature: Name
    on: bool = True

    needs = what_it_names
    waits = for_nothing

    def provides(self) -> Iterator[Provision]:
        if self.on:
            yield Provision(Thing.FEATURE, f"{self.e164} {self.feature}")

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Switch {self.feature} {'on' if self.on else 'off'}", f"for {self.shown}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """As the carrier's terms promise it; from when it really works, its answer says."""
        number = estate.number(self.known_number)
        terms = estate.carrier_of(number).features.get(self.feature)
        works_from = estate.now + timedelta(minutes=terms.works_after_minutes if terms else 0)
        return feature_set(number, self.feature, works_from if self.on else None, estate)

    def reversal(self, snapshots: Sequence[Snapshot], words: str) -> Task:
        """The carrier has to switch it again."""
        return self.copy_with(on=not self.on)

    def works(self, estate: Estate) -> str:
        return "when the carrier has switched it"

    def settles(self, after: Estate) -> datetime | None:
        number = after.number(self.known_number)
        return max(after.now, number.features_from.get(self.feature, after.now))

    def costs(self, estate: Estate) -> Cost:
        number = estate.number(self.known_number)
        if (self.feature in number.features) is self.on:
            return Cost()
        fee = estate.carrier_of(number).fee(self.feature, number.monthly.currency)
        return Cost(fee if self.on else fee.times(-1))


def _sum_of(lines: Sequence[OrderedLine | ArrivedLine]) -> Cost:
    first, *rest = lines
    monthly, once = first.monthly, first.setup
    for line in rest:
        monthly, once = monthly + line.monthly, once + line.setup
    return Cost(monthly, once)


def _reference(estate: Estate, order: str) -> str:
    found = estate.get(Order, order)
    return found.reference if found else order
