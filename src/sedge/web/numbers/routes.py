"""Numbers: block maps and list, the card, the finder."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.services.numbers import bulk_actions, columns, estate, features, saved_views
from sedge.services.numbers import numbers as number_service
from sedge.services.outbound import caller_names
from sedge.services.workorders import workorders
from sedge.web.numbers import card_views, views
from sedge.web.numbers.query import Query, ThePage, end_of_day
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, is_swap, opens_for, render, target
from sedge.web.shared.saving import Now, run_or_review

place = Place()


@place.page("/numbers", May.LOOK)
def numbers_page(request: Request, context: RequestContext, query: ThePage) -> Response:
    if target(request) == "card":
        return render(
            request,
            "_card.html",
            card=_card(context, query),
            close=query.link(),
            number=query.number,
            at=query.at,
        )
    at = end_of_day(context, query.at)
    wanted = query.filter(context)
    overview = estate.overview(context)
    facts = views.page_facts(query, overview, saved_views.list_views(context), context.now())
    facts["site_name"] = estate.site_called(context, query.site) if query.site else ""
    if query.is_list:
        listing = estate.list_numbers(context, wanted, sort=query.sort, after=query.after, at=at)
        facts |= views.list_facts(
            query,
            overview,
            listing,
            columns.chosen(query.show, context.who.role),
            estate.tags(context, wanted),
        )
    else:
        blocks, following = estate.blocks(
            context,
            wanted,
            by_area=query.group == "area",
            after=query.after,
            at=at,
            within=query.range,
        )
        facts |= views.block_facts(
            query, overview, blocks, following, estate.counts_of(context, wanted, at)
        )
    template = "_numbers_shelf.html" if target(request) == "shelf" else "numbers.html"
    return render(
        request,
        template,
        card=_card(context, query),
        number=query.number,
        close=query.link(),
        at=query.at,
        **facts,
    )


def _card(context: RequestContext, query: Query) -> card_views.CardView | None:
    if not query.number:
        return None
    return card_views.card_view(
        number_service.card(context, f"+{query.number}", end_of_day(context, query.at)),
        context.now(),
    )


@place.page("/numbers/sites", May.LOOK)
def choose_site(
    request: Request, context: RequestContext, query: ThePage, name: str = ""
) -> Response:
    """The sites that the other filters leave numbers at, as one types."""
    found = estate.sites_to_choose(context, query.filter(context), name)
    rows = [
        views.Choice(title, query.link(site=key), n, query.site == key) for key, title, n in found
    ]
    again = query.link().replace("/numbers", "/numbers/sites", 1)
    return render(
        request,
        "_choose_site.html",
        rows=rows,
        name=name,
        rows_from=again,
        any_site=query.link(site=""),
    )


@place.page("/find", May.LOOK)
def find(request: Request, context: RequestContext, find: str = "") -> Response:
    found = number_service.find(context, find[:2000])
    groups = card_views.answers(found, find[:2000], opens_for(request))
    return render(
        request,
        "_found.html",
        groups=groups,
        first=card_views.opened_at_once(found, find, groups),
        problem=found.problem,
        note=found.note,
        text=find[:2000],
    )


@place.page("/find/open", May.LOOK)
def open_found(request: Request, context: RequestContext, find: str = "") -> Response:
    """Enter in the finder before its list is there."""
    found = number_service.find(context, find[:2000])
    groups = card_views.answers(found, find[:2000], opens_for(request))
    first = card_views.opened_at_once(found, find, groups)
    return go(request, first.href if first else f"/numbers?{urlencode({'find': find[:200]})}")


@place.action("/numbers/views", May.NOTE)
def save_view(
    request: Request,
    context: RequestContext,
    name: Annotated[str, Form()] = "",
    query: Annotated[str, Form()] = "",
) -> Response:
    saved = saved_views.save(context, name, query)
    return go(request, f"/numbers?{saved.query}")


@place.action("/numbers/views/{key}/forget", May.NOTE)
def forget_view(request: Request, context: RequestContext, key: str) -> Response:
    saved_views.forget(context, key)
    return go(request, "/numbers")


@place.page("/numbers/{number}", May.LOOK)
def number_page(request: Request, context: RequestContext, number: str, at: str = "") -> Response:
    """A card of its own, with history; `at` (a day) shows it as it was at that day's end."""
    e164 = number_service.the_number(context, number)
    card = number_service.card(context, e164, end_of_day(context, at))
    return render(
        request,
        "number.html",
        card=card_views.card_view(card, context.now()),
        number=e164[1:],
        close="/numbers",
        at=at,
    )


@place.action("/numbers/{number}/facts", May.NOTE)
async def edit_facts(request: Request, context: RequestContext, number: str) -> Response:
    """Only what is sent is changed. Asked from the card itself (`here`), nothing is drawn anew."""
    form = {key: str(value) for key, value in (await request.form()).items()}
    return await run_in_threadpool(_keep_facts, request, context, number, form)


def _keep_facts(
    request: Request, context: RequestContext, number: str, form: dict[str, str]
) -> Response:
    e164 = number_service.the_number(context, number)
    known = [(form.get("system", ""), form.get("elsewhere", ""))] if "system" in form else None
    number_service.edit_facts(
        context,
        e164,
        label=form.get("label"),
        note=form.get("note"),
        tags=form.get("tags"),
        cost_centre=form.get("cost_centre"),
        known=known,
    )
    if request.query_params.get("here") and is_swap(request):
        return Response(status_code=204)
    return go(request, f"/numbers/{e164[1:]}")


@place.page("/numbers/{number}/features", May.LOOK)
def features_page(request: Request, context: RequestContext, number: str) -> Response:
    """What the carrier offers for the number, what of it is on, and from when it works."""
    found, carrier, rows = features.rows(context, number_service.the_number(context, number))
    name = caller_names.caller_name_of(context, found)
    return render(
        request,
        "features.html",
        number=found,
        carrier=carrier,
        rows=rows,
        can_switch=features.can_be_switched(found),
        name=name,
    )


@place.action("/numbers/{number}/features", May.BUY)
def switch_feature(
    request: Request,
    context: RequestContext,
    number: str,
    feature: Annotated[str, Form()] = "",
    switch: Annotated[str, Form()] = "on",
) -> Response:
    """The draft of a work order that switches one."""
    e164 = number_service.the_number(context, number)
    tasks, title = bulk_actions.plan(
        context,
        "feature",
        bulk_actions.view_choice(context, e164[1:]),
        {"feature": feature, "switch": switch},
    )
    return go(request, f"/work-orders/{workorders.draft(context, title, tasks, look=True).no}")


@place.action("/numbers/{number}/caller-name", May.CHANGE_ESTATE)
def set_caller_name(
    request: Request,
    context: RequestContext,
    number: str,
    name: Annotated[str, Form(max_length=80)] = "",
    now: Now = "",
) -> Response:
    e164 = number_service.the_number(context, number)
    made = caller_names.draft_caller_name(context, e164, name)
    return run_or_review(request, context, made.no, f"/numbers/{e164[1:]}/features", now)


@place.page("/numbers/{number}/card", May.LOOK)
def card_part(request: Request, context: RequestContext, number: str) -> Response:
    """The card's inside, for its quiet refresh."""
    e164 = number_service.the_number(context, number)
    card = card_views.card_view(number_service.card(context, e164), context.now())
    return render(request, "_card_body.html", card=card, number=e164[1:], close="/numbers", at="")
