"""Help: what words mean, which keys do what, and where everything is."""

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw
from sedge.web.shared.sections import SECTIONS
from sedge.web.shared.terms import TERMS, anchor

place = Place()


@place.page("/help", May.LOOK)
def help_page(request: Request, desk: AtDesk) -> Response:
    """For every role: only what that role may open is linked."""
    words = [(word, anchor(word), meaning) for word, meaning in TERMS.items()]
    return draw(request, "help.html", words=words, rows=SECTIONS)
