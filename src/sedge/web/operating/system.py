"""The page System: how the installation is that serves the organisation."""

from fastapi import Request
from fastapi.responses import Response

from sedge import __version__
from sedge.core.access.roles import May
from sedge.services.operating import health
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw

place = Place()


@place.page("/system", May.SET_RULES)
def system(request: Request, desk: AtDesk) -> Response:
    return draw(request, "installation.html", system=health.system(desk), version=__version__)
