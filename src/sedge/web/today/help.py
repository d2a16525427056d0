"""Help: what words mean, which keys do what, and where everything is."""

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render
from sedge.web.shared.sections import SECTIONS
from sedge.web.shared.terms import TERMS, anchor

place = Place()


@place.page("/help", May.LOOK)
def help_page(request: Request, context: RequestContext) -> Response:
    """For every role: only what that role may open is linked."""
    words = [(word, anchor(word), meaning) for word, meaning in TERMS.items()]
    return render(request, "help.html", words=words, rows=SECTIONS)
