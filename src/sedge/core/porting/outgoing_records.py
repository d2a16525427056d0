"""A port out: numbers that another carrier asks ours to let go, what it says of us, and what we
answered."""

from datetime import datetime
from enum import StrEnum

from sedge.core.facts import Fact
from sedge.core.porting.records import AccountDetails, Said


class PortOutState(StrEnum):
    ASKED = "asked"
    APPROVED = "approved"
    REFUSED = "refused"
    GONE = "gone"
    WITHDRAWN = "withdrawn"
    UNASKED = "gone unasked"
    CLAIMED = "claimed back"
    RETURNED = "returned"

    @property
    def waits_for_us(self) -> bool:
        """Somebody has to decide."""
        return self in {PortOutState.ASKED, PortOutState.UNASKED}

    @property
    def is_asked(self) -> bool:
        return self is PortOutState.ASKED

    @property
    def went_unasked(self) -> bool:
        return self is PortOutState.UNASKED

    @property
    def is_claimed(self) -> bool:
        return self is PortOutState.CLAIMED

    @property
    def is_approved(self) -> bool:
        return self is PortOutState.APPROVED

    @property
    def has_gone(self) -> bool:
        """With our word."""
        return self is PortOutState.GONE


class PortOut(Fact):
    """`account` is ours at the carrier that is to lose the numbers, `gaining` who asks for them,
    `given` what they say of our account. We have until `answer_due`, numbers go `goes_at` once we
    have agreed. `code` is the trade's for a refusal; `theirs` the carrier's id of the request;
    `clean_up` the work order that sets right what depended on the numbers."""

    id: str
    no: int
    account: str
    carrier: str
    gaining: str
    numbers: tuple[str, ...]
    given: AccountDetails = AccountDetails()
    asked_at: datetime
    answer_due: datetime
    goes_at: datetime | None = None
    state: PortOutState = PortOutState.ASKED
    code: str = ""
    said: tuple[Said, ...] = ()
    theirs: str = ""
    clean_up: str = ""
    version: int = 0

    @property
    def is_open(self) -> bool:
        """Whether something of it is still to come, or to be done by us."""
        if self.state is PortOutState.GONE:
            return not self.clean_up
        return self.state in {
            PortOutState.ASKED,
            PortOutState.APPROVED,
            PortOutState.UNASKED,
            PortOutState.CLAIMED,
        }
