"""Statements: what each cost centre or site is charged for a month."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.spend.months import Month, last_months
from sedge.services.numbers.number_export import TYPES
from sedge.services.spend import statements
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
GROUPS = (("cost_centre", "Cost centre"), ("site", "Site"))
MONTHS = 13


def _month(context: RequestContext, text: str) -> Month:
    return Month.read(text) if text else Month.of(context.now()).later(-1)


@place.page("/spend/statement", May.SEE_MONEY)
def statement(
    request: Request, context: RequestContext, month: str = "", by: str = "site"
) -> Response:
    shown = _month(context, month)
    return render(
        request,
        "statement.html",
        found=statements.statement(context, shown, by),
        by=by,
        groups=GROUPS,
        may_close=shown < Month.of(context.now()),
        months=[(str(m), m.name) for m in reversed(last_months(context.now(), MONTHS))],
        month=shown,
    )


@place.page("/spend/statement.pdf", May.SEE_MONEY)
def statement_pdf(context: RequestContext, month: str = "", by: str = "site") -> Response:
    paper = statements.on_paper(context, _month(context, month), by)
    return Response(paper, media_type="application/pdf")


@place.page("/spend/statement.xlsx", May.SEE_MONEY)
def statement_sheet(context: RequestContext, month: str = "", by: str = "site") -> Response:
    shown = _month(context, month)
    named = {"Content-Disposition": f'attachment; filename="statement-{shown}.xlsx"'}
    book = statements.as_spreadsheet(context, shown, by)
    return Response(book, media_type=TYPES["xlsx"], headers=named)


@place.action("/spend/statement/close", May.KEEP_BOOKS)
def close(
    request: Request, context: RequestContext, month: Annotated[str, Form(max_length=20)] = ""
) -> Response:
    shown = Month.read(month)
    statements.close(context, shown)
    return go(request, f"/spend/statement?month={shown}")
