"""Licences: products, their pools of seats, what needs what; buying, trying, cancelling,
exchanging."""

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import Response
from markupsafe import Markup
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.facts import counted
from sedge.services.licences import licences
from sedge.services.licences.seat_history import SeatHistory, seat_histories
from sedge.services.workorders import workorders
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.seatchart import seat_chart
from sedge.web.shared.rendering import go, render, target

place = Place()
MOST_SEATS = 10_000
LISTS = ("needs_all", "needs_any", "for_holders")


@place.page("/licences", May.SEE_MONEY)
def pools_page(request: Request, context: RequestContext) -> Response:
    histories = seat_histories(context)
    return render(
        request,
        "_licences.html" if target(request) == "licences" else "licences.html",
        rows=[
            (pool, _chart(histories.get(pool.product.id), pool)) for pool in licences.pools(context)
        ],
    )


def _chart(history: SeatHistory | None, pool: licences.Pool) -> Markup | None:
    return seat_chart(history, pool.bought) if history and pool.subscriptions else None


@place.page("/licences/new", May.SET_RULES)
def new_product(request: Request, context: RequestContext) -> Response:
    return render(request, "product_new.html", **_form_facts(context), product=None)


@place.page("/licences/{product}", May.SEE_MONEY)
def product_page(request: Request, context: RequestContext, product: str) -> Response:
    view = licences.one_product(context, product)
    return render(
        request,
        "product.html",
        view=view,
        **_form_facts(context),
        product=view.pool.product,
        currencies=view.pool.product.prices,
    )


def _form_facts(context: RequestContext) -> dict[str, Any]:
    return {
        "known": [(p.id, p.name) for p in licences.products(context)],
        "kinds": [(k.value, k.value.replace("_", " ")) for k in HolderKind],
    }


@place.action("/licences/new", May.SET_RULES)
async def add_product(request: Request, context: RequestContext) -> Response:
    made = await run_in_threadpool(licences.put_product, context, await _fields(request))
    return go(request, f"/licences/{made.id}")


@place.action("/licences/{product}/change", May.SET_RULES)
async def change_product(request: Request, context: RequestContext, product: str) -> Response:
    await run_in_threadpool(licences.put_product, context, await _fields(request), product)
    return go(request, f"/licences/{product}")


async def _fields(request: Request) -> dict[str, object]:
    form = await request.form()
    fields: dict[str, object] = {
        name: str(value)[:200] for name, value in form.items() if name not in LISTS
    }
    return {
        **fields,
        **{name: [str(v)[:80] for v in form.getlist(name)][:20] for name in LISTS},
        "withdrawn": bool(fields.get("withdrawn")),
    }


def _seats(text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) <= 5 and 1 <= int(text) <= MOST_SEATS):
        raise NotUnderstood(f"Type how many seats, from 1 to {MOST_SEATS:,}.", field="seats")
    return int(text)


def _order(
    request: Request, context: RequestContext, title: str, *tasks: dict[str, Any]
) -> Response:
    order = workorders.draft(context, title, workorders.read_tasks(context, list(tasks)), look=True)
    to = f"/work-orders/{order.no}"
    return go(request, to)


@place.action("/licences/{product}/seats", May.BUY)
def buy(
    request: Request, context: RequestContext, product: str, seats: Annotated[str, Form()] = "1"
) -> Response:
    n, name = _seats(seats), licences.one_product(context, product).pool.product.name
    return _order(
        request,
        context,
        f"Buy {counted(n, 'seat')} of {name}",
        {"kind": "buy_seats", "product": product, "seats": n},
    )


@place.action("/licences/{product}/trial", May.BUY)
def try_out(
    request: Request, context: RequestContext, product: str, seats: Annotated[str, Form()] = "5"
) -> Response:
    n, name = _seats(seats), licences.one_product(context, product).pool.product.name
    return _order(
        request, context, f"Try {name}", {"kind": "start_trial", "product": product, "seats": n}
    )


@place.action("/licences/{product}/cancel", May.BUY)
def cancel(
    request: Request,
    context: RequestContext,
    product: str,
    subscription: Annotated[str, Form()] = "",
    seats: Annotated[str, Form()] = "1",
) -> Response:
    n, name = _seats(seats), licences.one_product(context, product).pool.product.name
    return _order(
        request,
        context,
        f"Cancel {counted(n, 'seat')} of {name}",
        {"kind": "cancel_seats", "subscription": subscription, "seats": n},
    )


@place.action("/licences/{product}/exchange", May.CHANGE_ESTATE)
def exchange(
    request: Request,
    context: RequestContext,
    product: str,
    to: Annotated[str, Form()] = "",
    who: Annotated[list[str] | None, Form()] = None,
    everybody: Annotated[str, Form()] = "",
) -> Response:
    """For those ticked, or for all; without another product the seats are taken back."""
    if everybody:
        refs = [
            {"kind": ref.kind.value, "id": ref.id} for ref in licences.holders_of(context, product)
        ]
    else:
        refs = [
            dict(zip(("kind", "id"), value.split(":", 1), strict=False))
            for value in (who or [])[:5000]
        ]
    if not refs:
        raise NotUnderstood("Tick who is meant, or choose everybody.", field="who")
    name = licences.one_product(context, product).pool.product.name
    if not to:
        tasks: list[dict[str, Any]] = [
            {"kind": "revoke_licence", "holder": ref, "product": product} for ref in refs
        ]
        return _order(
            request, context, f"Take back {name} from {counted(len(refs), 'holder')}", *tasks
        )
    other = licences.one_product(context, to).pool.product.name
    tasks = [
        {"kind": "exchange_licence", "holder": ref, "product": product, "to": to} for ref in refs
    ]
    return _order(
        request, context, f"Exchange {name} for {other}, {counted(len(refs), 'holder')}", *tasks
    )
