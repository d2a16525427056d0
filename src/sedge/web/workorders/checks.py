"""The catalogue of checks, how strict each is here, and what the last night found."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.records import Subject
from sedge.services.workorders.checking import check_catalogue
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
PAGES = {
    Subject.NUMBER: "/numbers/{}",
    Subject.PERSON: "/holders/people/{}",
    Subject.SERVICE_LINE: "/holders/lines/{}",
    Subject.SITE: "/holders/sites/{}",
    Subject.PATH: "/paths/{}",
}


@place.page("/checks", May.LOOK)
def catalogue(request: Request, context: RequestContext) -> Response:
    groups: dict[str, list[check_catalogue.Rule]] = {}
    for rule in check_catalogue.catalogue(context):
        groups.setdefault(rule.task, []).append(rule)
    return render(
        request,
        "checks.html",
        groups=list(groups.items()),
        looked_at=check_catalogue.looked_at(context),
    )


@place.page("/checks/{name}", May.LOOK)
def rule(request: Request, context: RequestContext, name: str, after: str = "") -> Response:
    found, following = check_catalogue.findings(context, name, after=after)
    rows = [(f, PAGES.get(f.subject, "").format(f.ref.lstrip("+"))) for f in found]
    return render(
        request,
        "check.html",
        rule=check_catalogue.the_rule(context, name),
        rows=rows,
        following=following,
    )


@place.action("/checks/{name}/level", May.SET_RULES)
def level(
    request: Request, context: RequestContext, name: str, stop: Annotated[str, Form()] = ""
) -> Response:
    check_catalogue.raise_rule(context, name, to_stop=bool(stop))
    return go(request, f"/checks/{name}")


@place.action("/checks/{name}/mend", May.CHANGE_ESTATE)
def mend(request: Request, context: RequestContext, name: str) -> Response:
    return go(request, f"/work-orders/{check_catalogue.mend(context, name).no}")


@place.action("/checks", May.CHANGE_ESTATE)
def check_now(request: Request, context: RequestContext) -> Response:
    check_catalogue.check_everything(context)
    return go(request, "/checks")
