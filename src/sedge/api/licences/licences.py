"""Licence products and subscriptions. Seats are bought, tried, cancelled, granted and exchanged by
work orders."""

from typing import Any

from fastapi import Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.amounts import Amount
from sedge.api.answers import Page, moment, money
from sedge.api.licences.answers import (
    ProductDetailHolderOut,
    ProductDetailOut,
    ProductOut,
    SubscriptionOut,
)
from sedge.api.routing import RequestContext, Resource, once
from sedge.core.access.roles import May
from sedge.services.licences import licences
from sedge.services.licences.licences import Pool

resource = Resource(tags=["licences"])


class ProductAsked(BaseModel):
    """`needs_all` and one of `needs_any` are ids of products; what is left out stays, or is
    usual."""

    model_config = ConfigDict(extra="forbid")
    name: str | None = Field(default=None, max_length=80)
    needs_all: list[str] | None = Field(default=None, max_length=20)
    needs_any: list[str] | None = Field(default=None, max_length=20)
    for_holders: list[str] | None = Field(default=None, max_length=4)
    price: Amount | None = None
    currency: str | None = Field(default=None, max_length=3)
    propagation_minutes: int | None = None
    trial_days: int | None = None
    term_months: int | None = None
    minutes: int | None = None
    messages: int | None = None
    withdrawn: bool | None = None


def _product(pool: Pool) -> ProductOut:
    p = pool.product
    return {
        "id": p.id,
        "name": p.name,
        "needs": list(p.needs_all),
        "needs_any": list(p.needs_any),
        "for": list(p.for_holders),
        "allows": list(p.allows),
        "monthly": money(p.monthly),
        "prices": [money(x) for x in p.prices],
        "minutes": p.minutes,
        "messages": p.messages,
        "propagation_minutes": p.propagation_minutes,
        "trial_days": p.trial_days,
        "term_months": p.term_months,
        "free": p.free,
        "entitlement": p.entitlement.model_dump() if p.entitlement else None,
        "withdrawn": p.withdrawn,
        "seats": {
            "bought": pool.bought,
            "granted": pool.granted,
            "waiting": pool.waiting,
            "left": pool.left,
            "leaving": pool.leaving,
        },
        "short_on": moment(pool.short_on),
    }


@resource.read("/licence-products", May.SEE_MONEY)
def products(context: RequestContext) -> Page[ProductOut]:
    return {"items": [_product(p) for p in licences.pools(context)], "next": None}


@resource.creates("/licence-products", May.SET_RULES, ProductOut)
def add_product(request: Request, context: RequestContext, asked: ProductAsked) -> Response:
    form = {k: v for k, v in asked.model_dump().items() if v is not None}

    def make(identity: str | None) -> tuple[int, Any]:
        made = licences.put_product(context, form)
        return 201, _product(licences.one_product(context, made.id).pool)

    return once(request, context, form, make)


@resource.read("/licence-products/{key}", May.SEE_MONEY)
def product(context: RequestContext, key: str) -> ProductDetailOut:
    view = licences.one_product(context, key)
    holders: list[ProductDetailHolderOut] = [
        {
            "kind": h.holder.kind,
            "id": h.holder.id,
            "name": h.name,
            "since": moment(h.grant.since),
            "works_from": moment(h.grant.works_from),
        }
        for h in view.holders
    ]
    return {
        **_product(view.pool),
        "needed_by": view.needed_by,
        "holders": holders,
        "more_holders": view.more,
    }


@resource.write("/licence-products/{key}", May.SET_RULES, method="PATCH")
def change_product(context: RequestContext, key: str, asked: ProductAsked) -> ProductOut:
    licences.put_product(
        context, {k: v for k, v in asked.model_dump().items() if v is not None}, key
    )
    return _product(licences.one_product(context, key).pool)


@resource.read("/subscriptions", May.SEE_MONEY)
def subscriptions(context: RequestContext) -> Page[SubscriptionOut]:
    items: list[SubscriptionOut] = [
        {
            "id": s.id,
            "product": s.product,
            "seats": s.seats,
            "used": s.used,
            "left": s.left,
            "leaving": s.leaving,
            "term_months": s.term_months,
            "renews_on": moment(s.renews_on),
            "trial_ends": moment(s.trial_ends),
        }
        for pool in licences.pools(context)
        for s in pool.subscriptions
    ]
    return {"items": items, "next": None}
