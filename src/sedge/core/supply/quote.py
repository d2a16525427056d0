"""What an order costs: once, in its first month, and each month after. Tax not included."""

import calendar
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from sedge.core.facts import Money
from sedge.core.records import Account
from sedge.core.supply.offers import StockNumber


def pro_rata(monthly: Money, start: date) -> Money:
    """First month's charge for a number in service from `start` (that day included) to the month's
    end.

    Rounded half up to the currency's minor unit. Tax not included.
    """
    days = calendar.monthrange(start.year, start.month)[1]
    return monthly.times(Decimal(days - start.day + 1) / Decimal(days)).rounded()


@dataclass(frozen=True)
class Quote:
    """`due_now` is set-up alone; the first month is charged when the numbers are delivered. `short`
    is what is missing."""

    setup: Money
    features_monthly: Money
    first_month: Money
    monthly: Money
    balance_before: Money
    balance_after: Money
    short: Money | None


def quote(
    numbers: Sequence[StockNumber], features: Sequence[str], account: Account, start: date
) -> Quote:
    """The quote for ordering these numbers today."""
    currency = numbers[0].setup.currency
    zero = Money(amount=Decimal(0), currency=currency)
    setup, monthly, extra = zero, zero, zero
    for n in numbers:
        setup, monthly = setup + n.setup, monthly + n.monthly
        for name in features:
            if name in n.features:
                extra = extra + n.features[name]
    whole = monthly + extra
    after = account.balance - setup
    short = (
        Money(amount=-after.amount, currency=currency)
        if account.prepaid and after.amount < 0
        else None
    )
    return Quote(setup, extra, pro_rata(whole, start), whole, account.balance, after, short)
