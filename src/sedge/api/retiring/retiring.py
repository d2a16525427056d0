"""Retiring over the interface: what depends on a number and what each choice costs; closing a site;
the tidy-up. Each makes a work order."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from sedge.api.answers import DraftedOut, Page, drafted_out, moment, money
from sedge.api.retiring.answers import (
    DependenceOut,
    DependenciesOut,
    RestOut,
    SiteClosureOut,
    TidyUpOut,
)
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.retiring.dependencies import Dependence
from sedge.services.numbers import numbers
from sedge.services.retiring import cleanup_review, quarantine, retiring, site_closure
from sedge.services.workorders import workorders

resource = Resource(tags=["retiring"])
Then = Literal["release", "rest", "keep"]


class Retire(BaseModel):
    """`then`: release now, rest and then release, or rest and keep. `rest` in days (none: the
    policy's). `settle`: what depends on the number and needs no judgement is settled by the same
    work order."""

    model_config = ConfigDict(extra="forbid")
    then: Then
    rest: int | None = Field(default=None, ge=0, le=retiring.MOST_REST)
    announcement: str = Field(default="", max_length=retiring.MOST_WORDS)
    settle: bool = True
    reason: str = Field(default="", max_length=200)


class CloseSite(BaseModel):
    """`people`: stay, leave, or the id of the site they move to."""

    model_config = ConfigDict(extra="forbid")
    then: Then
    rest: int | None = Field(default=None, ge=0, le=retiring.MOST_REST)
    announcement: str = Field(default="", max_length=retiring.MOST_WORDS)
    people: str = Field(default="stay", max_length=80)
    reason: str = Field(default="", max_length=200)


class Chosen(BaseModel):
    model_config = ConfigDict(extra="forbid")
    numbers: list[str] = Field(min_length=1, max_length=cleanup_review.MOST_CHOSEN)
    then: Then
    rest: int | None = Field(default=None, ge=0, le=retiring.MOST_REST)


class Rest(BaseModel):
    """None: as the policy says."""

    model_config = ConfigDict(extra="forbid")
    country: str = Field(pattern=r"^[A-Z]{2}$")
    days: int | None = Field(default=None, ge=0, le=retiring.MOST_REST)
    toll_free: int | None = Field(default=None, ge=0, le=retiring.MOST_REST)


@resource.read("/retiring/rest", May.LOOK)
def days_of_rest(context: RequestContext) -> Page[RestOut]:
    """How long numbers rest between two holders, by country."""
    rows = quarantine.list_rests(context)
    return {
        "items": [
            {"country": r.country, "days": r.days, "toll_free": r.toll_free, "own": r.own}
            for r in rows
        ],
        "next": None,
    }


@resource.write("/retiring/rest", May.SET_RULES)
def set_days_of_rest(context: RequestContext, asked: Rest) -> Page[RestOut]:
    told = {
        name: "" if value is None else str(value)
        for name, value in (("days", asked.days), ("toll_free", asked.toll_free))
    }
    quarantine.set_rest(context, asked.country, **told)
    return days_of_rest(context)


@resource.read("/retiring/tidy-up", May.SEE_MONEY)
def tidy_up(context: RequestContext, days: str = "") -> TidyUpOut:
    """Numbers worth a look, by why; the first 300 of each kind."""
    view = cleanup_review.tidy_up(context, days)
    return {
        "days": view.days,
        "silent": view.silent,
        "saves": [money(m) for m in view.saves],
        "items": [
            {
                "kind": heap.key,
                "name": heap.name,
                "total": heap.total,
                "saves": [money(m) for m in heap.saves],
                "numbers": [
                    {
                        "e164": row.number.e164,
                        "why": row.why,
                        "holder": row.holder,
                        "since": moment(row.since) if row.since else None,
                    }
                    for row in heap.rows
                ],
            }
            for heap in view.heaps
        ],
        "next": None,
    }


@resource.write("/retiring/tidy-up", May.RELEASE, status_code=201)
def retire_chosen(context: RequestContext, asked: Chosen) -> DraftedOut:
    chosen = [numbers.the_number(context, n) for n in asked.numbers]
    tasks, title = cleanup_review.plan(
        context, chosen, then=asked.then, rest="" if asked.rest is None else str(asked.rest)
    )
    return drafted_out(workorders.draft(context, title, tasks))


@resource.read("/retiring/sites/{key}", May.SEE_MONEY)
def site(context: RequestContext, key: str) -> SiteClosureOut:
    """What closing a site comes to: numbers by state, money of each choice, what would be lost
    elsewhere."""
    view = site_closure.view_closing(context, key)
    return {
        "site": view.site.id,
        "numbers": {state.value: n for state, n in view.by_state.items()},
        "people": len(view.people),
        "service_lines": len(view.lines),
        "beyond": view.beyond,
        "last_term": view.last_term.isoformat() if view.last_term else None,
        "idle_seats": dict(view.idle),
        "choices": [
            {
                "then": s.key,
                "costs": [money(m) for m in s.costs],
                "saves": [money(m) for m in s.saves],
                "paid_until": s.last.isoformat() if s.last else None,
            }
            for s in view.sums
        ],
        "lost_elsewhere": [{"number": n.e164, **_dependence(d)} for n, d in view.grave],
    }


@resource.write("/retiring/sites/{key}", May.RELEASE, status_code=201)
def close_site(context: RequestContext, key: str, asked: CloseSite) -> DraftedOut:
    rest = "" if asked.rest is None else str(asked.rest)
    tasks, title = site_closure.plan(
        context,
        key,
        then=asked.then,
        rest=rest,
        announcement=asked.announcement,
        people=asked.people,
    )
    return drafted_out(workorders.draft(context, title, tasks, reason=asked.reason))


@resource.read("/numbers/{number}/depends", May.LOOK)
def depends(context: RequestContext, number: str) -> DependenciesOut:
    """What depends on a number, in the order of undoing, and what each way of letting it go costs
    within a year."""
    view = retiring.depends_on(context, numbers.the_number(context, number))
    return {
        "number": view.number.e164,
        "state": view.number.state.value,
        "depends": [_dependence(d) for d in view.dependences],
        "choices": [
            {
                "then": c.key,
                "gone_on": c.gone_on.isoformat() if c.gone_on else None,
                "paid_until": c.paid_until.isoformat() if c.paid_until else None,
                "costs": money(c.costs),
                "saves": money(c.saves),
                "why": list(c.why),
            }
            for c in view.choices
        ],
    }


@resource.write("/numbers/{number}/retire", May.CHANGE_ESTATE, status_code=201)
def retire(context: RequestContext, number: str, asked: Retire) -> DraftedOut:
    """A draft of the work order that retires it."""
    e164, rest = numbers.the_number(context, number), "" if asked.rest is None else str(asked.rest)
    tasks, title = retiring.plan(
        context,
        e164,
        then=asked.then,
        rest=rest,
        announcement=asked.announcement,
        settle=asked.settle,
    )
    return drafted_out(workorders.draft(context, title, tasks, reason=asked.reason))


def _dependence(d: Dependence) -> DependenceOut:
    return {
        "what": d.what,
        "so": d.so,
        "grave": d.grave,
        "tasks": [task.model_dump(mode="json") for task in d.tasks],
    }
