"""Use: calls and minutes by whom and when, and a number's year."""

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May, allowed
from sedge.core.numbers.e164 import describe, read_one
from sedge.services.holders import site_management
from sedge.services.spend import call_settings, usage
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render
from sedge.web.spend.hour_bars import hour_bars
from sedge.web.spend.overview import link_of
from sedge.web.spend.year_map import year_map

place = Place()
GROUPS = (
    ("site", "Site"),
    ("holder", "Holder"),
    ("number", "Number"),
    ("trunk", "Trunk"),
    ("hour", "Hour of the day"),
    ("day", "Day"),
    ("direction", "Direction"),
)
IDLE_DAYS = (30, 60, 90)
MOST_IDLE = 200


@place.page("/spend/usage", May.SEE_MONEY)
def used(
    request: Request,
    context: RequestContext,
    by: str = "site",
    since: str = "",
    until: str = "",
    site: str = "",
) -> Response:
    first, last = usage.read_days(context, since, until)
    rows = usage.usage(context, by, first, last, site=site)
    return render(
        request,
        "usage.html",
        by=by,
        group=dict(GROUPS).get(by, ""),
        groups=GROUPS,
        first=first,
        last=last,
        site=site,
        sites=site_management.site_choices(context),
        chart=hour_bars(rows) if by == "hour" else "",
        rows=[(row, _shown(by, row), _link(by, row.key)) for row in rows],
        settings=call_settings.view(context),
    )


def _shown(by: str, row: usage.UsedBy) -> str:
    return describe(row.key).shown if by == "number" else row.name


def _link(by: str, key: str) -> str:
    if by == "number":
        return f"/spend/usage/numbers/{key.lstrip('+')}"
    if by == "trunk":
        return f"/carriers/trunks/{key}" if key else ""
    return link_of(by, key)


@place.page("/spend/usage/idle", May.SEE_MONEY)
def idle(request: Request, context: RequestContext, days: int = 60) -> Response:
    """Numbers in use that had no call."""
    shown = days if days in IDLE_DAYS else IDLE_DAYS[1]
    found = usage.not_called(context, shown, limit=MOST_IDLE)
    return render(request, "idle_numbers.html", days=shown, choices=IDLE_DAYS, numbers=found)


@place.page("/spend/usage/numbers/{number}", May.LOOK)
def number_year(request: Request, context: RequestContext, number: str) -> Response:
    year = usage.year_of(context, read_one(f"+{number}", context.organisation.home_country))
    names = allowed(context.who.role, May.SEE_MONEY)
    return render(request, "number_year.html", year=year, chart=year_map(year), sees_calls=names)
