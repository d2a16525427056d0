"""Call records: files of them read in, and how long they are kept."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.spend.call_rows import FIELDS, missing
from sedge.services.spend import call_records, call_settings, telephone_records
from sedge.store.repositories.spend.call_files import CallFile
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
Typed = Annotated[str, Form(max_length=200)]


@place.page("/spend/calls", May.KEEP_BOOKS)
def files(request: Request, context: RequestContext) -> Response:
    template = "_call_files.html" if target(request) == "files" else "call_files.html"
    return render(
        request,
        template,
        files=call_records.list_files(context),
        settings=call_settings.view(context),
        zones=[(zone, zone) for zone in call_records.zones()],
        home=str(context.installation.home_zone(context.who.organisation)),
    )


@place.action("/spend/calls", May.KEEP_BOOKS)
def receive(
    request: Request,
    context: RequestContext,
    file: Annotated[UploadFile, File()],
    source: Typed = "",
    zone: Typed = "",
) -> Response:
    kept = call_records.receive(
        context, file.filename or "file", file.file, source=source, zone=zone
    )
    return go(request, f"/spend/calls/{kept.id}")


@place.action("/spend/calls/fetch", May.KEEP_BOOKS)
def fetch(request: Request, context: RequestContext) -> Response:
    """From the telephone system, now."""
    telephone_records.fetch(context)
    return go(request, "/spend/usage")


@place.page("/spend/calls/{key}", May.KEEP_BOOKS)
def one_file(request: Request, context: RequestContext, key: str) -> Response:
    file = call_records.get(context, key)
    template = "_call_file.html" if target(request) == "file" else "call_file.html"
    return render(
        request,
        template,
        file=file,
        columns=_columns(file),
        fields=list(FIELDS.items()),
        lacking=missing(file.mapping),
    )


def _columns(file: CallFile) -> list[tuple[int, str, str]]:
    """Each column with the field it is taken for."""
    field = {at: name for name, at in file.mapping.items()}
    return [(at, title, field.get(at, "")) for at, title in enumerate(file.header)]


@place.action("/spend/calls/{key}/columns", May.KEEP_BOOKS)
async def settle_columns(request: Request, context: RequestContext, key: str) -> Response:
    form = {name: str(value) for name, value in (await request.form()).items()}
    file = await run_in_threadpool(call_records.get, context, key)
    mapping: dict[str, int] = {}
    for at in range(len(file.header)):
        name = form.get(f"column-{at}", "")
        if name in mapping:
            message = f"Two columns can't both be {FIELDS.get(name, name)}. Choose one of them."
            raise NotUnderstood(message, field=f"column-{at}")
        if name:
            mapping[name] = at
    await run_in_threadpool(call_records.settle_columns, context, key, mapping)
    return go(request, f"/spend/calls/{key}")


@place.action("/spend/calls/{key}/discard", May.KEEP_BOOKS)
def discard(request: Request, context: RequestContext, key: str) -> Response:
    call_records.leave(context, key)
    return go(request, "/spend/calls")


@place.action("/spend/calls/settings", May.SET_RULES)
def change_settings(
    request: Request, context: RequestContext, keep_days: Typed = "", shorten: Typed = ""
) -> Response:
    plain = keep_days.strip() or "0"
    if not plain.isascii() or not plain.isdigit() or len(plain) > 5:
        raise NotUnderstood("Type a number of days, or 0 for good.", field="keep_days")
    call_settings.change_call_settings(context, keep_days=int(plain), shorten=bool(shorten))
    return go(request, "/spend/calls")
