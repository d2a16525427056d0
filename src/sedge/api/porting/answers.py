"""What the JSON interface answers: ports in and out."""

from typing_extensions import TypedDict

from sedge.core.holding import HolderRef


class ChangeFreezeOut(TypedDict):
    id: str
    first: str
    last: str
    why: str
    site: str | None


class PortOutOut(TypedDict):
    id: str
    no: int
    state: str
    gaining: str
    account: str
    numbers: list[str]
    asked_at: str
    answer_due: str
    code: str | None
    goes_at: str | None


class PortOutDetailGivenOut(TypedDict):
    name: str
    account: str


class PortOutDetailDoubtOut(TypedDict):
    code: str
    says: str
    theirs: str
    ours: str


class PortOutDetailDependOut(TypedDict):
    number: str
    what: str
    so: str
    grave: bool


class PortOutDetailSaidOut(TypedDict):
    at: str
    by: str
    text: str
    code: str | None


class PortOutDetailOut(PortOutOut):
    given: PortOutDetailGivenOut
    doubts: list[PortOutDetailDoubtOut]
    depends: list[PortOutDetailDependOut]
    clean_up: str | None
    said: list[PortOutDetailSaidOut]


class PinKeptOut(TypedDict):
    account: str
    kept: bool


class PortRowOut(TypedDict):
    id: str
    no: int
    losing: str
    state: str
    numbers: int
    foc: str | None


class EarliestOut(TypedDict):
    date: str
    opens: str
    closes: str
    timezone: str
    size: str
    working_days: int
    day_zero: str
    reasons: list[str]


class PortPlanPortNumberOut(TypedDict):
    e164: str
    eligible: bool
    reasons: list[str]
    hangs: str | None


class PortPlanPortOut(TypedDict):
    losing: str
    account: str
    country: str
    toll_free: bool
    code_of_each: str | None
    questions: list[str]
    numbers: list[PortPlanPortNumberOut]
    left_behind: list[str]
    earliest: EarliestOut | None


class PortPlanRefusedOut(TypedDict):
    e164: str
    reasons: list[str]


class PortPlanOut(TypedDict):
    ports: list[PortPlanPortOut]
    refused: list[PortPlanRefusedOut]


class PortNumberOut(TypedDict):
    e164: str
    eligible: bool
    reasons: list[str]
    hangs: str | None
    code: str | None


class PortLackingOut(TypedDict):
    what: str
    done: bool
    says: str


class PortRejectionOut(TypedDict):
    code: str
    text: str
    remedy: str
    field: str


class PortSaidOut(TypedDict):
    at: str
    by: str
    what: str
    text: str
    code: str | None


class PortOut(TypedDict):
    id: str
    no: int
    state: str
    losing: str
    to_account: str
    site: str
    account: dict[str, str]
    wanted_date: str | None
    signed: str | None
    numbers: list[PortNumberOut]
    left_behind: list[str]
    lacking: list[PortLackingOut]
    earliest: EarliestOut | None
    foc: str | None
    answer_due: str | None
    silent: bool
    wrong_day: str | None
    back_out_until: str | None
    toll_free: bool
    subdivision: str | None
    bill: str | None
    rejection: PortRejectionOut | None
    said: list[PortSaidOut]


class PortsBegunOut(TypedDict):
    items: list[PortOut]


class PortHoldersItemProposedOut(TypedDict):
    holder: HolderRef
    why: str
    sure: bool


class PortHoldersItemOut(TypedDict):
    number: str
    used_for: str | None
    holder: HolderRef | None
    role: str
    spot: str | None
    path: str | None
    fallback: str | None
    proposed: PortHoldersItemProposedOut | None


class PortHoldersOut(TypedDict):
    features: list[str]
    may_be_switched_on: list[str]
    items: list[PortHoldersItemOut]
