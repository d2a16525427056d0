"""Statements: what each cost centre or site is charged for a month."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.spend.months import Month, last_months
from sedge.services.numbers.number_export import TYPES
from sedge.services.spend import statements
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go

place = Place()
GROUPS = (("cost_centre", "Cost centre"), ("site", "Site"))
MONTHS = 13


def _month(desk: AtDesk, text: str) -> Month:
    return Month.read(text) if text else Month.of(desk.now()).later(-1)


@place.page("/spend/statement", May.SEE_MONEY)
def statement(request: Request, desk: AtDesk, month: str = "", by: str = "site") -> Response:
    shown = _month(desk, month)
    return draw(
        request,
        "statement.html",
        found=statements.statement(desk, shown, by),
        by=by,
        groups=GROUPS,
        may_close=shown < Month.of(desk.now()),
        months=[(str(m), m.name) for m in reversed(last_months(desk.now(), MONTHS))],
        month=shown,
    )


@place.page("/spend/statement.pdf", May.SEE_MONEY)
def statement_pdf(desk: AtDesk, month: str = "", by: str = "site") -> Response:
    paper = statements.on_paper(desk, _month(desk, month), by)
    return Response(paper, media_type="application/pdf")


@place.page("/spend/statement.xlsx", May.SEE_MONEY)
def statement_sheet(desk: AtDesk, month: str = "", by: str = "site") -> Response:
    shown = _month(desk, month)
    named = {"Content-Disposition": f'attachment; filename="statement-{shown}.xlsx"'}
    book = statements.as_spreadsheet(desk, shown, by)
    return Response(book, media_type=TYPES["xlsx"], headers=named)


@place.action("/spend/statement/close", May.KEEP_BOOKS)
def close(
    request: Request, desk: AtDesk, month: Annotated[str, Form(max_length=20)] = ""
) -> Response:
    shown = Month.read(month)
    statements.close(desk, shown)
    return go(request, f"/spend/statement?month={shown}")
