"""The catalogue of checks, how strict each is here, and what the last night found."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.records import Subject
from sedge.services.workorders.checking import check_catalogue
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()
PAGES = {
    Subject.NUMBER: "/numbers/{}",
    Subject.PERSON: "/holders/people/{}",
    Subject.SERVICE_LINE: "/holders/lines/{}",
    Subject.SITE: "/holders/sites/{}",
    Subject.PATH: "/paths/{}",
}


@place.page("/checks", May.LOOK)
def catalogue(request: Request, desk: AtDesk) -> Response:
    groups: dict[str, list[check_catalogue.Rule]] = {}
    for rule in check_catalogue.catalogue(desk):
        groups.setdefault(rule.task, []).append(rule)
    return draw(
        request,
        "checks.html",
        groups=list(groups.items()),
        looked_at=check_catalogue.looked_at(desk),
    )


@place.page("/checks/{name}", May.LOOK)
def rule(request: Request, desk: AtDesk, name: str, after: str = "") -> Response:
    found, following = check_catalogue.findings(desk, name, after=after)
    rows = [(f, PAGES.get(f.subject, "").format(f.ref.lstrip("+"))) for f in found]
    return draw(
        request,
        "check.html",
        rule=check_catalogue.the_rule(desk, name),
        rows=rows,
        following=following,
    )


@place.action("/checks/{name}/level", May.SET_RULES)
def level(request: Request, desk: AtDesk, name: str, stop: Annotated[str, Form()] = "") -> Response:
    check_catalogue.raise_rule(desk, name, to_stop=bool(stop))
    return go(request, f"/checks/{name}")


@place.action("/checks/{name}/mend", May.CHANGE_ESTATE)
def mend(request: Request, desk: AtDesk, name: str) -> Response:
    return go(request, f"/work-orders/{check_catalogue.mend(desk, name).no}")


@place.action("/checks", May.CHANGE_ESTATE)
def check_now(request: Request, desk: AtDesk) -> Response:
    check_catalogue.check_everything(desk)
    return go(request, "/checks")
