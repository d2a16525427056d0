"""Why not: one page for any holder and any number, with all rules, their verdicts, and the shortest
way."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.records import Role
from sedge.core.workorders.findings import Level
from sedge.services import people_lookup
from sedge.services.numbers import numbers
from sedge.services.numbers.numbers import the_number
from sedge.services.workorders.checking import eligibility
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render
from sedge.web.workorders.views import page_of

place = Place()
Typed = Annotated[str, Form(max_length=200)]


@place.page("/why-not", May.LOOK)
def ask(
    request: Request,
    context: RequestContext,
    number: str = "",
    holder: str = "",
    role: str = "main",
) -> Response:
    answer = None
    wanted = Role(role) if role in set(Role) else Role.MAIN
    if number and holder:
        answer = eligibility.ask(
            context, the_number(context, number), numbers.holder_ref(holder), wanted
        )
    name = people_lookup.name_of(context, numbers.holder_ref(holder)) if holder else ""
    ways = [(r.words, page_of(r)) for r in answer.found.elsewhere] if answer else []
    marks = {Level.PASS: "good", Level.WARN: "waiting", Level.STOP: "wrong"}
    rows = [(marks[f.level], f.message, f.rule) for f in answer.found.findings] if answer else []
    return render(
        request,
        "why_not.html",
        answer=answer,
        rows=rows,
        ways=ways,
        number=number,
        holder=holder,
        name=name,
        role=wanted.value,
    )


@place.action("/why-not", May.CHANGE_ESTATE)
def draft(
    request: Request,
    context: RequestContext,
    number: Typed = "",
    holder: Typed = "",
    role: Typed = "main",
) -> Response:
    """The shortest way, as the draft of a work order."""
    wanted = Role(role) if role in set(Role) else Role.MAIN
    whom = numbers.holder_ref(holder)
    made = eligibility.draft(context, the_number(context, number), whom, wanted)
    return go(request, f"/work-orders/{made.no}")
