"""A trunk's list of numbers, and the one that the other side has."""

from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.trunks.number_lists import LONGEST_TEXT
from sedge.services.trunks import number_lists
from sedge.services.trunks.number_lists import Compared

resource = Resource(tags=["trunks"])


class TheirListAsked(BaseModel):
    """A number or a range a line, or a table with a column of them."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=LONGEST_TEXT)


class ListDifferenceOut(TypedDict):
    """`given_at` null: nobody has given their list. `missing` are on ours alone, `extra` on theirs
    alone, `unread` are lines that nothing could be made of."""

    ours: int
    theirs: int
    given_at: str | None
    given_by: str
    missing: list[str]
    extra: list[str]
    unread: list[str]


@resource.read("/trunks/{key}/list-difference")
def list_difference(context: RequestContext, key: str) -> ListDifferenceOut:
    return _out(number_lists.compare(context, key))


@resource.write("/trunks/{key}/their-list", May.TRUNKS, method="PUT")
def give_their_list(context: RequestContext, key: str, asked: TheirListAsked) -> ListDifferenceOut:
    """What the other side has, in place of what it gave before; and how it differs from ours."""
    return _out(number_lists.give_their_list(context, key, asked.text))


@resource.file("/trunks/{key}/numbers.csv", May.LOOK, "text/csv")
def trunk_numbers(context: RequestContext, key: str) -> Response:
    """The numbers of its list, as the trunk expects them."""
    _, numbers = number_lists.as_expected(context, key)
    text = "".join(f"{number}\r\n" for number in ("number", *numbers))
    return Response(text, media_type="text/csv; charset=utf-8")


def _out(seen: Compared) -> ListDifferenceOut:
    return {
        "ours": seen.ours,
        "theirs": seen.theirs,
        "given_at": seen.given_at.isoformat() if seen.given_at else None,
        "given_by": seen.given_by,
        "missing": list(seen.found.missing),
        "extra": list(seen.found.extra),
        "unread": list(seen.unread),
    }
