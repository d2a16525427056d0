"""A form whose change runs at once, or is reviewed as a work order first."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.services.context import Context
from sedge.services.workorders.at_once import run_if_clear
from sedge.web.shared.rendering import go

Now = Annotated[str, Form(description="of the button that saves at once where nothing is in doubt")]


def run_or_review(request: Request, context: Context, order: int, page: str, now: str) -> Response:
    """Back on `page` with a notice where `now` was pressed and the draft ran; else its work
    order."""
    if now and run_if_clear(context, str(order)) is None:
        return go(request, f"{page}{'&' if '?' in page else '?'}done={order}")
    return go(request, f"/work-orders/{order}")
