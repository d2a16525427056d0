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
from sedge.web.routing import COOKIE, Place, RequestContext, installation_of
from sedge.web.shared.rendering import go, render

place = Place()


@place.page("/organisations", May.LOOK)
def mine(request: Request, context: RequestContext) -> Response:
    return render(request, "organisations.html", rows=organisations.mine(context))


@place.action("/organisations/{key}/act", May.LOOK)
def act_for(request: Request, context: RequestContext, key: str) -> Response:
    access.act_for(installation_of(request), request.cookies.get(COOKIE), context.who, key)
    return go(request, "/")


@place.page("/organisations/new", May.SET_RULES)
def new(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "organisation_new.html",
        **_form_facts(context),
        form={"country": context.organisation.home_country, "token": secrets.token_hex(4)},
        review=None,
    )


def _form_facts(context: RequestContext) -> dict[str, Any]:
    opens = [
        (v.carrier.id, v.carrier.name)
        for v in trunks.carriers(context)
        if v.accounts and v.carrier.id in context.outside.carriers
    ]
    return {
        "countries": [(c.code, c.name) for c in COUNTRIES.values()],
        "carriers": opens,
        "pattern": context.organisation.name,
    }


@place.action("/organisations/new", May.SET_RULES)
async def add(request: Request, context: RequestContext) -> Response:
    return await run_in_threadpool(_add, request, context, await request.form())


def _add(request: Request, context: RequestContext, raw: FormData) -> Response:
    form: dict[str, Any] = {
        name: str(value)[:300] for name, value in raw.items() if name != "carriers"
    }
    form["carriers"] = [str(v)[:80] for v in raw.getlist("carriers")][:20]
    found = organisations.review(context, form)
    if form.get("what") != "create" or not found.runnable:
        return render(
            request, "organisation_new.html", **_form_facts(context), form=form, review=found
        )
    made = organisations.create(context, form)
    access.act_for(installation_of(request), request.cookies.get(COOKIE), context.who, made.id)
    return go(request, "/")
