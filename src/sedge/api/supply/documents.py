"""Papers: documents on file and requirements by country."""

from typing import Annotated

from fastapi import File, Form, UploadFile
from fastapi.responses import Response

from sedge.api.answers import Page, moment
from sedge.api.routing import RequestContext, Resource
from sedge.api.supply.answers import DocumentOut, RequirementOut
from sedge.core.access.roles import May
from sedge.core.supply.documents import good_until
from sedge.core.supply.records import Document
from sedge.services.supply import documents as papers

resource = Resource(prefix="/documents", tags=["papers"])
Typed = Annotated[str, Form(max_length=200)]


def _shape(d: Document) -> DocumentOut:
    until = good_until(d)
    return {
        "id": d.id,
        "paper": d.paper,
        "title": d.title,
        "filename": d.filename,
        "media_type": d.media_type,
        "size": d.size,
        "sha256": d.sha256,
        "site": d.site,
        "issued_on": str(d.issued_on) if d.issued_on else None,
        "good_until": str(until) if until else None,
        "at": moment(d.at),
    }


@resource.read("", May.SEE_MONEY)
def documents(context: RequestContext) -> Page[DocumentOut]:
    return {"items": [_shape(f.document) for f in papers.on_file(context)], "next": None}


@resource.read("/requirements", May.SEE_MONEY)
def requirements(context: RequestContext) -> Page[RequirementOut]:
    """What carriers want to see, by country and kind of number; no kinds: for any."""
    rows: list[RequirementOut] = [
        {
            "carrier": r.carrier,
            "country": r.country,
            "kinds": list(r.kinds),
            "papers": list(r.papers),
        }
        for r, _ in papers.requirements(context)
    ]
    return {"items": rows, "next": None}


@resource.write("", May.BUY, status_code=201)
def put_on_file(
    context: RequestContext,
    file: Annotated[UploadFile, File()],
    paper: Typed,
    site: Typed = "",
    title: Typed = "",
    issued_on: Typed = "",
    valid_until: Typed = "",
) -> DocumentOut:
    """The same content again is the document that is there. Another paper for an order goes with
    the task `send_paper`."""
    content = file.file.read(papers.MOST_BYTES + 1)
    document = papers.put_on_file(
        context,
        paper=paper,
        filename=file.filename or "",
        content=content,
        site=site,
        title=title,
        issued_on=issued_on,
        valid_until=valid_until,
    )
    return _shape(document)


@resource.write("/{key}", May.BUY, method="DELETE", status_code=204)
def withdraw(context: RequestContext, key: str) -> Response:
    """Off the file: used no more, and kept for what it was used for."""
    papers.withdraw(context, key)
    return Response(status_code=204)
