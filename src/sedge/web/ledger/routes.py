"""The ledger: everything that happened, who did it and why."""

from typing import Annotated

from fastapi import Query, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.services.ledger import ledger as desk_ledger
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw

place = Place()


@place.page("/ledger", May.SEE_LEDGER)
def ledger_page(
    request: Request,
    desk: AtDesk,
    actor: str = "",
    before: Annotated[int, Query(ge=0, le=2**53)] = 0,
) -> Response:
    page = desk_ledger.read(desk, actor=actor[:120] or None, before=before or None)
    return draw(
        request, "ledger.html", page=page, actor=actor, verified=None, href=desk_ledger.href_of
    )


@place.page("/ledger/verify", May.SEE_LEDGER)
def verify(request: Request, desk: AtDesk) -> Response:
    page = desk_ledger.read(desk)
    return draw(
        request,
        "ledger.html",
        page=page,
        actor="",
        verified=desk_ledger.verify(desk),
        href=desk_ledger.href_of,
    )
