"""Exchange rates, and the currency in which all spend is told."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.services.spend import exchange
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=40)]
MOST_SHOWN = 200


@place.page("/spend/rates/exchange", May.SEE_MONEY)
def exchange_rates(request: Request, context: RequestContext) -> Response:
    known = exchange.view(context)
    rows = sorted(known.rates, key=lambda rate: (rate.day, rate.currency), reverse=True)
    return render(request, "exchange.html", chosen=known.chosen, rows=rows[:MOST_SHOWN])


@place.action("/spend/rates/exchange", May.KEEP_BOOKS)
def add_exchange_rates(
    request: Request,
    context: RequestContext,
    rates: Annotated[str, Form(max_length=1_000_000)] = "",
) -> Response:
    exchange.add_rates(context, rates)
    return go(request, "/spend/rates/exchange")


@place.action("/spend/rates/exchange/currency", May.KEEP_BOOKS)
def choose_currency(request: Request, context: RequestContext, currency: Typed = "") -> Response:
    exchange.choose(context, currency)
    return go(request, "/spend/rates/exchange")


@place.action("/spend/rates/exchange/remove", May.KEEP_BOOKS)
def remove_exchange_rate(
    request: Request, context: RequestContext, currency: Typed = "", day: Typed = ""
) -> Response:
    exchange.remove_rate(context, currency, day)
    return go(request, "/spend/rates/exchange")
