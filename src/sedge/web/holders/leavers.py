"""People who have left and are still named, and when their personal data is erased by itself."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.holders import erasure_rule
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
HERE = "/holders/leavers"


@place.page(HERE, May.SET_RULES)
def leavers(request: Request, context: RequestContext) -> Response:
    return render(request, "leavers.html", rule=erasure_rule.view(context))


@place.action(HERE, May.SET_RULES)
def set_rule(
    request: Request, context: RequestContext, days: Annotated[str, Form(max_length=20)] = ""
) -> Response:
    plain = days.strip() or "0"
    if not (plain.isascii() and plain.isdigit()):
        raise NotUnderstood("Type a number of days, or 0 for never by itself.", field="days")
    erasure_rule.set_days(context, int(plain))
    return go(request, HERE)
