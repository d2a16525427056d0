"""Taking over an estate: its files, the worksheet of what could not be matched, the work order that
comes of it."""

from typing import Annotated

from fastapi import File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.imports import take_over
from sedge.web.imports import take_over_views as views
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, render

place = Place()


@place.page("/numbers/take-over", May.IMPORT)
def list_take_overs(request: Request, context: RequestContext) -> Response:
    return render(request, "take_overs.html", rows=take_over.list_take_overs(context))


@place.action("/numbers/take-over", May.IMPORT)
def begin(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    files: Annotated[list[UploadFile] | None, File()] = None,
) -> Response:
    one = take_over.begin(context, name)
    for file in files or []:
        if file.filename:
            take_over.add_file(context, one.id, file.filename, file.file)
    return go(request, f"/numbers/take-over/{one.id}")


@place.action("/numbers/take-over/untidy", May.IMPORT)
def begin_with_untidy_files(request: Request, context: RequestContext) -> Response:
    return go(request, f"/numbers/take-over/{take_over.begin_with_untidy_files(context).id}")


@place.page("/numbers/take-over/{key}", May.IMPORT)
def worksheet(request: Request, context: RequestContext, key: str) -> Response:
    page = views.page(take_over.view_sitting(context, key))
    return render(request, "_worksheet.html" if is_swap(request) else "take_over.html", page=page)


def _again(request: Request, context: RequestContext, key: str) -> Response:
    if is_swap(request):
        return render(
            request, "_worksheet.html", page=views.page(take_over.view_sitting(context, key))
        )
    return RedirectResponse(f"/numbers/take-over/{key}", 303)


@place.action("/numbers/take-over/{key}/files", May.IMPORT)
def add_file(
    request: Request, context: RequestContext, key: str, file: Annotated[UploadFile, File()]
) -> Response:
    take_over.add_file(context, key, file.filename or "file", file.file)
    return go(request, f"/numbers/take-over/{key}")


@place.page("/numbers/take-over/{key}/files/{file}", May.IMPORT)
def columns_page(request: Request, context: RequestContext, key: str, file: int) -> Response:
    return render(
        request,
        "take_over_columns.html",
        page=views.columns_page(take_over.view_sitting(context, key), file),
    )


@place.action("/numbers/take-over/{key}/files/{file}", May.IMPORT)
async def settle_columns(
    request: Request, context: RequestContext, key: str, file: int
) -> Response:
    form = {name: str(value) for name, value in (await request.form()).items()}
    mapping: dict[str, int] = {}
    for name, value in form.items():
        at = name.removeprefix("column-")
        if value and at.isdigit() and name != at:
            if value in mapping:
                raise NotUnderstood(
                    f"Two columns can't both be {value}. Choose one of them.", field=name
                )
            mapping[value] = int(at)
    await run_in_threadpool(take_over.settle_columns, context, key, file, mapping)
    return go(request, f"/numbers/take-over/{key}")


@place.action("/numbers/take-over/{key}/words", May.IMPORT)
def settle_word(
    request: Request,
    context: RequestContext,
    key: str,
    ask: Annotated[str, Form()] = "",
    word: Annotated[str, Form()] = "",
    meaning: Annotated[str, Form()] = "",
) -> Response:
    take_over.settle_word(context, key, ask, word, meaning)
    return _again(request, context, key)


@place.action("/numbers/take-over/{key}/rows", May.IMPORT)
def settle_rows(
    request: Request,
    context: RequestContext,
    key: str,
    rows: Annotated[str, Form()] = "",
    number: Annotated[str, Form()] = "",
    who: Annotated[str, Form()] = "",
    email: Annotated[str, Form()] = "",
    leave: Annotated[str, Form()] = "",
) -> Response:
    take_over.settle_rows(
        context,
        key,
        take_over.parse_rows(rows),
        views.said(number=number, who=who, email=email, leave=leave),
    )
    return _again(request, context, key)


@place.action("/numbers/take-over/{key}/leave", May.IMPORT)
def leave_open_ones(request: Request, context: RequestContext, key: str) -> Response:
    take_over.leave_open_ones(context, key)
    return _again(request, context, key)


@place.action("/numbers/take-over/{key}/again", May.IMPORT)
def ask_again(request: Request, context: RequestContext, key: str) -> Response:
    take_over.ask_again(context, key)
    return _again(request, context, key)


@place.action("/numbers/take-over/{key}/forget", May.IMPORT)
def forget(request: Request, context: RequestContext, key: str) -> Response:
    take_over.forget(context, key)
    return go(request, "/numbers/take-over")


@place.action("/numbers/take-over/{key}/order", May.IMPORT)
def make_order(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{take_over.make_order(context, key).no}")
