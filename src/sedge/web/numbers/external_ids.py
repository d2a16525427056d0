"""What other systems call our numbers, sites, areas and spots."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response, StreamingResponse

from sedge.core.access.roles import May
from sedge.services.numbers import external_ids, number_export
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()


@place.page("/numbers/known-elsewhere", May.LOOK)
def list_external_ids(
    request: Request, context: RequestContext, find: str = "", system: str = "", kind: str = ""
) -> Response:
    rows = external_ids.list_ids(
        context,
        find=find[:120],
        system=system[:40],
        kind=kind if kind in external_ids.KINDS else "",
    )
    return render(
        request,
        "known_elsewhere.html",
        rows=rows,
        find=find,
        system=system,
        kind=kind,
        systems=[(s, s) for s in external_ids.systems(context)],
        kinds=[(k, k) for k in external_ids.KINDS],
    )


@place.action("/numbers/known-elsewhere", May.EDIT_FACTS)
def note(
    request: Request,
    context: RequestContext,
    kind: Annotated[str, Form()] = "",
    which: Annotated[str, Form()] = "",
    system: Annotated[str, Form()] = "",
    elsewhere: Annotated[str, Form()] = "",
) -> Response:
    external_ids.note(context, kind, which, system, elsewhere)
    return go(request, "/numbers/known-elsewhere")


@place.page("/exports/known-elsewhere.csv", May.LOOK)
def export(context: RequestContext) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="known-elsewhere.csv"'}
    return StreamingResponse(
        external_ids.exported(context), media_type=number_export.TYPES["csv"], headers=headers
    )
