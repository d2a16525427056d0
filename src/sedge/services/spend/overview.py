"""The overview of spend: a month, its forecast, why it differs from the one before."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from itertools import groupby

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.facts import Money
from sedge.core.spend import costs as core
from sedge.core.spend.costs import Step
from sedge.core.spend.forecast import share_by, whole_month
from sedge.core.spend.months import Month, last_months
from sedge.core.spend.rates.rate_decks import amount_of
from sedge.services.context import Context
from sedge.services.spend import costs
from sedge.services.spend.costs import Statement
from sedge.store.schema import spend

MONTHS_SHOWN = 13
MONTHS_BEFORE = 3  # by whose pace this one is forecast
LEAST_TOLD = Decimal("0.01")
MOST_STEPS = 8


@dataclass(frozen=True)
class InCurrency:
    """A month in one currency. `expected` by its end (None for one that is over); `before` is the
    month before as far as it went by the same day; `steps` say why this one differs from the whole
    of it."""

    statement: Statement
    expected: Money | None
    before: Money
    steps: list[Step]
    names: dict[str, str]

    @property
    def total(self) -> Money:
        return Money(amount=self.statement.total.total, currency=self.statement.currency)

    @property
    def change(self) -> Money:
        return (self.expected or self.total) - self.before


@dataclass(frozen=True)
class Overview:
    month: Month
    by: str
    currencies: list[InCurrency]
    months: list[tuple[Month, dict[str, Decimal]]]


def view(context: Context, month: Month, by: str) -> Overview:
    """Raises NotUnderstood for a group that there is not."""
    context.require(May.SEE_MONEY)
    now = costs.statements(context, month, by)
    before = {s.currency: s for s in costs.statements(context, month.later(-1), by)}
    share = share_so_far(context, month)
    is_open = month == Month.of(context.now())
    found: list[InCurrency] = []
    for statement in now:
        old = before.get(statement.currency) or costs.nothing(month.later(-1), statement.currency)
        steps = core.differences(old.rows, statement.rows, LEAST_TOLD)[:MOST_STEPS]
        names = costs.names(
            context, by, {*(r.key for r in statement.rows), *(s.key for s in steps)}
        )
        expected = None
        if is_open:
            calls = statement.total.call_fees
            whole = expected_calls(context, month, calls, share)
            amount = statement.total.total - calls + whole
            expected = Money(amount=amount, currency=statement.currency).rounded()
        total = Money(amount=old.total.total, currency=statement.currency)
        found.append(InCurrency(statement, expected, total, steps, names))
    return Overview(month, by, found, _months(context))


def _months(context: Context) -> list[tuple[Month, dict[str, Decimal]]]:
    """What the last months cost in all, by currency, oldest first."""
    found: list[tuple[Month, dict[str, Decimal]]] = []
    for month in last_months(context.now(), MONTHS_SHOWN):
        sums = {s.currency: s.total.total for s in costs.statements(context, month, "kind")}
        found.append((month, sums))
    while len(found) > 1 and not found[0][1]:
        found.pop(0)
    return found


def share_so_far(context: Context, month: Month) -> Decimal | None:
    """The share of their calls' money that earlier months had spent by this day."""
    day = context.now().day
    return context.installation.while_unchanged(
        context, f"pace of {month} {day}", lambda: _share(context, month, day), minutes=60
    )


def _share(context: Context, month: Month, day: int) -> Decimal | None:
    table = spend.usage_day
    first = month.later(-MONTHS_BEFORE).first
    query = (
        select(table.c.day, func.sum(table.c.cost))
        .where(table.c.day >= first.isoformat(), table.c.day < month.first.isoformat())
        .group_by(table.c.day)
        .order_by(table.c.day)
    )
    with context.reading() as reading:
        rows = [(d, amount_of(cost)) for d, cost in reading.connection.execute(query)]
    return share_by(day, [_days(group) for _, group in groupby(rows, key=lambda row: row[0][:7])])


def _days(rows: Iterable[tuple[str, Decimal]]) -> list[Decimal]:
    by_day = {int(day[8:]): money for day, money in rows}
    return [by_day.get(n, Decimal(0)) for n in range(1, max(by_day) + 1)]


def expected_calls(
    context: Context, month: Month, so_far: Decimal, share: Decimal | None
) -> Decimal:
    yesterday = context.now() - timedelta(days=1)
    day = max(1, yesterday.day if Month.of(yesterday) == month else 1)
    return whole_month(so_far, max(day, context.now().day), month.days, share)
