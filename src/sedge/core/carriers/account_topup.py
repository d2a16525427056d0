"""Keeping an account in money: when it is low, when the top-up rule pays in, what it has paid
in."""

from datetime import datetime
from decimal import Decimal

from sedge.core.records import Account


def is_low(account: Account) -> bool:
    """At or under its low mark; one that has never been paid into is not low, it has not begun."""
    return not account.receives_only and account.balance.amount <= account.low_mark.amount


def wants_top_up(account: Account, now: datetime) -> bool:
    """Whether the rule pays in now: at or under its mark, and within what it may pay in this
    month."""
    rule = account.top_up
    if rule is None or account.balance.amount > rule.at or account.receives_only:
        return False
    return account.topped_up.get(_month(now), Decimal(0)) + rule.amount <= rule.most_a_month


def topped_up(account: Account, amount: Decimal, now: datetime) -> Account:
    """The account that remembers what its rule has paid in this month."""
    month = _month(now)
    return account.copy_with(topped_up={month: account.topped_up.get(month, Decimal(0)) + amount})


def _month(now: datetime) -> str:
    return f"{now:%Y-%m}"
