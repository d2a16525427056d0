"""A trunk's list of numbers: as the trunk expects it, and beside the other side's."""

from typing import Annotated

from fastapi import Form, Request, UploadFile
from fastapi.responses import PlainTextResponse, Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.trunks.number_lists import LONGEST_TEXT
from sedge.services.trunks import number_lists
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
MOST_SHOWN = 200


@place.page("/carriers/trunks/{key}/list", May.LOOK)
def trunk_list(request: Request, context: RequestContext, key: str) -> Response:
    seen = number_lists.compare(context, key, MOST_SHOWN)
    return render(request, "trunk_list.html", seen=seen, most=MOST_SHOWN)


@place.action("/carriers/trunks/{key}/list", May.TRUNKS)
def give_list(
    request: Request,
    context: RequestContext,
    key: str,
    text: Annotated[str, Form(max_length=LONGEST_TEXT + 1)] = "",
    file: UploadFile | None = None,
) -> Response:
    """The other side's list, pasted or as a file of text."""
    if file is not None and file.filename:
        text = _decoded(file.file.read(LONGEST_TEXT + 1))
    number_lists.give_their_list(context, key, text)
    return go(request, f"/carriers/trunks/{key}/list")


def _decoded(content: bytes) -> str:
    for encoding in ("utf-8-sig", "cp1252"):
        try:
            text = content.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text
    message = "This file is no text. Save the list as CSV or as text, then choose it again."
    raise NotUnderstood(message, field="file", reason="not-text")


@place.action("/carriers/trunks/{key}/list/forget", May.TRUNKS)
def forget_list(request: Request, context: RequestContext, key: str) -> Response:
    number_lists.forget_their_list(context, key)
    return go(request, f"/carriers/trunks/{key}/list")


@place.action("/carriers/trunks/{key}/list/order", May.CHANGE_ESTATE)
def order_listing(request: Request, context: RequestContext, key: str) -> Response:
    """A draft that lists here what they have on their list and what is ours."""
    return go(request, f"/work-orders/{number_lists.draft_listing(context, key).no}")


@place.page("/carriers/trunks/{key}/list/missing.csv", May.LOOK)
def missing_csv(context: RequestContext, key: str) -> Response:
    """What the other side has to add, for a letter to it."""
    missing = number_lists.compare(context, key).found.missing
    return _csv(f"missing-{key}", missing)


@place.page("/carriers/trunks/{key}/numbers.txt", May.LOOK)
def numbers_text(context: RequestContext, key: str) -> Response:
    """The numbers of its list, one a line, as the trunk expects them."""
    _, numbers = number_lists.as_expected(context, key)
    return PlainTextResponse("".join(f"{number}\n" for number in numbers))


@place.page("/carriers/trunks/{key}/numbers.csv", May.LOOK)
def numbers_csv(context: RequestContext, key: str) -> Response:
    trunk, numbers = number_lists.as_expected(context, key)
    return _csv(f"numbers-{trunk.id}", numbers)


def _csv(name: str, numbers: list[str] | tuple[str, ...]) -> Response:
    named = {"Content-Disposition": f'attachment; filename="{name}.csv"'}
    text = "".join(f"{number}\r\n" for number in ("number", *numbers))
    return Response(text, media_type="text/csv; charset=utf-8", headers=named)
