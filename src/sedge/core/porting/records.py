"""A port: numbers that move from one carrier's account to another, with everything that was said
about it."""

from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import Literal

from sedge.core.enums import Role
from sedge.core.facts import Fact
from sedge.core.holding import HolderRef

GRACE = timedelta(minutes=30)  # after a promised hour, before anybody is called silent


class PortState(StrEnum):
    DRAFT = "draft"
    READY = "papers ready"
    SUBMITTED = "submitted"
    QUERIED = "queried"
    REJECTED = "rejected"
    ACCEPTED = "accepted"
    DUE = "activation due"
    ACTIVATED = "activated"
    PROVEN = "proven"
    CLOSED = "closed"
    CANCELLED = "cancelled"
    BACKED_OUT = "backed out"

    @property
    def is_before_submitting(self) -> bool:
        return self in {PortState.DRAFT, PortState.READY}

    @property
    def may_be_changed(self) -> bool:
        """What is asked of the losing carrier is still, or again, ours to write."""
        return self.is_before_submitting or self is PortState.REJECTED

    @property
    def is_ready(self) -> bool:
        return self is PortState.READY

    @property
    def is_queried(self) -> bool:
        return self is PortState.QUERIED

    @property
    def may_be_switched(self) -> bool:
        return self in {PortState.ACCEPTED, PortState.DUE}

    @property
    def is_switched(self) -> bool:
        """And nothing has been proven yet."""
        return self is PortState.ACTIVATED

    @property
    def is_backed_out(self) -> bool:
        return self is PortState.BACKED_OUT

    @property
    def is_given_up(self) -> bool:
        return self in {PortState.CANCELLED, PortState.BACKED_OUT}


class AccountDetails(Fact):
    """The account at the losing carrier, word for word as on its bill. `pin` is what it asks for
    before it lets numbers go; `main_number` (E.164) the account's main billing number,
    `new_main_number` which takes its place when the main one moves.
    """

    name: str = ""
    address: str = ""
    account: str = ""
    pin: str = ""
    main_number: str = ""
    new_main_number: str = ""


# how a line says that it is the one the losing carrier bills by
MAIN_BILLING_NUMBER = "main billing number"


class PortLine(Fact):
    """One number of a port. `code` is the number's own, where the country has one; `hangs` what
    else uses its line (alarm, lift …); `used_for` whose it is today, as the losing carrier lists
    it; `refused` why the losing carrier leaves it behind.

    From the switch on `holder` has it (nobody: it is free then), in `role`, at `spot` (none: where
    the holder is), following `path`, with `fallback` (E.164) while its trunk is down."""

    e164: str
    code: str = ""
    hangs: str = ""
    used_for: str = ""
    refused: str = ""
    holder: HolderRef | None = None
    role: Role = Role.MAIN
    spot: str | None = None
    path: str | None = None
    fallback: str = ""

    @property
    def is_main_billing_number(self) -> bool:
        return self.hangs == MAIN_BILLING_NUMBER

    @property
    def carries_something(self) -> bool:
        """An alarm, a lift or the like uses the line."""
        return bool(self.hangs) and not self.is_main_billing_number


class Said(Fact):
    """Something one side said. `code` is the trade's for a rejection or query; `document` the id of
    an attachment."""

    at: datetime
    by: str
    what: Literal[
        "submitted",
        "rejected",
        "queried",
        "answered",
        "accepted",
        "dated",
        "date asked",
        "cancelled",
        "split",
        "noted",
        "reminded",
        "backed out",
    ]
    text: str = ""
    code: str = ""
    document: str = ""


class Port(Fact):
    """`losing` is the losing carrier's name, `account` our account at the gaining one, `placed_as`
    that carrier's id of the port, `replaces` the one it had when it was rejected, until it has been
    asked for again. `settled` are the questions of what hangs on the account that somebody has
    answered; `foc` when numbers are switched. `features` are switched on for each number then;
    `back_out_until` is when the numbers can't go back any more. A `toll_free` one changes the
    responsible organisation instead of the carrier. `bill` is the document the account was copied
    from."""

    id: str
    no: int
    losing: str
    country: str
    subdivision: str = ""
    account: str
    site: str
    details: AccountDetails = AccountDetails()
    lines: tuple[PortLine, ...]
    left_behind: tuple[str, ...] = ()
    settled: tuple[str, ...] = ()
    state: PortState = PortState.DRAFT
    wanted: date | None = None
    submitted_at: datetime | None = None
    answer_due: datetime | None = None
    foc: datetime | None = None
    signed: str = ""
    said: tuple[Said, ...] = ()
    placed_as: str | None = None
    replaces: str | None = None
    key: str = ""
    features: tuple[str, ...] = ()
    back_out_until: datetime | None = None
    toll_free: bool = False
    bill: str = ""
    version: int = 0

    def line(self, e164: str) -> PortLine | None:
        return next((x for x in self.lines if x.e164 == e164), None)

    @property
    def numbers(self) -> tuple[str, ...]:
        """Those that still are to move (E.164)."""
        return tuple(line.e164 for line in self.lines if not line.refused)

    def is_silent(self, now: datetime) -> bool:
        """Whether the losing carrier is past the time it has to answer in."""
        return (
            self.state is PortState.SUBMITTED
            and self.answer_due is not None
            and self.answer_due + GRACE < now
        )

    @property
    def is_open(self) -> bool:
        return self.state not in {PortState.CLOSED, PortState.CANCELLED, PortState.BACKED_OUT}


class KeptFree(Fact):
    """Days on which nothing is switched, `first` to `last`, both included: at one site, or
    anywhere. `given_back`: something may be, after all."""

    id: str
    first: date
    last: date
    why: str
    site: str | None = None
    given_back: bool = False
    version: int = 0

    def counts_at(self, site: str) -> bool:
        return not self.given_back and self.site in (None, site)
