"""Licences: products, their pools of seats, what needs what."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.desk import licences, workorders
from sedge.web.doors import AtDesk, Place
from sedge.web.shared.rendering import draw, go, target

place = Place()
MOST_SEATS = 10_000


@place.page("/licences", May.SEE_MONEY)
def pools_page(request: Request, desk: AtDesk) -> Response:
    return draw(request, "_licences.html" if target(request) == "licences" else "licences.html", pools=licences.pools(desk))


@place.action("/licences/{product}/seats", May.CHANGE_ESTATE)
def buy(request: Request, desk: AtDesk, product: str, seats: Annotated[str, Form()] = "1") -> Response:
    if not (seats.isascii() and seats.isdigit() and len(seats) <= 5 and 1 <= int(seats) <= MOST_SEATS):
        raise NotUnderstood(f"Type how many seats, from 1 to {MOST_SEATS:,}.", field="seats")
    tasks = workorders.read_tasks(desk, [{"kind": "buy_seats", "product": product, "seats": int(seats)}])
    order = workorders.draft(desk, f"Buy {seats} seat{'s' if seats != '1' else ''}", tasks)
    to = f"/work-orders/{order.no}"
    return go(request, to)
