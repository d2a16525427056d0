"""Money: what the numbers of an account cost a month, and how long its balance
lasts."""

from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import func, select

from sedge.core.carriers.runway import Runway, runway
from sedge.core.facts import Money
from sedge.core.numbers.life import State
from sedge.core.records import Account, Carrier
from sedge.services.context import Context
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables


@dataclass(frozen=True)
class AccountOutlook:
    """`runway` is None for an account on credit, and for one that pays for nothing."""

    account: Account
    carrier: Carrier
    numbers: int
    monthly: Money
    runway: Runway | None


def outlooks(context: Context) -> dict[str, AccountOutlook]:
    """Every account's outlook, by its id. What numbers cost is added up every minute at most."""
    costs = context.installation.for_a_while(
        context, "monthly by account", lambda: _costs(context), minutes=1
    )
    with context.reading() as reading:
        accounts = reading.records.all(Account)
        carriers = {c.id: c for c in reading.records.all(Carrier)}
    today = context.now().date()
    found = {}
    for account in accounts:
        numbers, hundredths = costs.get(account.id, (0, 0))
        monthly = Money(amount=Decimal(hundredths) / 100, currency=account.balance.currency)
        ahead = None
        if account.prepaid and hundredths:
            ahead = runway(
                account.balance,
                account.low_mark,
                monthly,
                today,
                grace_of(account, carriers[account.carrier]),
            )
        found[account.id] = AccountOutlook(
            account, carriers[account.carrier], numbers, monthly, ahead
        )
    return found


def grace_of(account: Account, carrier: Carrier) -> int:
    """Days without cover after which service stops."""
    return carrier.suspends_days if account.grace_days is None else account.grace_days


def _costs(context: Context) -> dict[str, tuple[int, int]]:
    life = tables.life
    query = (
        select(life.c.account, func.count(), func.sum(life.c.price))
        .where(is_open(), life.c.state != State.PORTING_IN.value)
        .group_by(life.c.account)
    )
    with context.reading() as reading:
        return {
            account: (count, int(price or 0))
            for account, count, price in reading.connection.execute(query)
        }
