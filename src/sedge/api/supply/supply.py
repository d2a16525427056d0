"""Supply: offers, holds, orders."""

from typing import Any

from fastapi import Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page, moment, money
from sedge.api.routing import RequestContext, Resource, once, page_limit
from sedge.api.supply.answers import (
    ConnectionTestOut,
    HoldOut,
    OffersOut,
    OrderPlanOut,
    SupplyOrderOut,
    carrier_answer_out,
    offer_out,
    supply_order_out,
)
from sedge.core.access.roles import May
from sedge.core.holders.devices import DeviceKind
from sedge.core.supply.offers import Wish
from sedge.services.carriers import connections
from sedge.services.numbers.numbers import the_number
from sedge.services.supply import holds, ordering, paper_orders, stock_search, supply

resource = Resource(tags=["supply"])


class HoldAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    carrier_account: str
    numbers: list[str] = Field(min_length=1, max_length=1000)


class OrderAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    reference: str
    carrier_account: str = ""
    hold: str | None = None
    numbers: list[str] | None = Field(default=None, max_length=1000)
    site: str
    spot: str | None = None
    features: list[str] = Field(default=[], max_length=20)
    people: list[str] = Field(
        default=[],
        max_length=60,
        description="given the numbers as they arrive: names, mail addresses, extensions",
    )
    reserve_for: str = Field(
        default="", max_length=200, description="what the rest is reserved for"
    )
    phone: DeviceKind | None = Field(
        default=None, description="set up for each of the people who has none of that kind"
    )
    agreed: str = Field(
        default="",
        max_length=40,
        description="of /orders/plan; needed where licences are bought along",
    )


@resource.read("/supply/offers", May.SEE_MONEY)
def offers(
    context: RequestContext,
    country: str = "GB",
    kind: str = "",
    capacity: str = "",
    area: str = "",
    starts: str = "",
    pattern: str = "",
    quantity: int = 1,
    consecutive: bool = False,
    endings: str = Query(default="", max_length=1000),
    carrier: str = "",
    limit: int = Query(default=20, ge=1, le=50),
) -> OffersOut:
    """What all carriers offer, best first. A carrier that did not answer is named in `carriers`
    with why; the others' offers are there."""
    wish = Wish(
        country.upper(),
        area,
        kind,
        capacity,
        starts,
        pattern,
        quantity,
        consecutive,
        tuple(endings.replace(",", " ").split()),
    )
    answers = stock_search.search(context, wish, carrier=carrier)
    return {
        "items": [
            offer_out(o, said.carrier.id, said.account.id)
            for o, said in stock_search.merged(answers)[:limit]
        ],
        "next": None,
        "in_stock": sum(said.in_stock for said in answers),
        "carriers": [carrier_answer_out(said) for said in answers],
    }


@resource.creates("/supply/holds", May.BUY, HoldOut)
def hold(request: Request, context: RequestContext, asked: HoldAsked) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        numbers = [the_number(context, n, field="numbers") for n in asked.numbers]
        held = holds.hold(context, asked.carrier_account, numbers)
        return 201, {
            "id": held.id,
            "expires_at": moment(held.expires_at),
            "numbers": list(held.numbers),
            "can_be_longer": held.can_be_longer,
        }

    return once(request, context, asked.model_dump(), make)


@resource.write("/supply/holds/{key}/longer", May.BUY)
def hold_longer(context: RequestContext, key: str) -> HoldOut:
    """Once, where the carrier allows it (`can_be_longer`)."""
    held = holds.hold_longer(context, key)
    return {
        "id": held.id,
        "expires_at": moment(held.expires_at),
        "numbers": list(held.numbers),
        "can_be_longer": held.can_be_longer,
    }


@resource.write("/orders/plan", May.BUY)
def plan(context: RequestContext, asked: OrderAsked) -> OrderPlanOut:
    """What an order would do and cost in all, licences and features included, before it is placed.
    `agreed` goes with the order."""
    planned = ordering.plan(context, _wanted(context, asked))
    return {
        "price": planned.price,
        "agreed": planned.agreed,
        "stops": planned.stops,
        "once": [money(m) for m in planned.view.costs.once.values()],
        "monthly": [money(m) for m in planned.view.costs.monthly.values()],
        "tasks": [
            {
                "kind": x.stored.body.kind,
                "words": f"{x.verb} {x.rest}".strip(),
                "remedy_for": x.stored.added_as_remedy_for,
            }
            for x in planned.view.tasks
        ],
    }


def _wanted(context: RequestContext, asked: OrderAsked) -> ordering.Wanted:
    numbers = tuple(the_number(context, n, field="numbers") for n in asked.numbers or [])
    return ordering.Wanted(
        asked.reference,
        asked.carrier_account,
        asked.site,
        asked.hold,
        numbers,
        asked.spot,
        tuple(asked.features),
        "\n".join(asked.people),
        asked.reserve_for,
        asked.phone,
    )


@resource.creates("/orders", May.BUY, SupplyOrderOut)
def order(request: Request, context: RequestContext, asked: OrderAsked) -> Response:
    def make(identity: str | None) -> tuple[int, Any]:
        key, work_order = ordering.place(
            context, _wanted(context, asked), identity=identity, agreed=asked.agreed
        )
        return 201, {
            **supply_order_out(supply.order_view(context, key)),
            "work_order": work_order.id,
        }

    return once(request, context, asked.model_dump(), make)


class FormAsked(BaseModel):
    """An order on a form, for an account whose carrier takes none over the wire."""

    model_config = ConfigDict(extra="forbid")
    reference: str = Field(max_length=80)
    carrier_account: str
    site: str
    spot: str = ""
    area: str = Field(max_length=80)
    quantity: int = Field(default=1, ge=1, le=1000)
    kind: str = "geographic"
    capacity: str = "any"
    in_a_row: bool = False
    wanted_by: str = Field(default="", max_length=10)
    note: str = Field(default="", max_length=1000)


class Sent(BaseModel):
    model_config = ConfigDict(extra="forbid")
    on: str = Field(default="", max_length=10)
    how: str = Field(default="by mail", max_length=20)


@resource.creates("/orders/forms", May.BUY, SupplyOrderOut)
def write_form(request: Request, context: RequestContext, asked: FormAsked) -> Response:
    """Arrivals are taken in with the task `record_arrival`."""

    def make(_identity: str | None) -> tuple[int, Any]:
        typed = {
            **asked.model_dump(exclude={"carrier_account"}),
            "account": asked.carrier_account,
            "quantity": str(asked.quantity),
        }
        typed["in_a_row"] = "1" if asked.in_a_row else ""
        return 201, supply_order_out(
            supply.order_view(context, paper_orders.write(context, typed).id)
        )

    return once(request, context, asked.model_dump(), make)


@resource.file("/orders/{key}/form.pdf", May.SEE_MONEY, "application/pdf")
def form_as_pdf(context: RequestContext, key: str) -> Response:
    name, content = paper_orders.printed(context, key)
    return Response(
        content,
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@resource.write("/orders/{key}/sent", May.BUY)
def form_sent(context: RequestContext, key: str, sent: Sent) -> SupplyOrderOut:
    return supply_order_out(
        supply.order_view(
            context, paper_orders.mark_sent(context, key, on=sent.on, how=sent.how).id
        )
    )


class MailedTo(BaseModel):
    """`to` empty: the carrier's contact for orders."""

    model_config = ConfigDict(extra="forbid")
    to: str = Field(default="", max_length=200)


@resource.write("/orders/{key}/mail", May.BUY)
def mail_form(context: RequestContext, key: str, asked: MailedTo) -> SupplyOrderOut:
    """The form as PDF and CSV to the carrier by mail, marked as sent."""
    sent = paper_orders.send_by_mail(context, key, asked.to)
    return supply_order_out(supply.order_view(context, sent.id))


@resource.read("/orders", May.SEE_MONEY)
def orders(context: RequestContext, limit: int = 100) -> Page[SupplyOrderOut]:
    return {
        "items": [supply_order_out(v) for v in supply.orders(context, limit=page_limit(limit))],
        "next": None,
    }


@resource.read("/orders/{key}", May.SEE_MONEY)
def order_state(context: RequestContext, key: str) -> SupplyOrderOut:
    return supply_order_out(supply.order_view(context, key))


@resource.write("/carriers/{key}/test", May.SEE_MONEY)
def test_connection(context: RequestContext, key: str) -> ConnectionTestOut:
    """Asks the carrier for the state of our account; `said` tells what was found and what to
    change."""
    tried = connections.test(context, key)
    return {
        "carrier": tried.carrier.id,
        "ok": tried.ok,
        "said": tried.said,
        "answered_after": round(tried.took.total_seconds(), 3),
    }
