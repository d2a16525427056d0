"""Drift: what carriers' lists and the estate have differently, and putting it right in either
direction."""

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.services.carriers import reconciliation
from sedge.services.holders import site_management
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()


@place.page("/carriers/drift", May.SEE_MONEY)
def show_differences(
    request: Request, context: RequestContext, account: str = "", kind: str = ""
) -> Response:
    return render(
        request,
        "drift.html",
        view=reconciliation.view_drift(context, account=account, kind=kind),
        sites=site_management.site_choices(context),
    )


@place.action("/carriers/drift/compare", May.SEE_MONEY)
def compare(request: Request, context: RequestContext) -> Response:
    """Every list once more, now."""
    reconciliation.compare_all(context)
    return go(request, "/carriers/drift")


@place.action("/carriers/drift/put-right", May.RELEASE)
async def put_right(request: Request, context: RequestContext) -> Response:
    """A work order in the direction chosen; or, with a reason, kept as known."""
    form = await request.form(max_fields=5_000)
    chosen = [str(value)[:200] for name, value in form.multi_items() if name == "chosen"]
    direction = str(form.get("direction", ""))
    if direction == "accept":
        await run_in_threadpool(reconciliation.accept, context, chosen, str(form.get("why", "")))
        return go(request, "/carriers/drift")
    order = await run_in_threadpool(
        reconciliation.put_right,
        context,
        chosen,
        direction=direction,
        site=str(form.get("site", "")),
    )
    return go(request, f"/work-orders/{order.no}")
