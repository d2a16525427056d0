"""Rates: the decks by which calls are priced."""

from typing import Annotated, NamedTuple

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response
from markupsafe import Markup

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.facts import Money
from sedge.core.spend.rates.rate_decks import amount_of, per_minute
from sedge.services.spend import costs
from sedge.services.spend.rates import least_cost, rate_decks
from sedge.services.spend.rates.least_cost import Compared
from sedge.services.trunks import trunks
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render
from sedge.web.spend.rate_chart import rate_chart, shape_at

place = Place()
Typed = Annotated[str, Form(max_length=200)]
MOST_SHOWN = 300
MOST_DESTINATIONS = 60


class CompareRow(NamedTuple):
    """A destination; `prices` a minute by trunk in their order, `cheapest` the place of one."""

    name: str
    calls: int
    minutes: int
    paid: Money
    least: Money
    prices: list[Money | None]
    cheapest: int | None


@place.page("/spend/rates", May.SEE_MONEY)
def rates(request: Request, context: RequestContext) -> Response:
    carriers = trunks.carriers(context)
    choices = [
        (f"trunk:{x.trunk.id}", f"{x.trunk.name}, {v.carrier.name}")
        for v in carriers
        for x in v.trunks
    ]
    choices += [(f"carrier:{v.carrier.id}", f"All trunks of {v.carrier.name}") for v in carriers]
    return render(
        request,
        "rates.html",
        decks=rate_decks.decks(context),
        told=[v.carrier for v in carriers if v.carrier.rates],
        choices=choices,
        home=costs.home_currency(context),
    )


@place.action("/spend/rates", May.KEEP_BOOKS)
def load(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile, File()],
    of: Typed = "",
    currency: Typed = "",
    starts: Typed = "",
) -> Response:
    """Kept whole or not at all; rows with faults are told."""
    kind, _, key = of.partition(":")
    content = file.file.read(rate_decks.MOST_BYTES + 1)
    if kind == "trunk":
        loaded = rate_decks.load(context, key, content, currency=currency, starts=starts)
    elif kind == "carrier":
        loaded = rate_decks.load_for_carrier(
            context, key, content, currency=currency, starts=starts
        )
    else:
        raise NotUnderstood("Choose whose rates these are.", field="of")
    if loaded.deck is None:
        line, why = loaded.faults[0]
        more = f" {len(loaded.faults) - 1} more rows have faults." if len(loaded.faults) > 1 else ""
        where = f"Line {line}: " if line else ""
        raise NotUnderstood(f"Nothing was loaded. {where}{why}{more}", field="file")
    return go(request, f"/spend/rates/{loaded.deck.id}")


@place.page("/spend/rates/compare", May.SEE_MONEY)
def compare_rates(request: Request, context: RequestContext) -> Response:
    """What each trunk costs to where, by last month's calls."""
    found = least_cost.view(context)
    currencies = list(dict.fromkeys(row.currency for row in found.destinations))
    return render(
        request,
        "least_cost.html",
        found=found,
        month=f"{found.month.first:%B %Y}",
        parts=[(c, _part(found, c), _chart(found, c)) for c in currencies],
        shapes=[shape_at(place, 7, 7) for place, _ in enumerate(found.offers)],
    )


def _part(found: Compared, currency: str) -> list[CompareRow]:
    rows = [row for row in found.destinations if row.currency == currency][:MOST_DESTINATIONS]
    return [
        CompareRow(
            row.name,
            row.calls,
            row.seconds // 60,
            Money(amount=amount_of(row.paid), currency=currency),
            Money(amount=amount_of(row.least), currency=currency),
            [
                Money(amount=price, currency=currency) if price is not None else None
                for offer in found.offers
                for price in [row.per_minute(offer.trunk)]
            ],
            [offer.trunk for offer in found.offers].index(row.cheapest) if row.cheapest else None,
        )
        for row in rows
    ]


def _chart(found: Compared, currency: str) -> Markup:
    return rate_chart([r for r in found.destinations if r.currency == currency], found.offers)


@place.action("/spend/rates/compare", May.TRUNKS)
def route_cheapest(request: Request, context: RequestContext) -> Response:
    """A draft with a route that takes the cheapest trunk first."""
    return go(request, f"/work-orders/{least_cost.draft_cheapest(context).no}")


@place.page("/spend/rates/{key}", May.SEE_MONEY)
def deck(request: Request, context: RequestContext, key: str, find: str = "") -> Response:
    """The rates whose digits or names begin with what is sought."""
    known, found = rate_decks.one(context, key)
    wanted = find.strip().lstrip("+").lower()
    fitting = [r for r in found if r.prefix.startswith(wanted) or wanted in r.name.lower()]
    rows = [
        (r, per_minute(r), amount_of(r.fee), amount_of(r.minimum)) for r in fitting[:MOST_SHOWN]
    ]
    return render(
        request, "rate_deck.html", deck=known, rows=rows, count=len(fitting), find=find[:40]
    )


@place.action("/spend/rates/{key}/remove", May.KEEP_BOOKS)
def remove(request: Request, context: RequestContext, key: str) -> Response:
    rate_decks.remove(context, key)
    return go(request, "/spend/rates")
