"""The ledger: everything that happened, who did it and why."""

from typing import Annotated

from fastapi import Query, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.services.ledger import ledger as ledger_service
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render

place = Place()


@place.page("/ledger", May.SEE_LEDGER)
def ledger_page(
    request: Request,
    context: RequestContext,
    actor: str = "",
    before: Annotated[int, Query(ge=0, le=2**53)] = 0,
) -> Response:
    page = ledger_service.read(context, actor=actor[:120] or None, before=before or None)
    return render(
        request, "ledger.html", page=page, actor=actor, verified=None, href=ledger_service.href_of
    )


@place.page("/ledger/verify", May.SEE_LEDGER)
def verify(request: Request, context: RequestContext) -> Response:
    page = ledger_service.read(context)
    return render(
        request,
        "ledger.html",
        page=page,
        actor="",
        verified=ledger_service.verify(context),
        href=ledger_service.href_of,
    )
