"""Safety: gaps in emergency data, spots, the emergency test."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import SedgeError
from sedge.desk import calls, holders, safety, workorders
from sedge.desk.numbers import the_number
from sedge.web.doors import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()


@place.page("/safety", May.LOOK)
def overview(request: Request, desk: AtDesk, site: str = "", number: str = "", dialled: str = "999") -> Response:
    test, problem = None, ""
    if number:
        try:
            test = calls.emergency(desk, the_number(desk, number), dialled[:20])
        except SedgeError as error:
            problem = error.message
    every = safety.spots(desk)
    rows = [r for r in every if not site or r.site.id == site]
    return draw(
        request, "safety.html", gaps=safety.coverage(desk, every), rows=rows, sites=[(s.id, s.name) for s in holders.plain_sites(desk)], site=site, number=number, dialled=dialled, test=test,
        problem=problem,
    )  # fmt: skip


@place.action("/safety/spots", May.CHANGE_SAFETY)
def add_spot(
    request: Request, desk: AtDesk, site: Annotated[str, Form()], floor: Annotated[str, Form()] = "", room: Annotated[str, Form()] = "",
) -> Response:  # fmt: skip
    safety.add_spot(desk, site=site, floor=floor, room=room)
    return go(request, f"/safety?site={site}")


@place.action("/safety/spots/{code}/confirm", May.CHANGE_SAFETY)
def confirm(request: Request, desk: AtDesk, code: str) -> Response:
    spot = safety.confirm_spot(desk, code)
    return go(request, f"/safety?site={spot.site}")


@place.action("/safety/people/{person}/spot", May.CHANGE_ESTATE)
def person_spot(request: Request, desk: AtDesk, person: str, spot: Annotated[str, Form()]) -> Response:
    """A person's numbers follow their spot; as a work order, so that it can be undone."""
    tasks = workorders.read_tasks(desk, [{"kind": "set_spot", "person": person, "spot": spot}])
    order = workorders.draft(desk, "Set a person's emergency spot", tasks)
    return go(request, f"/work-orders/{order.no}")
