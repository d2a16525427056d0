"""Session border controllers: the list, one with its test, and how it is set up."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from sedge.core.access.roles import May
from sedge.core.enums import Transport
from sedge.core.errors import NotUnderstood
from sedge.core.trunks.records import Sbc, SbcDomain
from sedge.services.context import Context
from sedge.services.holders import site_management
from sedge.services.trunks import sbcs
from sedge.services.trunks.sbcs import DomainAsked, SbcAsked
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
Typed = Annotated[str, Form(max_length=500)]
TRANSPORTS = [(x.value, x.value.upper()) for x in Transport]
BLANK = Sbc(id="", name="", site="", host="")
SPARE_ROWS = 2
WHOLE = ("order", "weight")


@place.page("/carriers/sbcs", May.LOOK)
def every_sbc(request: Request, context: RequestContext) -> Response:
    return render(request, "sbcs.html", rows=sbcs.list_sbcs(context))


@place.page("/carriers/sbcs/new", May.TRUNKS)
def new_sbc(request: Request, context: RequestContext) -> Response:
    return _form(request, context, BLANK)


@place.page("/carriers/sbcs/{key}", May.LOOK)
def one_sbc(request: Request, context: RequestContext, key: str) -> Response:
    return render(request, "sbc.html", view=sbcs.view_sbc(context, key))


@place.page("/carriers/sbcs/{key}/settings", May.TRUNKS)
def sbc_settings(request: Request, context: RequestContext, key: str) -> Response:
    return _form(request, context, sbcs.view_sbc(context, key).sbc)


def _form(request: Request, context: Context, sbc: Sbc) -> Response:
    rows = [*sbc.domains, *[SbcDomain(name="")] * SPARE_ROWS]
    sites = site_management.site_choices(context)
    return render(
        request, "sbc_form.html", sbc=sbc, sites=sites, transports=TRANSPORTS, domains=rows
    )


@place.action("/carriers/sbcs", May.TRUNKS)
async def save_sbc(request: Request, context: RequestContext) -> Response:
    """As a draft, so that its checks are seen."""
    form = await request.form()
    asked = _asked(form)
    made = await run_in_threadpool(sbcs.draft, context, str(form.get("key", "")) or None, asked)
    return go(request, f"/work-orders/{made.no}")


def _asked(form: FormData) -> SbcAsked:
    """Raises NotUnderstood naming the field."""
    texts = {name: str(form.get(name, "")).strip() for name in SbcAsked.model_fields}
    columns = (form.getlist("domain"), form.getlist("proof"), form.getlist("proof_at"))
    domains = [
        DomainAsked(name=str(name)[:500], proof=str(proof)[:500], proof_at=str(at)[:500])
        for name, proof, at in zip(*columns, strict=False)
    ]
    given = {name: text for name, text in texts.items() if text or name not in WHOLE}
    try:
        return SbcAsked.model_validate(given | {"domains": domains})
    except ValidationError as wrong:
        field = str(wrong.errors()[0]["loc"][0])
        message = f"“{texts.get(field, '')[:60]}” can't be used for {field}."
        raise NotUnderstood(message, field=field) from None


@place.action("/carriers/sbcs/{key}/test", May.PLACE_TEST_CALL)
def test_sbc(request: Request, context: RequestContext, key: str) -> Response:
    """Every link tried now; the result in the place of the last one."""
    sbc = sbcs.run_test(context, key)
    if target(request):
        return render(request, "_sbc_links.html", sbc=sbc)
    return go(request, f"/carriers/sbcs/{key}")


@place.action("/carriers/sbcs/{key}/retire", May.TRUNKS)
def retire_sbc(request: Request, context: RequestContext, key: str) -> Response:
    return go(request, f"/work-orders/{sbcs.retire(context, key).no}")
