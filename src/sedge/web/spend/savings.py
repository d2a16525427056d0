"""Right-sizing and unusual calls: what to give up, and what to stop."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.services.spend import unusual_calls
from sedge.services.spend.savings import right_sizing
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=500)]


@place.page("/spend/right-sizing", May.SEE_MONEY)
def savings(request: Request, context: RequestContext) -> Response:
    found = right_sizing.view(context)
    return render(request, "right_sizing.html", found=found, days=right_sizing.IDLE_DAYS)


@place.action("/spend/right-sizing", May.CHANGE_ESTATE)
def draft(
    request: Request, context: RequestContext, keys: Annotated[list[str] | None, Form()] = None
) -> Response:
    """One work order with all that was chosen."""
    made = right_sizing.draft(context, keys or [])
    return go(request, f"/work-orders/{made.no}")


@place.page("/spend/unusual", May.SEE_MONEY)
def unusual(request: Request, context: RequestContext) -> Response:
    return render(request, "unusual_calls.html", alarms=unusual_calls.list_alarms(context))


@place.action("/spend/unusual/{key}/settle", May.CHANGE_ESTATE)
def settle(request: Request, context: RequestContext, key: str, why: Typed = "") -> Response:
    unusual_calls.settle(context, key, why)
    return go(request, "/spend/unusual")


@place.action("/spend/unusual/{key}/rights", May.CHANGE_ESTATE)
def take_rights_away(request: Request, context: RequestContext, key: str) -> Response:
    made = unusual_calls.take_rights_away(context, key)
    return go(request, f"/work-orders/{made.no}")
