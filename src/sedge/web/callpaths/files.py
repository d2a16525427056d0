"""Call paths and hours as files, out and in."""

from typing import Annotated

from fastapi import Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.formats.path_json import MOST_BYTES
from sedge.services.callpaths import path_files
from sedge.services.holders import site_management
from sedge.web.callpaths.drawing import redraw
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render

place = Place()


def _file(data: bytes | str, name: str, media: str, **headers: str) -> Response:
    return Response(
        data,
        media_type=media,
        headers={"Content-Disposition": f'attachment; filename="{name}"', **headers},
    )


@place.page("/paths/{key}/path.json", May.LOOK)
def as_json(context: RequestContext, key: str) -> Response:
    return _file(path_files.as_json(context, key), f"{key}.json", "application/json")


@place.page("/paths/{key}/path.cpl", May.LOOK)
def as_cpl(context: RequestContext, key: str) -> Response:
    return _file(path_files.as_cpl(context, key).data, f"{key}.cpl", "application/cpl+xml")


@place.page("/paths/{key}/cpl", May.LOOK)
def cpl_report(request: Request, context: RequestContext, key: str) -> Response:
    """What CPL can't say of a path, before it is taken along."""
    return render(request, "cpl.html", key=key, written=path_files.as_cpl(context, key))


@place.page("/paths/{key}/hours.ics", May.LOOK)
def hours(context: RequestContext, key: str) -> Response:
    return _file(
        path_files.hours_calendar(context, key), f"{key}-hours.ics", "text/calendar; charset=utf-8"
    )


@place.page("/enum.zone", May.LOOK)
def enum(context: RequestContext) -> Response:
    return _file(path_files.enum(context), "enum.zone", "text/dns")


@place.page("/paths/bring-in", May.CHANGE_ESTATE)
def bring_in_page(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "bring_in.html",
        sites=[(s.id, s.name) for s in site_management.plain_sites(context)],
        report=None,
        key="",
    )


@place.action("/paths/bring-in", May.CHANGE_ESTATE)
def bring_in(
    request: Request,
    context: RequestContext,
    file: UploadFile,
    name: Annotated[str, Form()] = "",
    site: Annotated[str, Form()] = "",
) -> Response:
    key, report = path_files.bring_in(
        context, file.file.read(MOST_BYTES + 1), name=name, site=site, file=file.filename or ""
    )
    return render(request, "_brought_in.html", report=report, key=key)


@place.action("/paths/{key}/draw/calendar", May.CHANGE_ESTATE)
def calendar(
    request: Request,
    context: RequestContext,
    key: str,
    file: UploadFile,
    version: Annotated[int, Form()],
    step: Annotated[str, Form()],
) -> Response:
    """Openings and closures of a calendar into the chosen hours."""
    report = path_files.take_hours(context, key, version, step, file.file.read(MOST_BYTES + 1))
    return redraw(request, context, key, step, said=" ".join(report))
