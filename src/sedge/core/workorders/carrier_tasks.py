"""The tasks that ask something of a carrier: orders and their papers, ports either way, connecting, releasing, features, what lists differ in."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.facts import Fact, Money
from sedge.core.records import Capacity
from sedge.core.workorders.task_base import E164, AnyTask, Name, NumberField


class SubmitPort(AnyTask):
    """Ask the losing carrier, through the gaining one, to let the numbers of a port go; after a rejection the same port again."""

    kind: Literal["submit_port"] = "submit_port"
    takes = frozenset({May.PORT})
    port: Name


class ActivatePort(AnyTask):
    """Switch the numbers of a port whose day has come; those that were accepted become ours."""

    kind: Literal["activate_port"] = "activate_port"
    takes = frozenset({May.PORT})
    port: Name


class BackOutPort(AnyTask):
    """Give the numbers of a port back to the losing carrier, while it still takes them: whatever went wrong, callers get through again."""

    kind: Literal["back_out_port"] = "back_out_port"
    takes = frozenset({May.PORT})
    port: Name
    reason: str = Field(min_length=3, max_length=200)


class ApprovePortOut(AnyTask):
    """Let numbers go that another carrier has asked ours for; `vouched` is who has compared what it says of our account."""

    kind: Literal["approve_port_out"] = "approve_port_out"
    takes = frozenset({May.PORT})
    request: Name
    vouched: str = Field(default="", max_length=120)


class OrderedLine(Fact):
    """`monthly` with the features switched on, `listed` without, as the carrier was seen to ask."""

    number: E164
    capacity: Capacity
    setup: Money
    monthly: Money
    listed: Money | None = None


class OrderNumbers(AnyTask):
    kind: Literal["order_numbers"] = "order_numbers"
    takes = frozenset({May.BUY})
    reference: Name
    account: Name
    site: Name
    spot: str | None = None
    hold: str | None = None
    features: tuple[str, ...] = ()
    lines: tuple[OrderedLine, ...] = Field(min_length=1, max_length=1000)


class CancelOrder(AnyTask):
    kind: Literal["cancel_order"] = "cancel_order"
    takes = frozenset({May.BUY})
    order: Name


class OrderWhenFree(AnyTask):
    """Order numbers once a carrier has such in stock: asked for now and then, bought within the limits of price only.

    The wish is as in a search; `most_monthly` and `most_setup` are for each number, in the account's currency.
    """

    kind: Literal["order_when_free"] = "order_when_free"
    takes = frozenset({May.BUY})
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


class ArrivedLine(Fact):
    """A number as the carrier's letter tells of it."""

    number: E164
    setup: Money
    monthly: Money


class RecordArrival(AnyTask):
    """Numbers that were ordered on a form have arrived."""

    kind: Literal["record_arrival"] = "record_arrival"
    takes = frozenset({May.BUY})
    order: Name
    lines: tuple[ArrivedLine, ...] = Field(min_length=1, max_length=1000)


class SendPaper(AnyTask):
    """Send a carrier another document for one of an order's that it has rejected."""

    kind: Literal["send_paper"] = "send_paper"
    takes = frozenset({May.BUY})
    order: Name
    document: Name
    instead_of: Name


class ReleaseNumber(AnyTask):
    """Hand a number back to its carrier; with `after_rest` once its rest is over."""

    kind: Literal["release_number"] = "release_number"
    takes = frozenset({May.RELEASE})
    number: NumberField
    after_rest: bool = False


class ConnectNumber(AnyTask):
    """A number that stays with its carrier comes into the estate and is reached over a connection, which is a trunk."""

    kind: Literal["connect_number"] = "connect_number"
    takes = frozenset({May.BUY})
    number: E164
    trunk: Name
    account: Name
    site: Name
    capacity: Capacity = Capacity.ANY
    monthly: Money


DriftWord = Literal["not listed", "not ours", "other price", "other state", "other trunk"]


class FollowCarrier(AnyTask):
    """Make our record of a number what its carrier lists; `theirs` as the comparison found it."""

    kind: Literal["follow_carrier"] = "follow_carrier"
    takes = frozenset({May.SEE_MONEY})
    number: E164
    drift: DriftWord
    theirs: str = Field(max_length=200)


class TellCarrier(AnyTask):
    """Tell a carrier that its list is to be what is so here; with `not ours`: hand the number back. `ours` as it is told."""

    kind: Literal["tell_carrier"] = "tell_carrier"
    takes = frozenset({May.RELEASE})
    number: E164
    account: Name
    drift: DriftWord
    ours: str = Field(default="", max_length=200)


class SetFeature(AnyTask):
    """Switch a feature of a number on or off at its carrier."""

    kind: Literal["set_feature"] = "set_feature"
    takes = frozenset({May.BUY})
    number: NumberField
    feature: Name
    on: bool = True
