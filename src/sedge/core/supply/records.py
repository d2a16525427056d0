"""The records of supply: carriers, accounts with them, holds, orders and their papers."""

from datetime import date, datetime
from decimal import Decimal
from enum import StrEnum

from sedge.core.enums import Capacity, HolderKind, SupplyModel
from sedge.core.facts import Fact, Money
from sedge.core.numbers.plan import Kind


class FeatureTerms(Fact):
    """What a feature of a number costs a month in the account's currency, how long it takes to
    work, and for which kinds of number the carrier offers it (none named: for all)."""

    fee: Decimal
    works_after_minutes: int = 0
    kinds: tuple[Kind, ...] = ()


class Contact(Fact):
    """Somebody at a carrier."""

    name: str
    role: str = ""
    mail: str = ""
    phone: str = ""


class Carrier(Fact):
    """`asks_of` says which allowances a holder of that kind needs under this carrier's agreement.
    `terms` and `contact` are for people; a number is paid for `minimum_months` at least, and for
    `notice_days` after its release; `most_grace_days` is the longest wait at zero that can be
    chosen. `rates` is what a minute of a call out costs, by the leading digits of the number called
    (without plus); the longest counts. The contract with it goes on after `contract_ends` unless
    notice is given `contract_notice_days` before."""

    id: str
    name: str
    supply_model: SupplyModel
    countries: tuple[str, ...]
    capacities: tuple[Capacity, ...]
    asks_of: dict[HolderKind, tuple[str, ...]]
    order_multiple: int = 1
    suspends_days: int = 14
    most_grace_days: int = 30
    terms: str = ""
    contact: str = ""
    registers_addresses: bool = True
    notice_days: int = 0
    minimum_months: int = 0
    features: dict[str, FeatureTerms] = {}
    rates: dict[str, Money] = {}
    contacts: tuple[Contact, ...] = ()
    support_hours: str = ""
    portal: str = ""
    contract_ends: date | None = None
    contract_notice_days: int = 0
    version: int = 0

    def features_for(self, kind: Kind) -> dict[str, FeatureTerms]:
        """What it offers for numbers of a kind."""
        return {
            name: terms
            for name, terms in self.features.items()
            if not terms.kinds or kind in terms.kinds
        }

    def fee(self, feature: str, currency: str) -> Money:
        """What a feature costs a month; nothing for one that is not offered any more."""
        terms = self.features.get(feature)
        return Money(amount=terms.fee if terms else Decimal(0), currency=currency)


class TopUp(Fact):
    """Pay `amount` in whenever the balance is at or under `at`, and never more than `most_a_month`
    in a calendar month."""

    at: Decimal
    amount: Decimal
    most_a_month: Decimal


class Account(Fact):
    """An account with a carrier.

    `countries`: numbers of these are bought on it (none named: of any). `receives_only`: before its
    first deposit nothing can be ordered or called. `grace_days`: how long the carrier waits at
    zero; None: as its terms say. `alerted_at`: since when somebody knows that the balance is low.
    `topped_up`: what the rule has paid in, by month as `2026-11`. `theirs`: the carrier's own id of
    it. `paying`: payments begun and not yet known to have arrived, by their key; `paid`: the keys
    of the last ones that have ended, so that none is made twice. `charged_to`: the last charge for
    numbers in service that is in the balance. `suspended_since`: from when the carrier has let
    nothing through.
    """

    id: str
    carrier: str
    name: str
    balance: Money
    low_mark: Money
    prepaid: bool = True
    countries: tuple[str, ...] = ()
    contact: str = ""
    alert_mail: str = ""
    alert_phone: str = ""
    top_up: TopUp | None = None
    topped_up: dict[str, Decimal] = {}
    paying: dict[str, Decimal] = {}
    paid: tuple[str, ...] = ()
    grace_days: int | None = None
    receives_only: bool = False
    alerted_at: datetime | None = None
    theirs: str = ""
    charged_to: int = 0
    suspended_since: datetime | None = None
    version: int = 0


class Hold(Fact):
    id: str
    account: str
    numbers: tuple[str, ...]
    expires_at: datetime
    state: str = "held"
    order: str | None = None
    can_be_longer: bool = False
    version: int = 0


class LineState(StrEnum):
    WAITING = "waiting"
    DELIVERED = "delivered"
    FAILED = "failed"
    CANCELLED = "cancelled"


class OrderLine(Fact):
    e164: str
    state: LineState = LineState.WAITING
    usable_from: datetime | None = None
    delivered_at: datetime | None = None
    reason: str = ""
    setup: Money
    monthly: Money
    capacity: Capacity


class Document(Fact):
    """A paper on file. `paper` is what it is (a name of `core.supply.papers`); `site` where it
    belongs to one; its content lies apart."""

    id: str
    paper: str
    title: str
    filename: str
    media_type: str
    size: int
    sha256: str
    site: str | None = None
    issued_on: date | None = None
    valid_until: date | None = None
    at: datetime
    by: str
    withdrawn: bool = False
    version: int = 0


class PaperState(StrEnum):
    SENT = "sent"
    IN_REVIEW = "in review"
    ACCEPTED = "accepted"
    REJECTED = "rejected"


class OrderPaper(Fact):
    """A document that went with an order, and what the carrier says of it."""

    document: str
    paper: str
    state: PaperState = PaperState.SENT
    reason: str = ""


class OrderForm(Fact):
    """What is asked for on a form, where the carrier takes no orders over the wire: nobody knows
    the numbers before they arrive."""

    quantity: int
    area: str
    kind: str = "geographic"
    capacity: Capacity = Capacity.ANY
    in_a_row: bool = False
    wanted_by: date | None = None
    note: str = ""
    sent_on: date | None = None
    sent_how: str = ""


class Order(Fact):
    """`form` is set where it goes on a form; its lines are then what has arrived. `key` is the
    idempotency key the carrier sees; `placed_as` the carrier's own id once it has answered."""

    id: str
    reference: str
    account: str
    site: str
    spot: str | None = None
    features: tuple[str, ...] = ()
    key: str
    hold: str | None = None
    placed_as: str | None = None
    placed_at: datetime | None = None
    expected_from: datetime | None = None
    expected_by: datetime | None = None
    lines: tuple[OrderLine, ...]
    papers: tuple[OrderPaper, ...] = ()
    form: OrderForm | None = None
    refused: str = ""
    version: int = 0

    @property
    def is_open(self) -> bool:
        """Whether something may still arrive."""
        if self.form:
            return not self.refused and len(self.lines) < self.form.quantity
        return not self.refused and any(line.state is LineState.WAITING for line in self.lines)
