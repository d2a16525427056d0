"""The page System: how the installation is that serves the organisation."""

from fastapi import Request
from fastapi.responses import Response

from sedge import __version__
from sedge.core.access.roles import May
from sedge.services.operating import health
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render

place = Place()


@place.page("/system", May.SET_RULES)
def system(request: Request, context: RequestContext) -> Response:
    return render(request, "installation.html", system=health.system(context), version=__version__)
