"""Emergency reach: from every site every emergency number, and over which trunks."""

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.enums import HolderKind
from sedge.core.safety.emergency_matrix import HOLDERS
from sedge.services.outbound import emergency_reach
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render

place = Place()
NAMES = {
    HolderKind.PERSON: "people",
    HolderKind.SERVICE_LINE: "service lines",
    HolderKind.SITE: "the site itself",
    HolderKind.DOWNSTREAM: "downstream systems",
}


@place.page("/safety/reach", May.LOOK)
def reach(request: Request, context: RequestContext) -> Response:
    rows = emergency_reach.rows(context)
    kinds = [NAMES[kind] for kind in HOLDERS]
    return render(request, "emergency_reach.html", rows=rows, kinds=kinds)
