"""The first page of a new installation."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from sedge.core.access.roles import May
from sedge.core.errors import SedgeError
from sedge.core.numbers.plan import COUNTRIES
from sedge.services.access import first_run
from sedge.services.access.first_run import First
from sedge.web.access.door import let_in
from sedge.web.routing import Place, caller_of, installation_of
from sedge.web.shared.rendering import render

place = Place()


@place.page("/first-run", May.OPEN)
def first_page(request: Request) -> Response:
    if not first_run.is_open(installation_of(request)):
        return RedirectResponse("/sign-in", 303)
    return _card(request, First("", "GB", "", "", "", ""))


def _card(
    request: Request, form: First, code: str = "", problem: SedgeError | None = None
) -> Response:
    return render(
        request,
        "first_run.html",
        status=problem.status if problem else 200,
        form=form,
        code=code,
        problem=problem,
        countries=[(c.code, c.name) for c in COUNTRIES.values()],
    )


@place.action("/first-run", May.OPEN)
def enter(
    request: Request,
    code: Annotated[str, Form()] = "",
    organisation: Annotated[str, Form()] = "",
    country: Annotated[str, Form()] = "",
    name: Annotated[str, Form()] = "",
    email: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    again: Annotated[str, Form()] = "",
) -> Response:
    if not first_run.is_open(installation_of(request)):
        return RedirectResponse("/sign-in", 303)
    form = First(organisation, country, name, email, password, again)
    try:
        token = first_run.enter(installation_of(request), code, form, caller_of(request))
    except SedgeError as problem:
        return _card(request, form, code, problem)
    return let_in(request, token, "/")
