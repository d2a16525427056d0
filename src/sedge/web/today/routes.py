"""Today: the start page."""

from collections.abc import Iterable
from itertools import groupby

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from sedge.core.access.roles import May
from sedge.services.ledger import ledger
from sedge.services.today import first_steps, today
from sedge.services.todo import Kind, Todo
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render, target

place = Place()
LATEST = 60  # changes on the page of activity


@place.page("/", May.LOOK)
def today_page(request: Request, context: RequestContext) -> Response:
    recent = ledger.recent(context)
    lines = today.waiting(context)
    template = "_today.html" if target(request) == "today" else "today.html"
    return render(
        request,
        template,
        urgent=_by_kind(line for line in lines if line.is_urgent),
        later=_by_kind(line for line in lines if not line.is_urgent),
        count=len(lines),
        recent=recent,
        href=ledger.href_of,
        first=first_steps.first_steps(context),
    )


def _by_kind(lines: Iterable[Todo]) -> list[tuple[Kind, list[Todo]]]:
    """Lines of one kind together, kinds in the order in which the first of each comes."""
    groups: dict[Kind, list[Todo]] = {}
    for line in lines:
        groups.setdefault(line.kind, []).append(line)
    return list(groups.items())


@place.page("/activity", May.SEE_LEDGER)
def activity(request: Request, context: RequestContext) -> Response:
    """The latest changes of the organisation, by day."""
    zone = context.installation.home_zone(context.who.organisation)
    days = [
        (day, list(found))
        for day, found in groupby(
            ledger.recent(context, limit=LATEST),
            key=lambda one: one.entry.at.astimezone(zone).date(),
        )
    ]
    return render(request, "activity.html", days=days, href=ledger.href_of)


@place.page("/running", May.LOOK)
def running(request: Request, context: RequestContext) -> Response:
    return render(request, "_running.html", running=today.glance(context)["running"])


@place.page("/head", May.LOOK)
def head(request: Request, context: RequestContext, place: str = "", at: str = "/") -> Response:
    """Places and sections with what waits in each, for a page whose own were a moment behind."""
    today.waiting(context)
    return render(request, "_head_counts.html", page_path=at, place_name=place)


@place.page("/changes", May.LOOK)
def changes(context: RequestContext, since: int = 0) -> Response:
    """204 when nothing has changed since the given counter. Pages ask when their stream has ended:
    a 401 says that somebody has to sign in again."""
    now = ledger.change_counter(context)
    return Response(status_code=204) if now == since else JSONResponse({"change_counter": now})
