"""Drawing pages: one Jinja environment where undefined names fail, and the filters for moments,
money and numbers."""

import base64
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from babel.dates import format_date
from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import (
    ChoiceLoader,
    Environment,
    FileSystemLoader,
    StrictUndefined,
    pass_context,
    select_autoescape,
)
from markupsafe import Markup

from sedge.core.access.roles import May, allowed
from sedge.core.amounts import as_typed
from sedge.core.facts import ENGLISH, Money, counted, in_currency, in_words
from sedge.core.ledger.sentences import sentence
from sedge.core.moments import away, lasting
from sedge.core.numbers.e164 import describe, ending, in_national, read_by
from sedge.core.outbound.forwarding import in_words_exact
from sedge.core.safety.countries import line_example
from sedge.web.routing import installation_of, who_asks
from sedge.web.shared.assets import asset_base
from sedge.web.shared.drawings.ruler import ruler
from sedge.web.shared.permitted import opener
from sedge.web.shared.picking import group_options, person_options, plain_options
from sedge.web.shared.sections import sections_of, way_to
from sedge.web.shared.tables import labelled
from sedge.web.shared.terms import term

WEB = Path(__file__).parent.parent
PLACES = (
    ("today", "Today", "/", May.LOOK),
    ("numbers", "Numbers", "/numbers", May.LOOK),
    ("supply", "Supply", "/supply", May.SEE_MONEY),
    ("holders", "Holders", "/holders", May.LOOK),
    ("licences", "Licences", "/licences", May.SEE_MONEY),
    ("safety", "Safety", "/safety", May.LOOK),
    ("paths", "Call paths", "/paths", May.LOOK),
    ("carriers", "Carriers", "/carriers", May.LOOK),
    ("spend", "Spend", "/spend", May.SEE_MONEY),
    ("work-orders", "Work orders", "/work-orders", May.LOOK),
    ("ledger", "Ledger", "/ledger", May.SEE_LEDGER),
)
# after g, each leads to its place; e to the emergency tests
LETTERS = {
    "today": "t",
    "numbers": "n",
    "supply": "s",
    "holders": "h",
    "licences": "l",
    "safety": "f",
    "paths": "p",
    "carriers": "c",
    "spend": "m",
    "work-orders": "w",
    "ledger": "r",
}


def environment(now: Any) -> Environment:
    """`now` gives the simulated moment relative dates are told from."""
    folders = sorted(p.parent for p in WEB.rglob("templates") if p.is_dir())
    prefixes = [FileSystemLoader(folder / "templates") for folder in folders]
    env = Environment(
        loader=ChoiceLoader(prefixes),
        undefined=StrictUndefined,
        auto_reload=False,
        cache_size=-1,
        autoescape=select_autoescape(default=True),
        trim_blocks=True,
        lstrip_blocks=True,
    )
    env.filters |= {
        "person_options": person_options,
        "group_options": group_options,
        "plain_options": plain_options,
        "line_example": line_example,
        "money": money,
        "typed": lambda value: as_typed(value.amount, value.currency),
        "in_currency": in_currency,
        "in_field": as_typed,
        "rate": in_words_exact,
        "shown": lambda e164: describe(e164).shown,
        "full": lambda e164: describe(e164).international if e164 else "",
        "told": in_national,
        "moment": pass_context(lambda c, m: moment(m, now(), zone_of(c))),
        "span": lasting,
        "ago": pass_context(lambda c, m: _time(m, now(), zone_of(c))),
        "exact": pass_context(lambda c, m: exact(m, zone_of(c))),
        "day": lambda m: f"{m:%-d %B %Y}",
        "clock": lambda seconds: f"{seconds // 60}:{seconds % 60:02d}",
        "counted": counted,
        "ending_after": lambda last, first: ending(first, last),
        "whole": lambda words: words if words.endswith((".", "?")) else f"{words}.",
        "thousands": lambda n: f"{n:,}",
        "sentence": sentence,
        "ruler": ruler,
        "digits": lambda e164: e164.lstrip("+"),
        "labelled": labelled,
        "data_uri": _data_uri,
    }
    env.globals |= {"icon": icon, "now": now, "assets": asset_base()}
    env.globals |= {"letters": LETTERS, "term": term}
    return env


def _data_uri(svg: str) -> str:
    """A drawing as the address of a picture (RFC 2397)."""
    return f"data:image/svg+xml;base64,{base64.b64encode(svg.encode()).decode()}"


def zone_of(context: Any) -> ZoneInfo:
    """The organisation's home time zone; UTC before anybody has signed in."""
    return context.get("zone", ZoneInfo("UTC"))


@lru_cache
def icon(name: str) -> Markup:
    """An inline SVG, hidden from readers: the words beside it say it."""
    svg = (WEB / "static/vendor/icons" / f"{name}.svg").read_text()
    hidden = svg.replace("<svg ", '<svg aria-hidden="true" focusable="false" ', 1)
    return Markup(hidden)  # noqa: S704  our own file


def money(value: Money | None) -> str:
    return in_words(value) if value is not None else "–"


@lru_cache(4096)
def exact(then: datetime, zone: ZoneInfo) -> str:
    return then.astimezone(zone).strftime("%a %-d %b %Y, %H:%M:%S %Z")


def _time(then: datetime, now: datetime, zone: ZoneInfo) -> Markup:
    return Markup('<time datetime="{}" title="{}">{}</time>').format(
        then.isoformat(), exact(then, zone), moment(then, now, zone)
    )


def moment(then: datetime | None, now: datetime, zone: ZoneInfo) -> str:
    """A moment as people say it: relative within an hour, by the clock within a day, a date
    beyond."""
    if then is None:
        return "–"
    ahead, distance = then > now, abs(then - now)
    if distance < timedelta(seconds=45):
        return "now" if not ahead else "in a moment"
    if distance < timedelta(hours=1):
        return away(then, now)
    local, today = then.astimezone(zone), now.astimezone(zone)
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get((local.date() - today.date()).days)
    if near:
        return f"{near} {local:%H:%M}"
    return format_date(local, "d MMM" if local.year == today.year else "d MMM y", locale=ENGLISH)


def render(
    request: Request,
    template: str,
    *,
    status: int = 200,
    headers: dict[str, str] | None = None,
    page_path: str = "",
    **facts: Any,
) -> HTMLResponse:
    """A page or fragment from ready facts. `page_path`: of the page that a fragment
    is for."""
    member = who_asks(request)
    if member:
        read_by(installation_of(request).organisations[member.organisation].home_country)
    env: Environment = request.app.state.templates
    permitted = request.app.state.permitted
    has_head = (
        member and not is_swap(request) and member.organisation in installation_of(request).estates
    )
    facts_of_head = request.app.state.head_facts(request) if has_head else None
    shared = {
        "member": member,
        "places": [place for place in PLACES if member and allowed(member.role, place[3])],
        "sections": lambda place: sections_of(
            place,
            page_path or request.url.path,
            opener(permitted, member.role if member else None),
            facts_of_head.waiting if facts_of_head else [],
        ),
        "way_to": lambda place: way_to(
            place, request.url.path, opener(permitted, member.role if member else None), PLACES
        ),
        "may": lambda what: member is not None and allowed(member.role, May[what]),
        "opens": opener(permitted, member.role if member else None),
        "reaches": lambda site: member is not None and member.scope.covers(site),
        "demo": installation_of(request).settings.demo,
        "zone": installation_of(request).home_zone(member.organisation)
        if member
        else ZoneInfo("UTC"),
        "head_facts": facts_of_head,
        "done_order": _number_in(request.query_params.get("done", "")),
    }
    html = env.get_template(template).render(**shared, **facts)
    if member:
        html = permitted.page(member.role, html)
    return HTMLResponse(html, status_code=status, headers=headers)


def _number_in(text: str) -> str:
    """The number of a work order in an address; '' where there is none."""
    return text if text.isascii() and text.isdigit() and len(text) < 10 else ""


def opens_for(request: Request) -> Callable[[str], bool]:
    """Whether who asks may open an address of ours."""
    member = who_asks(request)
    return opener(request.app.state.permitted, member.role if member else None)


def go(request: Request, to: str) -> Response:
    """On to another page, for htmx and for plain forms."""
    return (
        Response(status_code=204, headers={"HX-Redirect": to})
        if is_swap(request)
        else RedirectResponse(to, 303)
    )


def is_swap(request: Request) -> bool:
    """Whether htmx asks for a part of a page (a restored history entry wants the whole)."""
    return (
        request.headers.get("hx-request") == "true"
        and request.headers.get("hx-history-restore-request") != "true"
    )


def target(request: Request) -> str:
    return request.headers.get("hx-target", "") if is_swap(request) else ""
