"""The currency that an organisation wants to see its spend in, and the rates for it."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal

from sqlalchemy import Connection

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, NotFound
from sedge.core.facts import Money, counted
from sedge.core.records import ORGANISATION
from sedge.core.spend.months import Month
from sedge.core.spend.rates.exchange import (
    Converted,
    Exchange,
    ExchangeRate,
    read_currency,
    read_rates,
)
from sedge.services.context import Context
from sedge.services.spend import costs
from sedge.store.repositories.spend import settings as spend_settings

NAME = "exchange"


def view(context: Context) -> Exchange:
    """That of the home country until somebody chooses another."""
    context.require(May.SEE_MONEY)
    with context.reading() as reading:
        return _read(reading.connection, costs.home_currency(context))


def _read(connection: Connection, home: str) -> Exchange:
    known = spend_settings.read(connection, NAME)
    if known is None:
        return Exchange(home)
    rates = (
        ExchangeRate(code, date.fromisoformat(day), Decimal(rate))
        for code, day, rate in known["rates"]
    )
    return Exchange(known["chosen"], tuple(rates))


def _change(
    context: Context, make: Callable[[Exchange], Exchange], action: str, title: str
) -> Exchange:
    """What is there is read in the same transaction, so that two at once lose nothing."""
    context.require(May.KEEP_BOOKS)
    with context.writing() as writing:
        before = _read(writing.connection, costs.home_currency(context))
        after = make(before)
        if after != before:
            rates = [[r.currency, r.day.isoformat(), format(r.rate, "f")] for r in after.rates]
            body = {"chosen": after.chosen, "rates": rates}
            spend_settings.keep(writing.connection, NAME, body)
            writing.record_event(action, Subject.DEFAULTS, ORGANISATION, title)
    return after


def choose(context: Context, currency: str) -> Exchange:
    """Another chosen currency. Rates into the one before are of no use for it and go. Raises
    NotUnderstood."""
    chosen = read_currency(currency)

    def changed(before: Exchange) -> Exchange:
        return before if chosen == before.chosen else Exchange(chosen)

    return _change(context, changed, "spend.currency-chosen", chosen)


def add_rates(context: Context, text: str) -> Exchange:
    """Rates as they are pasted. Raises NotUnderstood naming the line; then nothing is kept."""
    chosen = view(context).chosen
    rates = read_rates(text, chosen, context.now().date())

    def changed(before: Exchange) -> Exchange:
        if before.chosen != chosen:
            message = f"The currency is {before.chosen} by now. Type the rates for it."
            raise NotAllowedNow(message, reason="currency")
        return before.with_rates(rates)

    title = f"{counted(len(rates), 'rate')} into {chosen}"
    return _change(context, changed, "spend.rates-typed", title)


def remove_rate(context: Context, currency: str, day: str) -> Exchange:
    """Raises NotFound."""

    def changed(before: Exchange) -> Exchange:
        left = [r for r in before.rates if (r.currency, r.day.isoformat()) != (currency, day)]
        if len(left) == len(before.rates):
            message = "This rate has been removed already."
            raise NotFound(message, subject="rate", id=f"{currency} {day}")
        return Exchange(before.chosen, tuple(left))

    return _change(context, changed, "spend.rate-removed", f"{currency} of {day}")


def in_all(context: Context, month: Month, amounts: list[Money]) -> Converted | None:
    """What a month comes to in the chosen currency, by the rates of its last day; None where
    everything is in it anyway."""
    exchange = view(context)
    if all(amount.currency == exchange.chosen for amount in amounts):
        return None
    return exchange.convert(amounts, min(month.last, context.now().date()))
