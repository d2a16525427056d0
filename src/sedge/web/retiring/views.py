"""Retiring: one number with all that depends on it, a site that closes, the yearly tidy-up."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from sedge.core.access.roles import May
from sedge.services.holders import site_management
from sedge.services.numbers import numbers
from sedge.services.retiring import cleanup_review, quarantine, retiring, site_closure
from sedge.services.workorders import workorders
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render

place = Place()
Typed = Annotated[str, Form(max_length=2000)]


@place.page("/numbers/tidy-up", May.RELEASE)
def tidy_up(request: Request, context: RequestContext, days: str = "") -> Response:
    return render(request, "tidy_up.html", view=cleanup_review.tidy_up(context, days))


@place.action("/numbers/tidy-up", May.RELEASE)
async def retire_chosen(request: Request, context: RequestContext) -> Response:
    form = await request.form(max_fields=10_000)
    chosen = [str(value) for name, value in form.multi_items() if name == "numbers"]
    tasks, title = await run_in_threadpool(
        cleanup_review.plan,
        context,
        chosen,
        then=str(form.get("then", "")),
        rest=str(form.get("rest", "")),
    )
    order = await run_in_threadpool(
        workorders.draft, context, title, tasks, reason=str(form.get("reason", ""))
    )
    return go(request, f"/work-orders/{order.no}")


@place.page("/numbers/resting", May.LOOK)
def days_of_rest(request: Request, context: RequestContext) -> Response:
    return render(request, "resting.html", rows=quarantine.list_rests(context))


@place.action("/numbers/resting", May.SET_RULES)
def set_days_of_rest(
    request: Request,
    context: RequestContext,
    country: Typed = "",
    days: Typed = "",
    toll_free: Typed = "",
) -> Response:
    quarantine.set_rest(context, country, days=days, toll_free=toll_free)
    return go(request, "/numbers/resting")


@place.page("/numbers/{number}/retire", May.CHANGE_ESTATE)
def retire_page(request: Request, context: RequestContext, number: str) -> Response:
    view = retiring.depends_on(context, numbers.the_number(context, number))
    return render(request, "retire.html", view=view, number=view.number.e164[1:])


@place.action("/numbers/{number}/retire", May.CHANGE_ESTATE)
def retire(
    request: Request,
    context: RequestContext,
    number: str,
    rest: Typed = "",
    then: Typed = "keep",
    reason: Typed = "",
    announcement: Typed = "",
    settle: Typed = "",
) -> Response:
    e164 = numbers.the_number(context, number)
    tasks, title = retiring.plan(
        context, e164, then=then, rest=rest.strip(), announcement=announcement, settle=bool(settle)
    )
    return go(
        request,
        f"/work-orders/{workorders.draft(context, title, tasks, reason=reason, look=True).no}",
    )


@place.page("/holders/sites/{key}/close", May.RELEASE)
def close_page(request: Request, context: RequestContext, key: str) -> Response:
    view = site_closure.view_closing(context, key)
    others = [(k, name) for k, name in site_management.site_choices(context) if k != key]
    return render(request, "close_site.html", view=view, sites=others)


@place.action("/holders/sites/{key}/close", May.RELEASE)
def close(
    request: Request,
    context: RequestContext,
    key: str,
    then: Typed = "",
    rest: Typed = "",
    announcement: Typed = "",
    people: Typed = "stay",
    reason: Typed = "",
) -> Response:
    tasks, title = site_closure.plan(
        context, key, then=then, rest=rest.strip(), announcement=announcement, people=people
    )
    return go(
        request,
        f"/work-orders/{workorders.draft(context, title, tasks, reason=reason, look=True).no}",
    )
