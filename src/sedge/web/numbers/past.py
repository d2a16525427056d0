"""What is different between two days, and the figures with everything they are made of."""

from datetime import timedelta

from fastapi import Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.services.holders import site_management
from sedge.services.numbers import capacity_forecast, estate
from sedge.web.numbers import card_views
from sedge.web.numbers.query import end_of_day
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render

place = Place()


@place.page("/numbers/differences", May.LOOK)
def differences(
    request: Request, context: RequestContext, one: str = "", other: str = "", site: str = ""
) -> Response:
    """Numbers that stood differently at the ends of two days; a month back and today where none are
    given."""
    today = context.now().date()
    one, other = one or (today - timedelta(days=30)).isoformat(), other or today.isoformat()
    begin, end = end_of_day(context, one, "one"), end_of_day(context, other, "other")
    if begin is None or end is None or begin >= end:
        raise NotUnderstood("The first day must lie before the second.", field="other")
    found = estate.differences(context, begin, end, site[:80])
    return render(
        request,
        "differences.html",
        one=one,
        other=other,
        site=site,
        rows=[card_views.difference(d, found.site_names) for d in found.rows],
        moved=found.moved,
        states=card_views.states_compared(found.before, found.after),
        today=today.isoformat(),
        sites=site_management.site_choices(context),
    )


@place.page("/numbers/figures", May.LOOK)
def site_figures(request: Request, context: RequestContext, site: str = "") -> Response:
    """Utilisation, months to exhaustion and order advice of a site: the formulas and what went into
    them."""
    found = capacity_forecast.of_site(context, site) if site else []
    return render(
        request,
        "figures.html",
        figures=[card_views.figure_view(f) for f in found],
        site=found[0].site if found else None,
        growing=(
            [card_views.figure_view(f) for f in capacity_forecast.growing(context)[:40]]
            if not site
            else []
        ),
        sites=site_management.site_choices(context),
    )
