"""How the steps of a call path were used by calls."""

from typing import Annotated

from fastapi import Query
from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.services.spend import usage

resource = Resource(tags=["call paths"])
Since = Annotated[str, Query(alias="from", max_length=40)]
Until = Annotated[str, Query(alias="to", max_length=40)]


class ExitUseOut(TypedDict):
    exit: str
    calls: int
    share: float


class StepUseOut(TypedDict):
    """`seconds` that a call stayed, on average; `gave_up` are calls whose caller hung up in the
    step; `exits` are those by which calls went on or ended there."""

    step: str
    title: str
    kind: str
    calls: int
    seconds: float
    gave_up: int
    exits: list[ExitUseOut]


class PathUseOut(TypedDict):
    first: str
    last: str
    steps: list[StepUseOut]


@resource.read("/paths/{key}/use")
def use(context: RequestContext, key: str, since: Since = "", until: Until = "") -> PathUseOut:
    """Of each step that the path has now, in the order in which calls come to it; the last 30 days
    where none are named."""
    first, last = usage.read_days(context, since, until)
    return {
        "first": first.isoformat(),
        "last": last.isoformat(),
        "steps": [
            {
                "step": s.step,
                "title": s.title,
                "kind": s.kind,
                "calls": s.calls,
                "seconds": round(s.seconds, 1),
                "gave_up": s.gave_up,
                "exits": [
                    {"exit": e.exit, "calls": e.calls, "share": round(e.share, 4)} for e in s.exits
                ],
            }
            for s in usage.of_steps(context, key, first, last)
        ],
    }
