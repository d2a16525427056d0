"""The records of licences: what one buys per seat, the seats bought, and who has one."""

from datetime import datetime

from sedge.core.enums import HolderKind
from sedge.core.facts import Fact, Money
from sedge.core.holding import HolderRef


class Entitlement(Fact):
    """Free seats that come with others: `base`, and one more for every `per` paid seats of the
    product `of`."""

    base: int = 0
    per: int = 1
    of: str


class Product(Fact):
    """A licence product: what it allows, what it needs first (`needs_all` of products and one of
    `needs_any`), what a seat costs a month (`monthly`, or another of `prices` where the holder's
    carrier is paid in that currency), and what a seat includes each month; `pooled` minutes are
    used up by all who have one.
    """

    id: str
    name: str
    allows: tuple[str, ...] = ()
    needs_all: tuple[str, ...] = ()
    needs_any: tuple[str, ...] = ()
    for_holders: tuple[HolderKind, ...]
    monthly: Money
    prices: tuple[Money, ...] = ()
    minutes: int = 0
    pooled: bool = False
    messages: int = 0
    propagation_minutes: int
    trial_days: int = 0
    term_months: int = 1
    free: bool = False
    entitlement: Entitlement | None = None
    withdrawn: bool = False
    version: int = 0

    def price_in(self, currency: str) -> Money:
        """A seat's price in that currency; the usual one where there is none."""
        return next((p for p in self.prices if p.currency == currency), self.monthly)

    @property
    def prerequisites(self) -> tuple[str, ...]:
        """Every product it may need before it."""
        return (*self.needs_all, *self.needs_any)


class Subscription(Fact):
    """Seats of a product. `used` counts open grants, kept by the reducer; it can't pass `seats`.
    `leaving` of the seats end on `renews_on`; one with `trial_ends` costs nothing and ends then."""

    id: str
    product: str
    seats: int
    used: int = 0
    leaving: int = 0
    term_months: int = 1
    renews_on: datetime | None = None
    trial_ends: datetime | None = None
    ended: bool = False
    version: int = 0

    @property
    def left(self) -> int:
        """Seats that can be given for good: neither used nor cancelled."""
        return max(0, self.seats - max(self.used, 0) - self.leaving)

    @property
    def is_trial(self) -> bool:
        return self.trial_ends is not None

    @property
    def paid(self) -> int:
        return 0 if self.is_trial else self.seats


class Grant(Fact):
    id: str
    product: str
    subscription: str
    holder: HolderRef
    since: datetime
    works_from: datetime
    until: datetime | None = None
    version: int = 0
