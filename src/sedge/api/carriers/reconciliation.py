"""Drift over the interface: what carriers' lists and the estate have differently, and putting it
right."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import DraftedOut, drafted_out, moment
from sedge.api.carriers.answers import DriftAcceptedOut, DriftOut
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.services.carriers import reconciliation

resource = Resource(tags=["drift"])


class Right(BaseModel):
    """`chosen` are ids of differences. `follow`: the estate becomes what the carriers list, with
    numbers nobody knew at `site`; `tell`: the carriers are told what is so here."""

    model_config = ConfigDict(extra="forbid")
    chosen: list[str] = Field(min_length=1, max_length=reconciliation.MOST_AT_ONCE)
    direction: Literal["follow", "tell"]
    site: str = ""


class Known(BaseModel):
    model_config = ConfigDict(extra="forbid")
    chosen: list[str] = Field(min_length=1, max_length=reconciliation.MOST_AT_ONCE)
    why: str = Field(min_length=3, max_length=reconciliation.MOST_WORDS)


@resource.read("/drift", May.SEE_MONEY)
def show_differences(context: RequestContext, account: str = "", kind: str = "") -> DriftOut:
    """Differences as they were when the lists were compared last (the first 200), and when that
    was."""
    view = reconciliation.view_drift(context, account=account, kind=kind)
    return {
        "accounts": [
            {
                "id": a.account.id,
                "compared_at": moment(a.at) if a.at else None,
                "listed": a.theirs,
                "here": a.ours,
                "problem": a.problem or None,
                "differ": {k.value: n for k, n in a.counts.items()},
                "accepted": a.accepted,
            }
            for a in view.accounts
        ],
        "items": [
            {
                "id": f"{d.account}/{d.e164}/{d.kind.value}",
                "account": d.account,
                "number": d.e164,
                "kind": d.kind.value,
                "ours": d.ours,
                "theirs": d.theirs,
                "means": d.meaning.means,
                "grave": d.meaning.grave,
                "since": moment(d.first_seen),
                "accepted_by": d.accepted_by or None,
                "why": d.why or None,
            }
            for d in view.rows
        ],
        "total": view.total,
        "next": None,
    }


@resource.write("/drift/compare", May.SEE_MONEY)
def compare(context: RequestContext) -> DriftOut:
    """Every list once more, now."""
    reconciliation.compare_all(context)
    return show_differences(context)


@resource.write("/drift/put-right", May.RELEASE, status_code=201)
def put_right(context: RequestContext, asked: Right) -> DraftedOut:
    """A draft of the work order that does it."""
    return drafted_out(
        reconciliation.put_right(context, asked.chosen, direction=asked.direction, site=asked.site)
    )


@resource.write("/drift/accept", May.RELEASE)
def accept(context: RequestContext, asked: Known) -> DriftAcceptedOut:
    """Known, and may stay."""
    return {"accepted": reconciliation.accept(context, asked.chosen, asked.why)}
