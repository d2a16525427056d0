"""What calls out show: for the whole organisation, each site and whoever differs; changed by a work
order."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import read_one
from sedge.services.outbound import caller_ids
from sedge.services.workorders import workorders
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import render
from sedge.web.shared.saving import Now, run_or_review

place = Place()
SHOWS = [
    ("own", "everybody their own number"),
    ("number", "always the number below"),
    ("withheld", "nothing: calls are withheld"),
]


@place.page("/holders/caller-ids", May.LOOK)
def page(request: Request, context: RequestContext, site: str = "", person: str = "") -> Response:
    chosen = caller_ids.view_number_shown(context, site=site, person=person)
    above = (
        [("", "as the organisation says" if site else "as the site says")] if site or person else []
    )
    return render(
        request,
        "caller_ids.html",
        view=caller_ids.view_rules(context),
        chosen=chosen,
        shows=[*above, *SHOWS],
        site=site,
        person=person,
    )


@place.action("/holders/caller-ids", May.CHANGE_ESTATE)
def set_it(
    request: Request,
    context: RequestContext,
    site: Annotated[str, Form()] = "",
    person: Annotated[str, Form()] = "",
    shows: Annotated[str, Form()] = "",
    suits: Annotated[str, Form()] = "",
    number: Annotated[str, Form()] = "",
    now: Now = "",
) -> Response:
    line = caller_ids.view_number_shown(context, site=site, person=person).line
    if shows not in {"", *(key for key, _ in SHOWS)}:
        raise NotUnderstood("Choose what is shown.", field="shows")
    caller_id = (
        read_one(number, context.organisation.home_country, field="number")
        if number.strip()
        else suits
    )
    holder = line.holder.model_dump(mode="json") if line.holder else None
    raw = {
        "kind": "set_caller_id",
        "holder": holder,
        "shows": shows,
        "caller_id": "" if shows == "withheld" else caller_id,
    }
    tasks = workorders.read_tasks(context, [raw])
    made = workorders.draft(context, f"Caller ID of {line.name}", tasks, look=True)
    return run_or_review(request, context, made.no, "/holders/caller-ids", now)
