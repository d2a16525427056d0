"""Carriers: accounts and their balances, trunks and their status."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.desk import supply, trunks
from sedge.web.doors import AtDesk, Place
from sedge.web.shared.rendering import draw, go, target

place = Place()


@place.page("/carriers", May.LOOK)
def carriers(request: Request, desk: AtDesk) -> Response:
    return draw(request, "_carriers.html" if target(request) == "carriers" else "carriers.html", rows=trunks.carriers(desk))


@place.action("/carriers/accounts/{account}/deposit", May.BUY)
def deposit(request: Request, desk: AtDesk, account: str, amount: Annotated[str, Form()] = "") -> Response:
    supply.deposit(desk, account, amount)
    return go(request, "/carriers")
