"""The currency that an organisation wants to see its spend in, and the rates for it."""

from datetime import date
from decimal import Decimal

from sqlalchemy import Connection

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotFound
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
from sedge.services.context import Desk
from sedge.services.spend import costs
from sedge.store.repositories.spend import settings as spend_settings

NAME = "exchange"


def view(desk: Desk) -> Exchange:
    """That of the home country until somebody chooses another."""
    desk.require(May.SEE_MONEY)
    with desk.reading() as reading:
        return _read(reading.connection, costs.home_currency(desk))


def _read(connection: Connection, home: str) -> Exchange:
    known = spend_settings.read(connection, NAME)
    if known is None:
        return Exchange(home)
    rates = (
        ExchangeRate(code, date.fromisoformat(day), Decimal(rate))
        for code, day, rate in known["rates"]
    )
    return Exchange(known["chosen"], tuple(rates))


def _keep(desk: Desk, exchange: Exchange, action: str, title: str) -> Exchange:
    rates = [[r.currency, r.day.isoformat(), format(r.rate, "f")] for r in exchange.rates]
    with desk.writing() as writing:
        body = {"chosen": exchange.chosen, "rates": rates}
        spend_settings.keep(writing.connection, NAME, body)
        writing.remark(action, Subject.DEFAULTS, ORGANISATION, title)
    return exchange


def choose(desk: Desk, currency: str) -> Exchange:
    """Another chosen currency. Rates into the one before are of no use for it and go. Raises
    NotUnderstood."""
    desk.require(May.KEEP_BOOKS)
    chosen, before = read_currency(currency), view(desk)
    if chosen == before.chosen:
        return before
    return _keep(desk, Exchange(chosen), "spend.currency-chosen", chosen)


def add_rates(desk: Desk, text: str) -> Exchange:
    """Rates as they are pasted. Raises NotUnderstood naming the line; then nothing is kept."""
    desk.require(May.KEEP_BOOKS)
    before = view(desk)
    rates = read_rates(text, before.chosen, desk.now().date())
    title = f"{counted(len(rates), 'rate')} into {before.chosen}"
    return _keep(desk, before.with_rates(rates), "spend.rates-typed", title)


def remove_rate(desk: Desk, currency: str, day: str) -> Exchange:
    """Raises NotFound."""
    desk.require(May.KEEP_BOOKS)
    before = view(desk)
    left = [r for r in before.rates if (r.currency, r.day.isoformat()) != (currency, day)]
    if len(left) == len(before.rates):
        raise NotFound("There is no such rate.", subject="rate", id=f"{currency} {day}")
    after = Exchange(before.chosen, tuple(left))
    return _keep(desk, after, "spend.rate-removed", f"{currency} of {day}")


def in_all(desk: Desk, month: Month, amounts: list[Money]) -> Converted | None:
    """What a month comes to in the chosen currency, by the rates of its last day; None where
    everything is in it anyway."""
    exchange = view(desk)
    if all(amount.currency == exchange.chosen for amount in amounts):
        return None
    return exchange.convert(amounts, min(month.last, desk.now().date()))
