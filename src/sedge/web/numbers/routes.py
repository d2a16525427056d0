"""Numbers: block maps and list, the card, the finder."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.services.numbers import bulk_actions, columns, estate, features, saved_views
from sedge.services.numbers import numbers as desk_numbers
from sedge.services.workorders import workorders
from sedge.web.numbers import card_views, views
from sedge.web.numbers.query import Query, ThePage, end_of_day
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go, is_swap, opens_for, target

place = Place()


@place.page("/numbers", May.LOOK)
def numbers_page(request: Request, desk: AtDesk, query: ThePage) -> Response:
    if target(request) == "card":
        return draw(
            request,
            "_card.html",
            card=_card(desk, query),
            close=query.link(),
            number=query.number,
            at=query.at,
        )
    at = end_of_day(desk, query.at)
    wanted = query.filter(desk)
    overview = estate.overview(desk)
    facts = views.page_facts(query, overview, saved_views.list_views(desk), desk.now())
    facts["site_name"] = estate.site_called(desk, query.site) if query.site else ""
    if query.is_list:
        listing = estate.list_numbers(desk, wanted, sort=query.sort, after=query.after, at=at)
        facts |= views.list_facts(
            query,
            overview,
            listing,
            columns.chosen(query.show, desk.who.role),
            estate.tags(desk, wanted),
        )
    else:
        blocks, following = estate.blocks(
            desk,
            wanted,
            by_area=query.group == "area",
            after=query.after,
            at=at,
            within=query.range,
        )
        facts |= views.block_facts(
            query, overview, blocks, following, estate.counts_of(desk, wanted, at)
        )
    template = "_numbers_shelf.html" if target(request) == "shelf" else "numbers.html"
    return draw(
        request,
        template,
        card=_card(desk, query),
        number=query.number,
        close=query.link(),
        at=query.at,
        **facts,
    )


def _card(desk: AtDesk, query: Query) -> card_views.CardView | None:
    if not query.number:
        return None
    return card_views.card_view(
        desk_numbers.card(desk, f"+{query.number}", end_of_day(desk, query.at)), desk.now()
    )


@place.page("/numbers/sites", May.LOOK)
def choose_site(request: Request, desk: AtDesk, query: ThePage, name: str = "") -> Response:
    """The sites that the other filters leave numbers at, as one types."""
    found = estate.sites_to_choose(desk, query.filter(desk), name)
    rows = [
        views.Choice(title, query.link(site=key), n, query.site == key) for key, title, n in found
    ]
    again = query.link().replace("/numbers", "/numbers/sites", 1)
    return draw(
        request,
        "_choose_site.html",
        rows=rows,
        name=name,
        rows_from=again,
        any_site=query.link(site=""),
    )


@place.page("/find", May.LOOK)
def find(request: Request, desk: AtDesk, find: str = "") -> Response:
    found = desk_numbers.find(desk, find[:2000])
    return draw(
        request,
        "_found.html",
        groups=card_views.answers(found, find[:2000], opens_for(request)),
        problem=found.problem,
        note=found.note,
        text=find[:2000],
    )


@place.page("/find/open", May.LOOK)
def open_found(request: Request, desk: AtDesk, find: str = "") -> Response:
    """Enter in the finder: the only thing found, or else the list of numbers that fit."""
    rows = [
        row
        for _, rows in card_views.answers(
            desk_numbers.find(desk, find[:2000]), find[:2000], opens_for(request)
        )
        for row in rows
    ]
    return go(
        request, rows[0].href if len(rows) == 1 else f"/numbers?{urlencode({'find': find[:200]})}"
    )


@place.action("/numbers/views", May.NOTE)
def save_view(
    request: Request,
    desk: AtDesk,
    name: Annotated[str, Form()] = "",
    query: Annotated[str, Form()] = "",
) -> Response:
    saved = saved_views.save(desk, name, query)
    return go(request, f"/numbers?{saved.query}")


@place.action("/numbers/views/{key}/forget", May.NOTE)
def forget_view(request: Request, desk: AtDesk, key: str) -> Response:
    saved_views.forget(desk, key)
    return go(request, "/numbers")


@place.page("/numbers/{number}", May.LOOK)
def number_page(request: Request, desk: AtDesk, number: str, at: str = "") -> Response:
    """A card of its own, with history; `at` (a day) shows it as it was at that day's end."""
    e164 = desk_numbers.the_number(desk, number)
    card = desk_numbers.card(desk, e164, end_of_day(desk, at))
    return draw(
        request,
        "number.html",
        card=card_views.card_view(card, desk.now()),
        number=e164[1:],
        close="/numbers",
        at=at,
    )


@place.action("/numbers/{number}/facts", May.NOTE)
async def edit_facts(request: Request, desk: AtDesk, number: str) -> Response:
    """Only what is sent is changed. Asked from the card itself (`here`), nothing is drawn anew."""
    form = {key: str(value) for key, value in (await request.form()).items()}
    return await run_in_threadpool(_keep_facts, request, desk, number, form)


def _keep_facts(request: Request, desk: AtDesk, number: str, form: dict[str, str]) -> Response:
    e164 = desk_numbers.the_number(desk, number)
    known = [(form.get("system", ""), form.get("elsewhere", ""))] if "system" in form else None
    desk_numbers.edit_facts(
        desk,
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
def features_page(request: Request, desk: AtDesk, number: str) -> Response:
    """What the carrier offers for the number, what of it is on, and from when it works."""
    found, carrier, rows = features.rows(desk, desk_numbers.the_number(desk, number))
    return draw(
        request,
        "features.html",
        number=found,
        carrier=carrier,
        rows=rows,
        can_switch=features.can_be_switched(found),
    )


@place.action("/numbers/{number}/features", May.BUY)
def switch_feature(
    request: Request,
    desk: AtDesk,
    number: str,
    feature: Annotated[str, Form()] = "",
    switch: Annotated[str, Form()] = "on",
) -> Response:
    """The draft of a work order that switches one."""
    e164 = desk_numbers.the_number(desk, number)
    tasks, title = bulk_actions.plan(
        desk,
        "feature",
        bulk_actions.view_choice(desk, e164[1:]),
        {"feature": feature, "switch": switch},
    )
    return go(request, f"/work-orders/{workorders.draft(desk, title, tasks, look=True).no}")


@place.page("/numbers/{number}/card", May.LOOK)
def card_part(request: Request, desk: AtDesk, number: str) -> Response:
    """The card's inside, for its quiet refresh."""
    e164 = desk_numbers.the_number(desk, number)
    card = card_views.card_view(desk_numbers.card(desk, e164), desk.now())
    return draw(request, "_card_body.html", card=card, number=e164[1:], close="/numbers", at="")
