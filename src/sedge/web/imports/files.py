"""Files of numbers: imported column by column and row by row, and out as they are shown."""

from typing import Annotated

from fastapi import File, Request, UploadFile
from fastapi.responses import Response, StreamingResponse
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.holders import site_management
from sedge.services.imports import number_files
from sedge.services.numbers import columns, number_export
from sedge.services.trunks import trunks
from sedge.web.imports import file_views
from sedge.web.numbers.query import ThePage, end_of_day
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()


@place.page("/numbers/files", May.IMPORT)
def files(request: Request, context: RequestContext) -> Response:
    rows = [file_views.row(f) for f in number_files.list_files(context)]
    return render(
        request,
        "_number_files.html" if target(request) == "files" else "number_files.html",
        files=rows,
    )


@place.action("/numbers/files", May.IMPORT)
def receive(
    request: Request, context: RequestContext, file: Annotated[UploadFile, File()]
) -> Response:
    kept = number_files.receive(context, file.filename or "file", file.file)
    return go(request, f"/numbers/files/{kept.id}")


@place.page("/numbers/files/{key}", May.IMPORT)
def one_file(request: Request, context: RequestContext, key: str) -> Response:
    page = file_views.page(
        number_files.get(context, key),
        [name for _, name in site_management.site_choices(context)],
        trunks.account_names(context),
    )
    return render(
        request, "_number_file.html" if target(request) == "file" else "number_file.html", page=page
    )


@place.action("/numbers/files/{key}/columns", May.IMPORT)
async def settle_columns(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value).strip() for name, value in (await request.form()).items()}
    return await run_in_threadpool(_settle_columns, request, context, key, form)


def _settle_columns(
    request: Request, context: RequestContext, key: str, form: dict[str, str]
) -> Response:
    file = number_files.get(context, key)
    mapping: dict[str, int] = {}
    for at, title in enumerate(file.header):
        name = form.get(f"column-{at}", "")
        if name == "known":
            name = f"known:{title[:40] or 'other system'}"
        if name in mapping:
            raise NotUnderstood(
                f"Two columns can't both be {name}. Choose one of them.", field=f"column-{at}"
            )
        if name:
            mapping[name] = at
    options = {name: form[name] for name in ("site", "account", "price") if form.get(name)}
    number_files.settle_columns(context, key, mapping, options)
    return go(request, f"/numbers/files/{key}")


@place.action("/numbers/files/{key}/begin", May.IMPORT)
def begin(request: Request, context: RequestContext, key: str) -> Response:
    number_files.begin(context, key)
    return go(request, f"/numbers/files/{key}")


@place.action("/numbers/files/{key}/leave", May.IMPORT)
def leave(request: Request, context: RequestContext, key: str) -> Response:
    number_files.leave(context, key)
    return go(request, "/numbers/files")


@place.page("/numbers/files/{key}/faults.csv", May.IMPORT)
def faults(context: RequestContext, key: str) -> Response:
    """The rows that can't be imported, each with why."""
    return StreamingResponse(
        number_files.faults_of(context, key),
        media_type=number_export.TYPES["csv"],
        headers=_saved_as("rows-not-brought-in.csv"),
    )


@place.page("/exports/numbers.{form}", May.LOOK)
def export(context: RequestContext, query: ThePage, form: str) -> Response:
    """What the page shows, as a file."""
    found = number_export.numbers(
        context,
        form,
        query.filter(context),
        columns.chosen(query.show, context.who.role),
        sort=query.sort,
        at=end_of_day(context, query.at),
    )
    return StreamingResponse(
        found, media_type=number_export.TYPES[form], headers=_saved_as(f"numbers.{form}")
    )


def _saved_as(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}
