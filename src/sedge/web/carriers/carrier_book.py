"""Carriers added by hand, and what is agreed with each."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.enums import SupplyModel
from sedge.services.carriers import carrier_book
from sedge.services.carriers.carrier_book import CarrierAsked
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
MODELS = [(model.value, model.value) for model in SupplyModel]
Typed = Annotated[CarrierAsked, Form()]


@place.page("/carriers/new", May.PAY, sure=True)
def new_carrier(request: Request) -> Response:
    return render(
        request, "carrier_form.html", key="", typed=CarrierAsked().model_dump(), models=MODELS
    )


@place.action("/carriers/new", May.PAY, sure=True)
def add(request: Request, context: RequestContext, typed: Typed) -> Response:
    made = carrier_book.add(context, typed)
    return go(request, f"/carriers/{made.id}/accounts")


@place.page("/carriers/{carrier}/agreement", May.PAY, sure=True)
def agreement(request: Request, context: RequestContext, carrier: str) -> Response:
    typed = carrier_book.as_typed(carrier_book.one(context, carrier))
    return render(request, "carrier_form.html", key=carrier, typed=typed, models=MODELS)


@place.action("/carriers/{carrier}/agreement", May.PAY, sure=True)
def change_carrier(
    request: Request, context: RequestContext, carrier: str, typed: Typed
) -> Response:
    carrier_book.change_carrier(context, carrier, typed)
    return go(request, f"/carriers#{carrier}")
