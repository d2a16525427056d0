"""Papers: what is on file, requirements by country, uploads; another paper for an order whose was
rejected."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.supply.documents import PAPERS
from sedge.services.holders import site_management
from sedge.services.supply import documents
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=200)]


@place.page("/supply/papers", May.SEE_MONEY)
def on_file(request: Request, context: RequestContext, site: str = "", paper: str = "") -> Response:
    sites = [(s.id, s.name) for s in site_management.plain_sites(context)]
    return render(
        request,
        "papers.html",
        filed=documents.on_file(context),
        asked=documents.requirements(context),
        kinds=PAPERS,
        sites=sites,
        site=site,
        paper=paper,
    )


@place.action("/supply/papers", May.BUY)
def put_on_file(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile | None, File()] = None,
    paper: Typed = "",
    site: Typed = "",
    title: Typed = "",
    issued_on: Typed = "",
    valid_until: Typed = "",
    order: Typed = "",
    instead_of: Typed = "",
) -> Response:
    """Onto the file; for an order whose paper was rejected also on to the carrier."""
    if file is None:
        raise NotUnderstood("Choose a file.", field="file")
    content = file.file.read(documents.MOST_BYTES + 1)
    document = documents.put_on_file(
        context,
        paper=paper,
        filename=file.filename or "",
        content=content,
        site=site,
        title=title,
        issued_on=issued_on,
        valid_until=valid_until,
    )
    if order:
        documents.send_another(context, order, instead_of, document.id)
        return go(request, f"/supply/orders/{order}")
    return go(request, "/supply/papers")


@place.page("/supply/papers/{key}/file", May.SEE_MONEY)
def download(context: RequestContext, key: str) -> Response:
    """As an attachment, whatever it is: nothing that was uploaded is ever shown as a page."""
    document, content = documents.content_of(context, key)
    headers = {
        "Content-Disposition": f'attachment; filename="{document.filename}"',
        "Content-Security-Policy": "sandbox; default-src 'none'",
    }
    return Response(content, media_type=document.media_type, headers=headers)


@place.action("/supply/papers/{key}/withdraw", May.BUY)
def withdraw(request: Request, context: RequestContext, key: str) -> Response:
    documents.withdraw(context, key)
    return go(request, "/supply/papers")


@place.action("/supply/orders/{key}/papers", May.BUY)
def send_another(
    request: Request,
    context: RequestContext,
    key: str,
    instead_of: Typed = "",
    document: Typed = "",
) -> Response:
    """One that is on file already, for one that was rejected."""
    documents.send_another(context, key, instead_of, document)
    return go(request, f"/supply/orders/{key}")
