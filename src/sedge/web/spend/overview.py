"""Spend: what a month costs, by whom and for what, and its budgets."""

from typing import Annotated
from urllib.parse import quote

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.numbers.e164 import describe
from sedge.core.spend.months import Month
from sedge.services.holders import site_management
from sedge.services.spend import budgets, costs, exchange, overview
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render
from sedge.web.spend.cost_bars import cost_bars, month_bars

place = Place()
Typed = Annotated[str, Form(max_length=200)]
MOST_BARS = 14
GROUPS = (
    ("site", "Site"),
    ("cost_centre", "Cost centre"),
    ("holder", "Holder"),
    ("carrier", "Carrier"),
    ("account", "Carrier account"),
    ("product", "Licence product"),
    ("kind", "Kind of cost"),
    ("number", "Number"),
)
PAGES = {
    "site": "/holders/sites/{}",
    "carrier": "/carriers",
    "account": "/carriers/accounts/{}",
    "product": "/licences",
    "number": "/numbers/{}",
}
HOLDERS = {
    "person": "/holders/people/{}",
    "service_line": "/holders/lines/{}",
    "site": "/holders/sites/{}",
}


@place.page("/spend", May.SEE_MONEY)
def spend(request: Request, context: RequestContext, month: str = "", by: str = "site") -> Response:
    shown = Month.read(month) if month else Month.of(context.now())
    found = overview.view(context, shown, by)
    currencies = [
        {
            "one": one,
            "bars": cost_bars(
                one.statement.rows[:MOST_BARS],
                _shown_names(by, one.names),
                {row.key: link_of(by, row.key) for row in one.statement.rows},
                one.statement.currency,
            ),
            "months": month_bars(found.months, one.statement.currency, by, shown),
            "rows": [
                (row, _shown_names(by, one.names).get(row.key, row.key), link_of(by, row.key))
                for row in one.statement.rows
            ],
        }
        for one in found.currencies
    ]
    return render(
        request,
        "spend.html",
        month=shown,
        by=by,
        groups=GROUPS,
        group=dict(GROUPS)[by],
        currencies=currencies,
        in_all=exchange.in_all(context, shown, [one.total for one in found.currencies]),
        budgets=budgets.view(context) if shown == Month.of(context.now()) else [],
        home=costs.home_currency(context),
        sites=site_management.site_choices(context),
        more=MOST_BARS,
    )


def _shown_names(by: str, names: dict[str, str]) -> dict[str, str]:
    if by != "number":
        return names
    return {key: describe(key).shown if key else name for key, name in names.items()}


def link_of(by: str, key: str) -> str:
    """The page of a group; '' where it has none."""
    if not key:
        return ""
    if by == "holder":
        kind, _, of = key.partition(":")
        return HOLDERS[kind].format(quote(of)) if kind in HOLDERS else ""
    return PAGES[by].format(quote(key.lstrip("+"))) if by in PAGES else ""


@place.action("/spend/budgets", May.KEEP_BOOKS)
def set_budget(
    request: Request,
    context: RequestContext,
    site: Typed = "",
    cost_centre: Typed = "",
    amount: Typed = "",
    currency: Typed = "",
) -> Response:
    """Of the site, or of the cost centre where one is typed; an empty amount takes it away."""
    group, key = ("cost_centre", cost_centre) if cost_centre.strip() else ("site", site)
    budgets.set_budget(context, group, key, amount, currency)
    return go(request, "/spend")
