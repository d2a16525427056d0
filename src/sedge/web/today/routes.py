"""Today: the start page."""

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from sedge.core.access.roles import May
from sedge.services import first_steps, today
from sedge.services.ledger import ledger
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, target

place = Place()


@place.page("/", May.LOOK)
def today_page(request: Request, desk: AtDesk) -> Response:
    recent = ledger.recent(desk)
    lines = today.todo(desk)
    template = "_today.html" if target(request) == "today" else "today.html"
    return draw(
        request,
        template,
        lines=lines,
        recent=recent,
        href=ledger.href_of,
        first=first_steps.first_steps(desk),
    )


@place.page("/running", May.LOOK)
def running(request: Request, desk: AtDesk) -> Response:
    return draw(request, "_running.html", running=today.glance(desk)["running"])


@place.page("/changes", May.LOOK)
def changes(desk: AtDesk, since: int = 0) -> Response:
    """204 when nothing has changed since the given pulse; open pages ask every second and a
    half."""
    now = ledger.pulse(desk)
    return Response(status_code=204) if now == since else JSONResponse({"pulse": now})
