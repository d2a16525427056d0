"""Carriers: accounts and their balances, trunks and their status."""

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.desk import connections, money, supply, trunks
from sedge.web.doors import AtDesk, Place
from sedge.web.shared.drawings.runway import runway_chart
from sedge.web.shared.rendering import draw, go, target

place = Place()


def _facts(desk: AtDesk) -> dict[str, Any]:
    return {"rows": trunks.carriers(desk), "outlooks": money.outlooks(desk), "chart": runway_chart}


@place.page("/carriers", May.LOOK)
def carriers(request: Request, desk: AtDesk) -> Response:
    return draw(request, "_carriers.html" if target(request) == "carriers" else "carriers.html", **_facts(desk), tried=None)


@place.action("/carriers/{carrier}/test", May.SEE_MONEY)
def test_connection(request: Request, desk: AtDesk, carrier: str) -> Response:
    """What a test of the connection found, drawn beside its button; a page of its own without JavaScript."""
    tried = connections.test(desk, carrier)
    if target(request):
        return draw(request, "_connection.html", tried=tried)
    return draw(request, "carriers.html", **_facts(desk), tried=tried)


@place.action("/carriers/accounts/{account}/deposit", May.BUY)
def deposit(request: Request, desk: AtDesk, account: str, amount: Annotated[str, Form()] = "") -> Response:
    supply.deposit(desk, account, amount)
    return go(request, "/carriers")
