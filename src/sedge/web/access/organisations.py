"""The organisations one acts for: at a glance, switching between them, setting up another."""

import secrets
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.numbers.plan import COUNTRIES
from sedge.services.access import access, organisations
from sedge.services.trunks import trunks
from sedge.web.routing import COOKIE, AtDesk, Place, house_of
from sedge.web.shared.rendering import draw, go

place = Place()


@place.page("/organisations", May.LOOK)
def mine(request: Request, desk: AtDesk) -> Response:
    return draw(request, "organisations.html", rows=organisations.mine(desk))


@place.action("/organisations/{key}/act", May.LOOK)
def act_for(request: Request, desk: AtDesk, key: str) -> Response:
    access.act_for(house_of(request), request.cookies.get(COOKIE), desk.who, key)
    return go(request, "/")


@place.page("/organisations/new", May.SET_RULES)
def new(request: Request, desk: AtDesk) -> Response:
    return draw(
        request,
        "organisation_new.html",
        **_form_facts(desk),
        form={"country": desk.organisation.home_country, "token": secrets.token_hex(4)},
        review=None,
    )


def _form_facts(desk: AtDesk) -> dict[str, Any]:
    opens = [
        (v.carrier.id, v.carrier.name)
        for v in trunks.carriers(desk)
        if v.accounts and v.carrier.id in desk.outside.carriers
    ]
    return {
        "countries": [(c.code, c.name) for c in COUNTRIES.values()],
        "carriers": opens,
        "pattern": desk.organisation.name,
    }


@place.action("/organisations/new", May.SET_RULES)
async def add(request: Request, desk: AtDesk) -> Response:
    return await run_in_threadpool(_add, request, desk, await request.form())


def _add(request: Request, desk: AtDesk, raw: FormData) -> Response:
    form: dict[str, Any] = {
        name: str(value)[:300] for name, value in raw.items() if name != "carriers"
    }
    form["carriers"] = [str(v)[:80] for v in raw.getlist("carriers")][:20]
    found = organisations.review(desk, form)
    if form.get("what") != "create" or not found.runnable:
        return draw(request, "organisation_new.html", **_form_facts(desk), form=form, review=found)
    made = organisations.create(desk, form)
    access.act_for(house_of(request), request.cookies.get(COOKIE), desk.who, made.id)
    return go(request, "/")
