"""Call paths and hours as files, out and in."""

from typing import Annotated

from fastapi import Form, Request, UploadFile
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.formats.path_json import MOST_BYTES
from sedge.services.callpaths import path_files
from sedge.services.holders import site_management
from sedge.web.callpaths.drawing import again
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw

place = Place()


def _file(data: bytes | str, name: str, media: str, **headers: str) -> Response:
    return Response(
        data,
        media_type=media,
        headers={"Content-Disposition": f'attachment; filename="{name}"', **headers},
    )


@place.page("/paths/{key}/path.json", May.LOOK)
def as_json(desk: AtDesk, key: str) -> Response:
    return _file(path_files.as_json(desk, key), f"{key}.json", "application/json")


@place.page("/paths/{key}/path.cpl", May.LOOK)
def as_cpl(desk: AtDesk, key: str) -> Response:
    return _file(path_files.as_cpl(desk, key).data, f"{key}.cpl", "application/cpl+xml")


@place.page("/paths/{key}/cpl", May.LOOK)
def cpl_report(request: Request, desk: AtDesk, key: str) -> Response:
    """What CPL can't say of a path, before it is taken along."""
    return draw(request, "cpl.html", key=key, written=path_files.as_cpl(desk, key))


@place.page("/paths/{key}/hours.ics", May.LOOK)
def hours(desk: AtDesk, key: str) -> Response:
    return _file(
        path_files.hours_calendar(desk, key), f"{key}-hours.ics", "text/calendar; charset=utf-8"
    )


@place.page("/enum.zone", May.LOOK)
def enum(desk: AtDesk) -> Response:
    return _file(path_files.enum(desk), "enum.zone", "text/dns")


@place.page("/paths/bring-in", May.CHANGE_ESTATE)
def bring_in_page(request: Request, desk: AtDesk) -> Response:
    return draw(
        request,
        "bring_in.html",
        sites=[(s.id, s.name) for s in site_management.plain_sites(desk)],
        report=None,
        key="",
    )


@place.action("/paths/bring-in", May.CHANGE_ESTATE)
def bring_in(
    request: Request,
    desk: AtDesk,
    file: UploadFile,
    name: Annotated[str, Form()] = "",
    site: Annotated[str, Form()] = "",
) -> Response:
    key, report = path_files.bring_in(
        desk, file.file.read(MOST_BYTES + 1), name=name, site=site, file=file.filename or ""
    )
    return draw(request, "_brought_in.html", report=report, key=key)


@place.action("/paths/{key}/draw/calendar", May.CHANGE_ESTATE)
def calendar(
    request: Request,
    desk: AtDesk,
    key: str,
    file: UploadFile,
    version: Annotated[int, Form()],
    step: Annotated[str, Form()],
) -> Response:
    """Openings and closures of a calendar into the chosen hours."""
    report = path_files.take_hours(desk, key, version, step, file.file.read(MOST_BYTES + 1))
    return again(request, desk, key, step, said=" ".join(report))
