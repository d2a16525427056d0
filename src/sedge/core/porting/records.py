"""A port: numbers that move from one carrier's account to another, with everything that was said about it."""

from datetime import date, datetime
from enum import StrEnum
from typing import Literal

from sedge.core.facts import Fact


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


class AccountDetails(Fact):
    """The account at the losing carrier, word for word as on its bill. `pin` is what it asks for before it lets numbers go;
    `main_number` (E.164) the account's main billing number, `new_main_number` which takes its place when the main one moves."""

    name: str = ""
    address: str = ""
    account: str = ""
    pin: str = ""
    main_number: str = ""
    new_main_number: str = ""


class PortLine(Fact):
    """One number of a port. `code` is the number's own, where the country has one; `hangs` what else uses its line (alarm, lift …);
    `refused` why the losing carrier leaves it behind."""

    e164: str
    code: str = ""
    hangs: str = ""
    refused: str = ""


class Said(Fact):
    """Something one side said. `code` is the trade's for a rejection or query; `document` the id of an attachment."""

    at: datetime
    by: str
    what: Literal["submitted", "rejected", "queried", "answered", "accepted", "dated", "date asked", "cancelled", "split", "noted"]
    text: str = ""
    code: str = ""
    document: str = ""


class Port(Fact):
    """`losing` is the losing carrier's name, `account` our account at the gaining one, `placed_as` that carrier's id of the port, `replaces` the
    one it had when it was rejected, until it has been asked for again.
    `settled` are the questions of what hangs on the account that somebody has answered; `foc` when numbers are switched."""

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
    version: int = 0

    @property
    def numbers(self) -> tuple[str, ...]:
        """Those that still are to move (E.164)."""
        return tuple(line.e164 for line in self.lines if not line.refused)

    @property
    def is_open(self) -> bool:
        return self.state not in {PortState.CLOSED, PortState.CANCELLED, PortState.BACKED_OUT}
