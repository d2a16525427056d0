"""What a month costs, and the rate decks by which calls are priced."""

from fastapi import Request
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool
from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, Page, moment, money
from sedge.api.imports.files import TheFile
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.facts import Money
from sedge.core.spend.months import Month
from sedge.core.spend.rates.exchange import Converted, ExchangeRate, read_currency
from sedge.core.spend.rates.rate_decks import per_minute
from sedge.services.spend import costs, exchange
from sedge.services.spend.costs import Statement
from sedge.services.spend.rates import rate_decks

resource = Resource(tags=["spend"])


class CostRowOut(TypedDict):
    """What a group cost: its numbers' fees, its licence seats, its calls, what was paid once."""

    key: str
    name: str
    number_count: int
    call_count: int
    numbers: MoneyOut
    seats: MoneyOut
    calls: MoneyOut
    once: MoneyOut
    total: MoneyOut


class SpendInCurrencyOut(TypedDict):
    month: str
    currency: str
    items: list[CostRowOut]
    total: MoneyOut


class ExchangeRateOut(TypedDict):
    """From a day on one unit of a currency is worth so many of the chosen one."""

    currency: str
    day: str
    rate: str


class InAllOut(TypedDict):
    """The month in the chosen currency, `by` these rates; `left_out` has no rate."""

    total: MoneyOut
    by: list[ExchangeRateOut]
    left_out: list[MoneyOut]


class ExchangeOut(TypedDict):
    chosen: str
    rates: list[ExchangeRateOut]


class ExchangeRatesAsked(BaseModel):
    """A rate a line: day, currency, how many of the chosen currency for one unit."""

    model_config = ConfigDict(extra="forbid")
    rates: str = Field(default="", max_length=1_000_000)
    chosen: str = Field(default="", max_length=3, description="empty: as it is")


class SpendOut(SpendInCurrencyOut):
    """`others`: the same month in other currencies; amounts of two currencies are never added."""

    others: list[SpendInCurrencyOut]
    in_all: InAllOut | None


class DeckFaultOut(TypedDict):
    line: int
    why: str


class DeckOut(TypedDict):
    id: str
    name: str
    carrier: str
    trunk: str
    currency: str
    loaded_at: str
    rates: int


class DeckLoadedOut(TypedDict):
    """`deck` null: rows have faults, and nothing was kept."""

    deck: DeckOut | None
    rates: int
    faults: list[DeckFaultOut]


class RateFoundOut(TypedDict):
    prefix: str | None
    per_minute: str | None
    currency: str | None
    first: int | None
    step: int | None


@resource.read("/spend", May.SEE_MONEY)
def spend_by(
    context: RequestContext, by: str = "site", month: str = "", currency: str = ""
) -> SpendOut:
    """A month (`2026-11`; this one without) by site, cost_centre, carrier, account, product,
    holder, kind or number. One answer per currency: the largest, or the one that is asked for."""
    asked = Month.read(month) if month else Month.of(context.now())
    wanted = read_currency(currency) if currency else ""
    found = costs.statements(context, asked, by)
    names = costs.names(context, by, {row.key for s in found for row in s.rows})
    told = [_statement_out(statement, names) for statement in found]
    first = next((s for s in told if not wanted or s["currency"] == wanted), None)
    if first is None:
        home = wanted or costs.home_currency(context)
        first = _statement_out(costs.nothing(asked, home), names)
    others = [s for s in told if s is not first]
    totals = [Money(amount=s.total.total, currency=s.currency) for s in found]
    all_of_it = exchange.in_all(context, asked, totals)
    return {**first, "others": others, "in_all": _in_all_out(all_of_it) if all_of_it else None}


def _in_all_out(found: Converted) -> InAllOut:
    return {
        "total": money(found.total),
        "by": [_rate_out(rate) for rate in found.by],
        "left_out": [money(amount) for amount in found.left_out],
    }


def _rate_out(rate: ExchangeRate) -> ExchangeRateOut:
    return {
        "currency": rate.currency,
        "day": rate.day.isoformat(),
        "rate": format(rate.rate, "f"),
    }


@resource.read("/exchange-rates", May.SEE_MONEY)
def exchange_rates(context: RequestContext) -> ExchangeOut:
    """The chosen currency, and what one unit of others is worth in it."""
    known = exchange.view(context)
    return {"chosen": known.chosen, "rates": [_rate_out(rate) for rate in known.rates]}


@resource.write("/exchange-rates", May.KEEP_BOOKS)
def add_exchange_rates(context: RequestContext, asked: ExchangeRatesAsked) -> ExchangeOut:
    """More rates, or another chosen currency; rates into the one before go with it."""
    if asked.chosen:
        exchange.choose(context, asked.chosen)
    if asked.rates.strip():
        exchange.add_rates(context, asked.rates)
    return exchange_rates(context)


def _statement_out(statement: Statement, names: dict[str, str]) -> SpendInCurrencyOut:
    currency = statement.currency

    def out(amount: object) -> MoneyOut:
        return money(Money.model_validate({"amount": amount, "currency": currency}))

    return {
        "month": str(statement.month),
        "currency": currency,
        "items": [
            {
                "key": row.key,
                "name": names.get(row.key, row.key),
                "number_count": int(row.numbers),
                "call_count": int(row.calls),
                "numbers": out(row.fees),
                "seats": out(row.seat_fees),
                "calls": out(row.call_fees),
                "once": out(row.once),
                "total": out(row.total),
            }
            for row in statement.rows
        ],
        "total": out(statement.total.total),
    }


@resource.read("/rate-decks", May.SEE_MONEY)
def decks(context: RequestContext) -> Page[DeckOut]:
    return {"items": [_deck_out(deck) for deck in rate_decks.decks(context)], "next": None}


@resource.write("/rate-decks/{trunk}", May.KEEP_BOOKS)
async def load_deck(
    request: Request,
    context: RequestContext,
    data: TheFile,
    trunk: str,
    currency: str = "",
    starts: str = "",
) -> DeckLoadedOut:
    """A CSV or XLSX file as the body: prefix and price a minute, and what else it has (connection
    fee, minimum, increments such as 60/1, in force from and until). In force from `starts`; what
    held before stays for the calls of before."""

    def done() -> DeckLoadedOut:
        loaded = rate_decks.load(context, trunk, data.read(), currency=currency, starts=starts)
        return {
            "deck": _deck_out(loaded.deck) if loaded.deck else None,
            "rates": loaded.rates,
            "faults": [{"line": line, "why": why} for line, why in loaded.faults],
        }

    return await run_in_threadpool(done)


@resource.write("/rate-decks/{trunk}", May.KEEP_BOOKS, method="DELETE")
def remove_deck(context: RequestContext, trunk: str) -> Page[DeckOut]:
    """The trunk's own deck; its carrier's prices hold again."""
    rate_decks.remove(context, f"deck-{trunk}")
    return {"items": [_deck_out(deck) for deck in rate_decks.decks(context)], "next": None}


@resource.read("/rate-decks/{trunk}/rate", May.SEE_MONEY)
def rate_to(context: RequestContext, trunk: str, to: str, day: str = "") -> RateFoundOut:
    """What a minute to a number costs over a trunk on a day."""
    rate, currency = rate_decks.rate_of(context, trunk, to, day)
    return {
        "prefix": rate.prefix if rate else None,
        "per_minute": format(per_minute(rate), "f") if rate else None,
        "currency": currency or None,
        "first": rate.first if rate else None,
        "step": rate.step if rate else None,
    }


def _deck_out(deck: rate_decks.DeckFacts) -> DeckOut:
    return {
        "id": deck.id,
        "name": deck.name,
        "carrier": deck.carrier,
        "trunk": deck.trunk,
        "currency": deck.currency,
        "loaded_at": moment(deck.loaded_at),
        "rates": deck.rows,
    }
