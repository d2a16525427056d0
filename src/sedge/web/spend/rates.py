"""Rates: the decks by which calls are priced."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.spend.rate_decks import amount_of, per_minute
from sedge.services.spend import costs, rate_decks
from sedge.services.trunks import trunks
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()
Typed = Annotated[str, Form(max_length=200)]
MOST_SHOWN = 300


@place.page("/spend/rates", May.SEE_MONEY)
def rates(request: Request, desk: AtDesk) -> Response:
    carriers = trunks.carriers(desk)
    choices = [
        (f"trunk:{x.trunk.id}", f"{x.trunk.name}, {v.carrier.name}")
        for v in carriers
        for x in v.trunks
    ]
    choices += [(f"carrier:{v.carrier.id}", f"All trunks of {v.carrier.name}") for v in carriers]
    return draw(
        request,
        "rates.html",
        decks=rate_decks.decks(desk),
        told=[v.carrier for v in carriers if v.carrier.rates],
        choices=choices,
        home=costs.home_currency(desk),
    )


@place.action("/spend/rates", May.KEEP_BOOKS)
def load(
    request: Request,
    desk: AtDesk,
    file: Annotated[UploadFile, File()],
    of: Typed = "",
    currency: Typed = "",
    starts: Typed = "",
) -> Response:
    """Kept whole or not at all; rows with faults are told."""
    kind, _, key = of.partition(":")
    content = file.file.read(rate_decks.MOST_BYTES + 1)
    if kind == "trunk":
        loaded = rate_decks.load(desk, key, content, currency=currency, starts=starts)
    elif kind == "carrier":
        loaded = rate_decks.load_for_carrier(desk, key, content, currency=currency, starts=starts)
    else:
        raise NotUnderstood("Choose whose rates these are.", field="of")
    if loaded.deck is None:
        line, why = loaded.faults[0]
        more = f" {len(loaded.faults) - 1} more rows have faults." if len(loaded.faults) > 1 else ""
        where = f"Line {line}: " if line else ""
        raise NotUnderstood(f"Nothing was loaded. {where}{why}{more}", field="file")
    return go(request, f"/spend/rates/{loaded.deck.id}")


@place.page("/spend/rates/{key}", May.SEE_MONEY)
def deck(request: Request, desk: AtDesk, key: str, find: str = "") -> Response:
    """The rates whose digits or names begin with what is sought."""
    known, found = rate_decks.one(desk, key)
    wanted = find.strip().lstrip("+").lower()
    fitting = [r for r in found if r.prefix.startswith(wanted) or wanted in r.name.lower()]
    rows = [
        (r, per_minute(r), amount_of(r.fee), amount_of(r.minimum)) for r in fitting[:MOST_SHOWN]
    ]
    return draw(
        request, "rate_deck.html", deck=known, rows=rows, count=len(fitting), find=find[:40]
    )


@place.action("/spend/rates/{key}/remove", May.KEEP_BOOKS)
def remove(request: Request, desk: AtDesk, key: str) -> Response:
    rate_decks.remove(desk, key)
    return go(request, "/spend/rates")
