"""Files in and out: numbers imported and exported, take-overs of estates, ids of other
systems."""

import io
from typing import Annotated

from fastapi import Depends, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from sedge.api.answers import Page
from sedge.api.imports.answers import (
    NotedOut,
    NumberFileOut,
    TakeOverOrderOut,
    TakeOverOut,
    TakeOverRowOut,
    number_file_out,
    take_over_out,
)
from sedge.api.numbers.numbers import Wanted
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.formats.sheets import MOST_BYTES
from sedge.services.imports import number_files, take_over
from sedge.services.numbers import columns, external_ids, number_export
from sedge.services.numbers.external_ids import Known

resource = Resource(tags=["files"])


async def file_of(request: Request) -> io.BytesIO:
    """The request's body, refused past 250 MB before it is all there."""
    kept = io.BytesIO()
    async for piece in request.stream():
        if kept.tell() + len(piece) > MOST_BYTES:
            raise NotUnderstood(
                "A file may have 250 MB; this is larger. Split it into parts.", field="body"
            )
        kept.write(piece)
    kept.seek(0)
    return kept


TheFile = Annotated[io.BytesIO, Depends(file_of)]


@resource.write("/imports/numbers", May.IMPORT)
async def import_numbers(
    context: RequestContext,
    data: TheFile,
    dry_run: bool = False,
    name: str = "file",
    site: str = "",
    account: str = "",
    price: str = "",
) -> NumberFileOut:
    """A CSV or XLSX file as the body; `dry_run` only looks. Bad rows are left out and named; the
    same file again changes nothing. `site`, `account` and `price` stand for columns that are
    missing. A large file goes on by itself: look at `/imports/numbers/{key}`.
    """

    def done() -> NumberFileOut:
        file = number_files.receive(context, name, data)
        options = {k: v for k, v in {"site": site, "account": account, "price": price}.items() if v}
        if options:
            file = number_files.settle_columns(
                context, file.id, file.mapping, {**file.options, **options}
            )
        if not dry_run and file.state == "read" and (file.report.new or file.report.changed):
            number_files.begin(context, file.id)
            file = number_files.get(context, file.id)
        return number_file_out(file)

    return await run_in_threadpool(done)


@resource.read("/imports/numbers/{key}", May.IMPORT)
def imported_file(context: RequestContext, key: str) -> NumberFileOut:
    """How far a file is, and what was found in it."""
    return number_file_out(number_files.get(context, key))


@resource.write("/imports/numbers/{key}/begin", May.IMPORT)
def begin_import(context: RequestContext, key: str) -> NumberFileOut:
    """Import what was looked through, by a work order."""
    number_files.begin(context, key)
    return number_file_out(number_files.get(context, key))


@resource.file("/exports/numbers.{form}", May.LOOK, *number_export.TYPES.values())
def export_numbers(
    context: RequestContext, wanted: Wanted, form: str, show: str = "", sort: str = "number"
) -> Response:
    """Numbers as csv, xlsx or json; the filters are those of `/numbers`, `show` has columns with
    commas between."""
    shown = columns.chosen(show, context.who.role) if show else columns.seen_by(context.who.role)
    return StreamingResponse(
        number_export.numbers(context, form, wanted, shown, sort=sort),
        media_type=number_export.TYPES[form],
    )


class Named(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=120)


class WordMeans(BaseModel):
    model_config = ConfigDict(extra="forbid")
    ask: str = Field(max_length=20)
    word: str = Field(max_length=200)
    meaning: str = Field(default="", max_length=80)


class RowsSay(BaseModel):
    model_config = ConfigDict(extra="forbid")
    rows: list[tuple[int, int]] = Field(min_length=1, max_length=20_000)
    said: dict[str, str]


@resource.read("/take-overs", May.IMPORT)
def take_overs(context: RequestContext) -> Page[TakeOverRowOut]:
    items: list[TakeOverRowOut] = [
        {"id": one.id, "name": one.name, "state": one.state, "work_order": one.work_order}
        for one in take_over.list_take_overs(context)
    ]
    return {"items": items, "next": None}


@resource.write("/take-overs", May.IMPORT, status_code=201)
def begin_take_over(context: RequestContext, body: Named) -> TakeOverOut:
    return take_over_out(take_over.view_sitting(context, take_over.begin(context, body.name).id))


@resource.write("/take-overs/{key}/files", May.IMPORT, status_code=201)
async def add_to_take_over(
    context: RequestContext, key: str, data: TheFile, name: str = "file"
) -> TakeOverOut:
    """One more CSV or XLSX file, as the body."""

    def done() -> TakeOverOut:
        take_over.add_file(context, key, name, data)
        return take_over_out(take_over.view_sitting(context, key))

    return await run_in_threadpool(done)


@resource.read("/take-overs/{key}", May.IMPORT)
def worksheet(context: RequestContext, key: str) -> TakeOverOut:
    """What comes of the files so far, and what is still asked."""
    return take_over_out(take_over.view_sitting(context, key))


@resource.write("/take-overs/{key}/words", May.IMPORT)
def settle_word(context: RequestContext, key: str, body: WordMeans) -> TakeOverOut:
    """What a word means, for every row that uses it; an empty meaning is nothing."""
    take_over.settle_word(context, key, body.ask, body.word, body.meaning)
    return take_over_out(take_over.view_sitting(context, key))


@resource.write("/take-overs/{key}/rows", May.IMPORT)
def settle_rows(context: RequestContext, key: str, body: RowsSay) -> TakeOverOut:
    """What rows (file and line) say instead: number, who, email, site, state, or `leave`: `yes`."""
    take_over.settle_rows(context, key, body.rows, body.said)
    return take_over_out(take_over.view_sitting(context, key))


@resource.write("/take-overs/{key}/leave", May.IMPORT)
def leave_open_ones(context: RequestContext, key: str) -> TakeOverOut:
    """Leave out every row that something is still asked about."""
    take_over.leave_open_ones(context, key)
    return take_over_out(take_over.view_sitting(context, key))


@resource.write("/take-overs/{key}/order", May.IMPORT, status_code=201)
def make_order(context: RequestContext, key: str) -> TakeOverOrderOut:
    """The one work order that takes everything settled over, as a draft."""
    order = take_over.make_order(context, key)
    return {"work_order": order.id, "no": order.no, "tasks": len(order.tasks)}


class Noted(BaseModel):
    model_config = ConfigDict(extra="forbid")
    kind: str = Field(max_length=20)
    which: str = Field(max_length=200)
    system: str = Field(max_length=80)
    id: str = Field(default="", max_length=400)


@resource.read("/known-elsewhere")
def known(context: RequestContext, find: str = "", system: str = "", kind: str = "") -> Page[Known]:
    """Ids under which other systems know numbers, sites, areas and spots."""
    return {
        "items": external_ids.list_ids(context, find=find, system=system, kind=kind),
        "next": None,
    }


@resource.write("/known-elsewhere", May.EDIT_FACTS)
def note(context: RequestContext, body: Noted) -> NotedOut:
    """Note an id; an empty one is forgotten."""
    record = external_ids.note(context, body.kind, body.which, body.system, body.id)
    return {
        "kind": body.kind,
        "ref": getattr(record, "e164", record.id),
        "known_as": record.known_as,
    }
