"""Budgets a month, of sites and cost centres, and how this month stands to them."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from sedge.core.access.roles import May
from sedge.core.amounts import locale_of, read_amount
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money, in_words
from sedge.core.records import ORGANISATION, Site
from sedge.core.spend.months import Month
from sedge.services.context import Context
from sedge.services.spend import costs, overview
from sedge.services.spend.rates.rate_decks import read_currency
from sedge.store.repositories.spend import settings as spend_settings

PREFIX = "budget "
GROUPS = ("site", "cost_centre")
LONGEST_KEY = 80


@dataclass(frozen=True)
class Budget:
    """`spent` so far this month, `expected` by its end."""

    group: str
    key: str
    name: str
    amount: Money
    spent: Money
    expected: Money

    @property
    def over(self) -> Money | None:
        """By how much it will be passed; None where it will not."""
        more = self.expected - self.amount
        return more if more.amount > 0 else None

    @property
    def share(self) -> int:
        """Of the budget that is spent, in hundredths."""
        return int(self.spent.amount * 100 / self.amount.amount) if self.amount.amount else 100


def view(context: Context) -> list[Budget]:
    """Those that will be passed first."""
    context.require(May.SEE_MONEY)
    with context.reading() as reading:
        known = spend_settings.read_all(reading.connection, PREFIX)
    if not known:
        return []
    month = Month.of(context.now())
    found: list[Budget] = []
    for group in GROUPS:
        mine = {k.partition(":")[2]: v for k, v in known.items() if k.startswith(f"{group}:")}
        if not mine:
            continue
        rows = {
            (s.currency, row.key): row
            for s in costs.statements(context, month, group)
            for row in s.rows
        }
        names = costs.names(context, group, mine)
        share = overview.share_so_far(context, month)
        for key, body in mine.items():
            amount = Money.model_validate(body)
            row = rows.get((amount.currency, key))
            spent = row.total if row else Decimal(0)
            calls = row.call_fees if row else Decimal(0)
            more = overview.expected_calls(context, month, calls, share) - calls
            found.append(
                Budget(
                    group,
                    key,
                    names[key],
                    amount,
                    Money(amount=spent, currency=amount.currency),
                    Money(amount=spent + more, currency=amount.currency).rounded(),
                )
            )
    return sorted(found, key=lambda b: (b.over is None, b.name))


def set_budget(context: Context, group: str, key: str, amount: str, currency: str = "") -> None:
    """Set the monthly budget of a site or a cost centre; empty takes it away. Raises NotUnderstood
    naming the field, NotFound."""
    context.require(May.KEEP_BOOKS)
    if group not in GROUPS:
        raise NotUnderstood("A budget is a site's or a cost centre's.", field="group")
    key = key.strip()
    if not 1 <= len(key) <= LONGEST_KEY:
        raise NotUnderstood("Say whose budget it is.", field="key")
    code = read_currency(currency or costs.home_currency(context))
    money: Money | None = None
    if amount.strip():
        locale = locale_of(context.organisation.home_country)
        value = read_amount(amount, code, locale, field="amount")
        if value <= 0:
            raise NotUnderstood("A budget is more than nothing.", field="amount")
        money = Money(amount=value, currency=code)
    with context.writing() as writing:
        name = writing.records.the(Site, key).name if group == "site" else key
        body = money.model_dump(mode="json") if money else None
        spend_settings.keep(writing.connection, f"{PREFIX}{group}:{key}", body)
        title = f"{name}: {in_words(money) if money else 'none'}"
        writing.record_event("budget.set", Subject.DEFAULTS, ORGANISATION, title)


def passed(found: Sequence[Budget]) -> list[Budget]:
    return [budget for budget in found if budget.over is not None]
