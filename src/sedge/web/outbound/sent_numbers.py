"""How a trunk sends numbers: its own rules, numbers tried, changed by a work order."""

from typing import Annotated

from fastapi import Depends, Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.trunks.records import SendRule
from sedge.services.outbound import sent_numbers
from sedge.services.outbound.sent_numbers import SendRuleAsked, SentView
from sedge.web.outbound.dial_rule_rows import NOTATIONS, Column, RowsTyped, rows_typed
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()


def _asked(
    name: Column = [],  # noqa: B006  FastAPI copies it
    pattern: Column = [],  # noqa: B006
    notation: Column = [],  # noqa: B006
    strip: Column = [],  # noqa: B006
    before: Column = [],  # noqa: B006
) -> RowsTyped[SendRuleAsked]:
    """The rows of the form that are filled in, each with its place. Raises NotUnderstood."""
    columns = {
        "name": name,
        "pattern": pattern,
        "notation": notation,
        "strip": strip,
        "before": before,
    }
    return rows_typed(SendRuleAsked, columns)


Typed = Annotated[RowsTyped[SendRuleAsked], Depends(_asked)]


def _read(typed: RowsTyped[SendRuleAsked]) -> list[SendRule]:
    return sent_numbers.read_asked(typed.rules, typed.places)


@place.page("/dial-plans/trunks/{key}", May.LOOK)
def one(request: Request, context: RequestContext, key: str, number: str = "") -> Response:
    return _shown(request, "sent_numbers.html", sent_numbers.view(context, key), number)


@place.action("/dial-plans/trunks/{key}/try", May.LOOK)
def try_number(
    request: Request,
    context: RequestContext,
    key: str,
    typed: Typed,
    number: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """A number by the rules as they stand in the form, or as they are where there is none."""
    rules = _read(typed) if typed.sent else None
    plan = sent_numbers.view(context, key, rules)
    template = "_sent_tried.html" if target(request) == "tried" else "sent_numbers.html"
    return _shown(request, template, plan, number)


def _shown(request: Request, template: str, plan: SentView, number: str = "") -> Response:
    tried, problem = None, ""
    try:
        tried = sent_numbers.try_number(plan, number)
    except NotUnderstood as wrong:
        problem = wrong.message
    return render(
        request,
        template,
        plan=plan,
        number=number,
        tried=tried,
        problem=problem,
        notations=NOTATIONS,
    )


@place.page("/dial-plans/trunks/{key}/rules.csv", May.LOOK)
def export(context: RequestContext, key: str) -> Response:
    named = {"Content-Disposition": f'attachment; filename="dial-plan-{key}.csv"'}
    text = sent_numbers.as_csv(context, key)
    return Response(text, media_type="text/csv; charset=utf-8", headers=named)


@place.action("/dial-plans/trunks/{key}/check", May.TRUNKS)
def check(request: Request, context: RequestContext, key: str, typed: Typed) -> Response:
    """What is wrong with the rules as they stand in the form; nothing changes."""
    plan = sent_numbers.view(context, key, _read(typed))
    template = "_sent_found.html" if target(request) else "sent_numbers.html"
    return _shown(request, template, plan)


@place.action("/dial-plans/trunks/{key}", May.TRUNKS)
def change_rules(request: Request, context: RequestContext, key: str, typed: Typed) -> Response:
    """A draft with the new rules, so that its checks are seen."""
    made = sent_numbers.draft(context, key, _read(typed))
    return go(request, f"/work-orders/{made.no}")


@place.action("/dial-plans/trunks/{key}/import", May.TRUNKS)
def import_rules(
    request: Request, context: RequestContext, key: str, text: Annotated[str, Form()] = ""
) -> Response:
    rules = sent_numbers.read_asked(sent_numbers.read_csv(text))
    return go(request, f"/work-orders/{sent_numbers.draft(context, key, rules).no}")
