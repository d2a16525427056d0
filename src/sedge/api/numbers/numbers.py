"""Numbers: the finder, the card, history, small facts, reading typed text, blocks."""

from datetime import datetime
from typing import Annotated

from fastapi import Depends, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import Page, moment, money
from sedge.api.callpaths.answers import proof_out
from sedge.api.ledger.answers import EntryOut, entry_out
from sedge.api.moments import Moment
from sedge.api.numbers.answers import (
    BlockOut,
    CapacityOut,
    CardFactOut,
    CardLifeOut,
    CardOut,
    CountsOut,
    DifferencesItemOut,
    DifferencesOut,
    FeaturesItemOut,
    FeaturesOut,
    NumberOut,
    PastedOut,
    ReadTextCandidateOut,
    ReadTextOut,
    ReadTextProblemOut,
    SavedViewOut,
    SuggestedOut,
    block_out,
    capacity_out,
    number_out,
    saved_view_out,
    was_out,
)
from sedge.api.routing import Cursor, RequestContext, Resource, page_limit
from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import read
from sedge.core.numbers.life import State
from sedge.core.numbers.pasted import LONGEST_PASTE
from sedge.core.numbers.plan import Kind
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Capacity, HolderKind, Subject
from sedge.services.ledger import ledger
from sedge.services.numbers import bulk_actions, estate, features, saved_views
from sedge.services.numbers import capacity_forecast as forecast_service
from sedge.services.numbers import numbers as number_service
from sedge.services.workorders.planner.suggestions import suggest_numbers
from sedge.store.repositories.numbers import Filter

resource = Resource(prefix="/numbers", tags=["numbers"])


class Facts(BaseModel):
    model_config = ConfigDict(extra="forbid")
    label: str | None = Field(default=None, max_length=80)
    note: str | None = Field(default=None, max_length=2000)
    tags: list[str] | None = Field(default=None, max_length=50)
    cost_centre: str | None = Field(default=None, max_length=40)
    known_as: dict[str, str] | None = Field(
        default=None,
        max_length=20,
        description="ids by other systems' names; an empty id forgets one",
    )


class Pasted(BaseModel):
    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=LONGEST_PASTE)


class NumbersWanted(BaseModel):
    """Which numbers are meant; several filters are joined."""

    find: str = ""
    state: str = ""
    site: str = ""
    carrier: str = ""
    holder: str = ""
    capacity: str = ""
    kind: str = ""
    held_by: str = Field(default="", description="a kind of holder, or `nobody`")
    tag: str = ""
    numbers: str = Field(
        default="", description="ranges such as 441134960100-149, with commas between"
    )
    needs_attention: bool = False


ONE_OF: dict[str, set[str]] = {
    "state": set(State),
    "capacity": set(Capacity),
    "kind": set(Kind),
    "held_by": {"nobody", *HolderKind},
}


def wanted_by(context: RequestContext, asked: Annotated[NumbersWanted, Query()]) -> Filter:
    for name, known in ONE_OF.items():
        value = getattr(asked, name)
        if value and value not in known:
            raise NotUnderstood(f"{name} is one of: {', '.join(sorted(known))}.", field=name)
    return Filter(
        number_service.meant(context, asked.find) if asked.find else None,
        asked.state,
        asked.site,
        asked.carrier,
        asked.capacity,
        number_service.holder_ref(asked.holder) if asked.holder else None,
        asked.needs_attention,
        asked.kind,
        asked.held_by,
        asked.tag,
        NumberSet.parse(asked.numbers) if asked.numbers else None,
    )


Wanted = Annotated[Filter, Depends(wanted_by)]


def moment_of(value: datetime | None, field: str = "at") -> datetime | None:
    if value is not None and value.tzinfo is None:
        raise NotUnderstood(
            f"{field} is a moment with its offset, such as 2026-03-12T12:00:00Z.", field=field
        )
    return value


@resource.read("")
def find_numbers(
    context: RequestContext,
    wanted: Wanted,
    sort: str = "number",
    at: Moment | None = None,
    limit: int = 100,
    after: str = "",
) -> Page[NumberOut]:
    listing = estate.list_numbers(
        context, wanted, sort=sort, after=after, limit=page_limit(limit), at=moment_of(at)
    )
    return {
        "items": [number_out(r.number, r.holder_name) for r in listing.rows],
        "next": listing.next,
    }


@resource.read("/counts")
def count_numbers(context: RequestContext, wanted: Wanted) -> CountsOut:
    """How many numbers fit, and how many each value of a further filter would leave. `whole`: false
    where only the first matches of a search were counted."""
    counts = estate.counts_of(context, wanted)
    return {
        "total": counts.total,
        "whole": counts.whole,
        "by": {name: dict(values) for name, values in counts.values.items()},
    }


@resource.read("/differences")
def differences(
    context: RequestContext, one: Moment, other: Moment, site: str = ""
) -> DifferencesOut:
    """Numbers that stood differently at two moments, at most 500; `moved` counts all that changed
    in between."""
    begin, end = moment_of(one, "one"), moment_of(other, "other")
    if begin is None or end is None or begin >= end:
        raise NotUnderstood("one must lie before other.", field="other")
    found = estate.differences(context, begin, end, site)
    rows: list[DifferencesItemOut] = [
        {"e164": f"+{d.number}", "before": was_out(d.before), "after": was_out(d.after)}
        for d in found.rows
    ]
    return {
        "items": rows,
        "moved": found.moved,
        "before": dict(found.before),
        "after": dict(found.after),
    }


@resource.write("/pasted", May.LOOK)
def read_pasted(context: RequestContext, body: Pasted) -> PastedOut:
    """The numbers in a text, whatever stands between them: ranges, which of them are not in the
    estate, and what could not be read."""
    found = bulk_actions.pasted(context, body.text)
    choice = bulk_actions.view_choice(context, bulk_actions.keep_choice(context, found.numbers))
    return {
        "numbers": found.numbers.written,
        "count": len(found.numbers),
        "unknown": choice.unknown.written,
        "unread": list(found.unread),
        "by_state": {s.value: n for s, n in choice.by_state.items()},
    }


@resource.read("/read")
def read_text(text: str = "", country: str = "GB") -> ReadTextOut:
    reading = read(text, country.upper()[:2])
    candidates: list[ReadTextCandidateOut] = [
        {
            "e164": c.e164,
            "national": c.facts.national,
            "kind": c.facts.kind,
            "area": c.facts.area,
            "extension": c.extension,
        }
        for c in reading.candidates
    ]
    problem: ReadTextProblemOut | None = (
        {"code": reading.problem.code, "sentence": reading.problem.sentence}
        if reading.problem
        else None
    )
    return {"candidates": candidates, "problem": problem}


@resource.read("/suggested", May.CHANGE_ESTATE)
def suggested(context: RequestContext, holder: str) -> Page[SuggestedOut]:
    """The free numbers that suit a holder (`person:ID`, `service_line:ID`, `site:ID`), best first,
    each with why."""
    found = suggest_numbers(context, number_service.holder_ref(holder))
    return {"items": [{"e164": s.number.e164, "why": s.why} for s in found], "next": None}


@resource.read("/{number}")
def card(context: RequestContext, number: str, at: Moment | None = None) -> CardOut:
    found = number_service.card(context, number_service.the_number(context, number), moment_of(at))
    facts: list[CardFactOut] = [
        {"name": s.name, "text": s.text, "mark": s.mark} for s in found.standing
    ]
    life: list[CardLifeOut] = [
        {
            "state": s.state,
            "holder": s.holder,
            "since": moment(s.since),
            "until": moment(s.until),
        }
        for s in found.life
    ]
    return {
        **number_out(found.number, found.holder_name),
        "facts": facts,
        "life": life,
        "proofs": [proof_out(p) for p in found.proofs],
    }


@resource.read("/{number}/features", May.LOOK)
def features_of(context: RequestContext, number: str) -> FeaturesOut:
    """What the carrier offers for the number, with fee, whether it is on, and from when it works if
    that is still to come."""
    _, carrier, rows = features.rows(context, number_service.the_number(context, number))
    items: list[FeaturesItemOut] = [
        {
            "feature": r.name,
            "monthly": money(r.fee),
            "on": r.is_on,
            "works_from": moment(r.works_from) if r.works_from else None,
        }
        for r in rows
    ]
    return {"carrier": carrier.id, "items": items, "next": None}


@resource.read("/{number}/history")
def history(
    context: RequestContext, number: str, limit: int = 100, after: Cursor = 0
) -> Page[EntryOut]:
    e164 = number_service.the_number(context, number)
    page = ledger.read(
        context, subject=Subject.NUMBER, key=e164, limit=page_limit(limit), before=after or None
    )
    return {
        "items": [entry_out(e) for e in page.entries],
        "next": str(page.next) if page.next else None,
    }


@resource.write("/{number}", May.NOTE, method="PATCH")
def edit(request: Request, context: RequestContext, number: str, facts: Facts) -> NumberOut:
    e164 = number_service.the_number(context, number)
    tags = ",".join(facts.tags) if facts.tags is not None else None
    known = list(facts.known_as.items()) if facts.known_as is not None else None
    number_service.edit_facts(
        context,
        e164,
        label=facts.label,
        note=facts.note,
        tags=tags,
        cost_centre=facts.cost_centre,
        known=known,
    )
    found = number_service.card(context, e164)
    return number_out(found.number, found.holder_name)


blocks = Resource(prefix="/blocks", tags=["numbers"])


@blocks.read("")
def list_blocks(
    context: RequestContext,
    site: str = "",
    carrier: str = "",
    by_area: bool = False,
    within: str = "",
    at: Moment | None = None,
    cells: bool = False,
    after: str = "",
) -> Page[BlockOut]:
    """Block maps, twelve a page; `within` (leading digits, an x for each free one) draws a large
    block's hundreds; `cells` lists them."""
    lead = within.lstrip("+").rstrip("x")
    free = len(within.lstrip("+")) - len(lead)
    if within and not (
        lead.isascii() and lead.isdecimal() and 1 <= free <= 4 and len(lead) + free <= 15
    ):
        raise NotUnderstood("within is written like 4411349601xx.", field="within")
    bounds = (int(lead + "0" * free), int(lead + "9" * free)) if within else None
    found, following = estate.blocks(
        context,
        Filter(site=site, carrier=carrier),
        by_area=by_area,
        after=after,
        at=moment_of(at),
        within=bounds,
    )
    return {"items": [block_out(b, cells=cells) for b in found], "next": following or None}


figures = Resource(prefix="/figures", tags=["numbers"])


@figures.read("")
def list_figures(context: RequestContext, site: str = "") -> Page[CapacityOut]:
    """Utilisation, months to exhaustion and order advice with their inputs; without a site: where
    numbers run out, soonest first."""
    found = forecast_service.of_site(context, site) if site else forecast_service.growing(context)
    return {"items": [capacity_out(f) for f in found], "next": None}


views = Resource(prefix="/views", tags=["numbers"])


class View(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    query: str = Field(max_length=4000, description="the query string of the Numbers page")


@views.read("")
def list_views(context: RequestContext) -> Page[SavedViewOut]:
    return {"items": [saved_view_out(v) for v in saved_views.list_views(context)], "next": None}


@views.write("", May.NOTE, status_code=201)
def save_view(context: RequestContext, view: View) -> SavedViewOut:
    return saved_view_out(saved_views.save(context, view.name, view.query))


@views.write("/{key}", May.NOTE, method="DELETE", status_code=204)
def forget_view(context: RequestContext, key: str) -> Response:
    saved_views.forget(context, key)
    return Response(status_code=204)
