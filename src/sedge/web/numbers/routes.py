"""Numbers: block maps, list, the card, the finder."""

from datetime import datetime, time
from typing import Annotated

from fastapi import Depends, Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import State
from sedge.desk import numbers as desk_numbers
from sedge.store.numbers import Filter
from sedge.web.doors import AtDesk, Place
from sedge.web.numbers import views
from sedge.web.numbers.views import Query
from sedge.web.shared.rendering import draw, go, target

place = Place()


def query_of(
    find: str = "", view: str = "blocks", state: str = "", site: str = "", carrier: str = "", attention: str = "",
    after: int = 0, page: int = 0, number: str = "",
) -> Query:  # fmt: skip
    return Query(
        find[:200], "list" if view == "list" else "blocks", state if state in set(State) else "", site[:80], carrier[:80],
        "1" if attention else "", max(0, min(after, 10**15)), max(0, min(page, 100_000)), "".join(c for c in number if c.isdigit())[:15],
    )  # fmt: skip


ThePage = Annotated[Query, Depends(query_of)]


@place.page("/numbers", May.LOOK)
def numbers_page(request: Request, desk: AtDesk, query: ThePage) -> Response:
    card = _card(desk, query.number)
    if target(request) == "card":
        return draw(request, "_card.html", card=card, close=query.link(number=""), number=query.number)
    search = desk_numbers.meant(desk, query.find) if query.find else None
    wanted = Filter(search, query.state, query.site, query.carrier, attention=bool(query.attention))
    as_list = query.view == "list" or bool(query.find) or bool(query.attention)
    overview = desk_numbers.overview(desk)
    maps, total = ([], 0) if as_list else desk_numbers.blocks(desk, wanted, overview.exhaustion, page=query.page)
    rows, following = desk_numbers.listing(desk, wanted, after=query.after) if as_list else ([], None)
    return draw(
        request,
        "_numbers_shelf.html" if target(request) == "shelf" else "numbers.html",
        query=query, overview=overview, card=card, number=query.number, close=query.link(number=""), as_list=as_list,
        heading=views.heading(overview, query, len(rows), more=following is not None),
        lede=views.lede(overview, total) if not as_list else "", legend=views.legend(overview, query),
        blocks=[views.block_view(b, query) for b in maps], rows=rows, following=query.link(after=following) if following else "",
        later=query.link(page=query.page + 1) if (query.page + 1) * desk_numbers.BLOCKS_A_PAGE < total else "",
        sites=views.choices(overview.by_site, overview.sites, query, "site"),
        carriers=views.choices(overview.by_carrier, overview.carriers, query, "carrier"),
        states=views.choices(overview.by_state, {}, query, "state"), total=total,
    )  # fmt: skip


def _card(desk: AtDesk, number: str) -> views.CardView | None:
    if not number:
        return None
    return views.card_view(desk_numbers.card(desk, f"+{number}"), desk.now())


@place.page("/find", May.LOOK)
def find(request: Request, desk: AtDesk, find: str = "") -> Response:
    found = desk_numbers.find(desk, find[:200])
    return draw(request, "_found.html", groups=views.answers(found, find[:200]), problem=found.problem)


@place.page("/numbers/{number}", May.LOOK)
def number_page(request: Request, desk: AtDesk, number: str, at: str = "") -> Response:
    """A card of its own, with history; `at` (a day) shows it as it stood at that day's end."""
    e164 = desk_numbers.the_number(desk, number)
    card = desk_numbers.card(desk, e164, _end_of_day(desk, at))
    return draw(request, "number.html", card=views.card_view(card, desk.now()), number=e164[1:], close="/numbers", at=at)


def _end_of_day(desk: AtDesk, at: str) -> datetime | None:
    if not at:
        return None
    try:
        return datetime.combine(datetime.fromisoformat(at).date(), time.max, desk.house.home_zone(desk.who.organisation))
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-03-12.", field="at") from error


@place.action("/numbers/{number}/facts", May.EDIT_FACTS)
def edit_facts(
    request: Request,
    desk: AtDesk,
    number: str,
    label: Annotated[str, Form()] = "",
    note: Annotated[str, Form()] = "",
    tags: Annotated[str, Form()] = "",
    cost_centre: Annotated[str, Form()] = "",
) -> Response:
    e164 = desk_numbers.the_number(desk, number)
    desk_numbers.edit_facts(desk, e164, label=label, note=note, tags=tags, cost_centre=cost_centre)
    return go(request, f"/numbers/{e164[1:]}")


@place.page("/numbers/{number}/card", May.LOOK)
def card_part(request: Request, desk: AtDesk, number: str) -> Response:
    """The card's inside, for its quiet refresh."""
    e164 = desk_numbers.the_number(desk, number)
    card = views.card_view(desk_numbers.card(desk, e164), desk.now())
    return draw(request, "_card_body.html", card=card, number=e164[1:], close="/numbers")
