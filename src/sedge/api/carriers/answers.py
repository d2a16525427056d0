"""What the JSON interface answers: accounts, their movements, drift."""

from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, money
from sedge.core.carriers.tasks import DriftWord
from sedge.core.records import Account
from sedge.services.carriers.balances import AccountOutlook


class AccountOut(TypedDict):
    id: str
    name: str
    currency: str
    balance: MoneyOut | None
    prepaid: bool
    monthly: MoneyOut | None
    low_on: str | None
    empty_on: str | None


class AccountDetailTopUpOut(TypedDict):
    at: str
    amount: str
    most_a_month: str


class AccountDetailOut(AccountOut):
    carrier: str
    countries: list[str]
    contact: str
    receives_only: bool
    alert_mail: str
    alert_phone: str
    grace_days: int | None
    top_up: AccountDetailTopUpOut | None


class AccountWithKeyOut(AccountDetailOut):
    has_key: bool


class MovesOut(TypedDict):
    at: str
    action: str
    amount: MoneyOut
    balance: MoneyOut


class DriftAccountOut(TypedDict):
    id: str
    compared_at: str | None
    listed: int
    here: int
    problem: str | None
    differ: dict[str, int]
    accepted: int


class DriftItemOut(TypedDict):
    id: str
    account: str
    number: str
    kind: DriftWord
    ours: str
    theirs: str
    means: str
    grave: bool
    since: str
    accepted_by: str | None
    why: str | None


class DriftOut(TypedDict):
    accounts: list[DriftAccountOut]
    items: list[DriftItemOut]
    total: int
    next: None


class DriftAcceptedOut(TypedDict):
    accepted: int


class AccountOpenedOut(TypedDict):
    """`key` is told this once; `problem` says why it could not be opened, or paid into."""

    name: str
    id: str | None
    key: str | None
    problem: str | None


class AccountsOpenedOut(TypedDict):
    items: list[AccountOpenedOut]


def account_out(found: Account, ahead: AccountOutlook | None) -> AccountOut:
    """`ahead` is for those who may see money: balance, what the numbers cost a month, and the days
    that follow from both."""
    left = ahead.runway if ahead else None
    return {
        "id": found.id,
        "name": found.name,
        "currency": found.balance.currency,
        "balance": money(found.balance) if ahead else None,
        "prepaid": found.prepaid,
        "monthly": money(ahead.monthly) if ahead else None,
        "low_on": str(left.low_on) if left and left.low_on else None,
        "empty_on": str(left.empty_on) if left and left.empty_on else None,
    }
