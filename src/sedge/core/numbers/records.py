"""A number, and to whom it is given."""

from datetime import date, datetime

from sedge.core.enums import Capacity, Role
from sedge.core.facts import Fact, Money
from sedge.core.holding import HolderRef
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind

KnownAs = dict[str, str]  # ids by the name of the other system


class Assignment(Fact):
    """A number given to a holder, from `since`; calls reach the holder from `works_from`."""

    holder: HolderRef
    role: Role
    since: datetime
    works_from: datetime


class Number(Fact):
    """One open (or ended) life of an E.164 number. `id` is the life's; `e164` is `+` and digits.

    `bound_until` is the end of its minimum term at the carrier: until then it is paid for, released
    or not. `held_before` is the name of who had it last, until `held_until`. `announcement` is what
    callers hear while it rests. `caller_name` is the name the carrier was told to show with calls
    out (CNAM), '' for none. `features_from` says from when those features work that were
    switched on later than the number was delivered.
    """

    id: str
    e164: str
    capacity: Capacity = Capacity.ANY
    state: State
    state_before: State | None = None
    state_until: datetime | None = None
    state_reason: str = ""
    usable_from: datetime | None = None
    leaving_on: datetime | None = None
    bound_until: date | None = None
    account: str
    carrier: str
    order: str | None = None
    site: str
    assignment: Assignment | None = None
    reserved_for: HolderRef | None = None
    held_before: str = ""
    held_until: datetime | None = None
    spot: str | None = None
    registered_spot: str | None = None
    path: str | None = None
    trunk: str | None = None
    fallback: str = ""
    announcement: str = ""
    caller_name: str = ""
    label: str = ""
    note: str = ""
    tags: tuple[str, ...] = ()
    cost_centre: str = ""
    monthly: Money
    features: tuple[str, ...] = ()
    features_from: dict[str, datetime] = {}
    known_as: KnownAs = {}
    version: int = 0

    @property
    def country(self) -> str:
        return describe(self.e164).country

    @property
    def national(self) -> str:
        return describe(self.e164).national

    @property
    def shown(self) -> str:
        """As its reader has to see it: see `NumberFacts.shown`."""
        return describe(self.e164).shown

    @property
    def kind(self) -> Kind:
        return describe(self.e164).kind

    @property
    def holder(self) -> HolderRef | None:
        return self.assignment.holder if self.assignment else None

    @property
    def in_use(self) -> bool:
        """Whether calls to it ring somebody: also while it is on its way to another carrier, until
        it has gone."""
        return self.assignment is not None and self.state in {State.ASSIGNED, State.PORTING_OUT}

    @property
    def needs_attention(self) -> bool:
        """What can be told from the number alone; findings over the whole estate are asked for on
        Today."""
        return self.in_use and (self.spot is None or self.trunk is None)
