"""The bulk planner: who and what, wishes on sliders, the plan as a picture and a table, changes by
hand, one work order."""

from typing import Annotated, Any

from fastapi import Query, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.workorders.planner.problem import MOST_WEIGHT, USUAL, WORDS, Wish
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.workorders.planner import bulk_planner
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.drawings.pairing import pairing, shown
from sedge.web.shared.rendering import go, is_swap, render

place = Place()
MOST_FIELDS, MOST_TYPED = 12_000, 4_000


@place.page("/work-orders/planner", May.CHANGE_ESTATE)
def planner(
    request: Request,
    context: RequestContext,
    site: str = "",
    numbers: Annotated[str, Query(max_length=MOST_TYPED)] = "",
) -> Response:
    return render(
        request,
        "planner.html",
        **_form(context, bulk_planner.Asked(sites=(site,) if site else (), numbers=numbers)),
        planned=None,
    )


def _form(context: Context, asked: bulk_planner.Asked) -> dict[str, Any]:
    weights = asked.weights or USUAL
    sliders = [(wish.value, WORDS[wish], weights.get(wish, 0)) for wish in Wish]
    return {
        "asked": asked,
        "sites": site_management.site_choices(context),
        "departments": bulk_planner.departments(context),
        "sliders": sliders,
        "most": MOST_WEIGHT,
    }


@place.action("/work-orders/planner", May.CHANGE_ESTATE)
async def solve(request: Request, context: RequestContext) -> Response:
    form = await request.form(max_fields=MOST_FIELDS)
    return await run_in_threadpool(_solve, request, context, form)


def _solve(request: Request, context: Context, form: FormData) -> Response:
    asked = read(form)
    planned = bulk_planner.plan(context, asked)
    if form.get("what") == "draft":
        order = bulk_planner.draft(
            context,
            planned,
            prove=bool(form.get("prove")),
            spot=str(form.get("spot", ""))[:20],
            reason=str(form.get("reason", "")),
        )
        return go(request, f"/work-orders/{order.no}")
    people = {p.id: p for p in planned.problem.people}
    rows = [
        (people[g.person], g)
        for g in sorted(
            planned.plan.given,
            key=lambda g: (g.number is not None, people[g.person].team, people[g.person].name),
        )
    ]
    wanted = sorted({p.site for p in planned.problem.people})
    spots = site_management.spot_choices(
        context, [(site, planned.sites[site]) for site in wanted], whole=False
    )
    facts = {
        "spots": spots,
        "planned": planned,
        "rows": rows,
        "picture": pairing(planned.problem, planned.plan),
        "beyond": shown(planned.problem),
        "barred": asked.barred,
    }
    if is_swap(request):
        return render(request, "_plan_found.html", **facts)
    return render(request, "planner.html", **_form(context, asked), **facts)


def read(form: FormData) -> bulk_planner.Asked:
    """The filled-in form; pins are fields `pin-PERSON`, with `keep` ticked or a number typed; pairs
    taken apart are `bar`."""
    texts = {name: str(value).strip()[:20_000] for name, value in form.multi_items()}
    weights = {
        w: int(v)
        for w in Wish
        if (v := texts.get(f"weight-{w.value}", "")).isdigit() and len(v) < 4
    }
    kept = {str(v) for v in form.getlist("keep")}
    pins = {
        name[4:]: value
        for name, value in texts.items()
        if name.startswith("pin-")
        and value
        and (name[4:] in kept or value != texts.get(f"was-{name[4:]}", ""))
    }
    barred = tuple(
        (a, b) for v in form.getlist("bar") for a, _, b in (str(v).partition("|"),) if a and b
    )[:500]
    return bulk_planner.Asked(
        sites=tuple(str(v)[:80] for v in form.getlist("site"))[:400],
        department=texts.get("department", "")[:80],
        people=texts.get("people", ""),
        also_with_number=bool(texts.get("also")),
        numbers=texts.get("numbers", ""),
        weights=weights or None,
        pins=pins or None,
        barred=barred,
    )
