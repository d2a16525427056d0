"""Dial plans: the rules of each site, tried key by key, examined, changed by a
work order."""

from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.enums import Reached
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.records import OwnDialRule
from sedge.services.outbound import dial_plans, sent_numbers
from sedge.services.outbound.dial_plans import RuleAsked
from sedge.web.outbound.dial_rule_rows import NOTATIONS, Column, RowsTyped, rows_typed
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
LEADS_TO = [
    (Reached.NUMBER.value, "number"),
    (Reached.EXTENSION.value, "extension"),
    (Reached.SERVICE.value, "service code"),
    (Reached.REFUSED.value, "refused"),
]


def _asked(
    name: Column = [],  # noqa: B006  FastAPI copies it
    pattern: Column = [],  # noqa: B006
    notation: Column = [],  # noqa: B006
    strip: Column = [],  # noqa: B006
    before: Column = [],  # noqa: B006
    leads_to: Column = [],  # noqa: B006
    right: Column = [],  # noqa: B006
) -> RowsTyped[RuleAsked]:
    """The rows of the form that are filled in, each with its place. Raises NotUnderstood."""
    columns = {
        "name": name,
        "pattern": pattern,
        "notation": notation,
        "strip": strip,
        "before": before,
        "leads_to": leads_to,
        "right": right,
    }
    return rows_typed(RuleAsked, columns)


Typed = Annotated[RowsTyped[RuleAsked], Depends(_asked)]


def _read(typed: RowsTyped[RuleAsked]) -> list[OwnDialRule]:
    return dial_plans.read_asked(typed.rules, typed.places)


@place.page("/dial-plans", May.LOOK)
def every_plan(request: Request, context: RequestContext) -> Response:
    return render(
        request,
        "dial_plans.html",
        sites=dial_plans.sites(context),
        trunks=sent_numbers.every_trunk(context),
        countries=COUNTRIES,
    )


@place.page("/dial-plans/{key}", May.LOOK)
def one(request: Request, context: RequestContext, key: str, dialled: str = "") -> Response:
    plan = dial_plans.view(context, key)
    tried = dial_plans.try_keys(plan, dialled)
    return render(request, "dial_plan.html", **_facts(plan), dialled=dialled, tried=tried)


@place.action("/dial-plans/{key}/try", May.LOOK)
def try_keys(
    request: Request,
    context: RequestContext,
    key: str,
    typed: Typed,
    dialled: Annotated[str, Form(max_length=80)] = "",
) -> Response:
    """Keys by the rules as they stand in the form, or as they are where there is none."""
    plan = dial_plans.view(context, key, _read(typed) if typed.sent else None)
    tried = dial_plans.try_keys(plan, dialled)
    template = "_dial_plan_tried.html" if target(request) == "tried" else "dial_plan.html"
    return render(request, template, **_facts(plan), dialled=dialled, tried=tried)


def _facts(plan: dial_plans.PlanView) -> dict[str, Any]:
    return {
        "plan": plan,
        "country": COUNTRIES[plan.site.country],
        "leads_to": LEADS_TO,
        "notations": NOTATIONS,
        "rights": [(right.value, right.value) for right in dial_plans.RIGHTS],
        "own": [rule for rule in plan.rules if rule.own],
    }


@place.page("/dial-plans/{key}/rules.csv", May.LOOK)
def export(context: RequestContext, key: str) -> Response:
    code, text = dial_plans.as_csv(context, key)
    named = {"Content-Disposition": f'attachment; filename="dial-plan-{code}.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=named)


@place.action("/dial-plans/{key}/check", May.TRUNKS)
def check(request: Request, context: RequestContext, key: str, typed: Typed) -> Response:
    """What is wrong with the rules as they stand in the form; nothing changes."""
    plan = dial_plans.view(context, key, _read(typed))
    template = "_dial_plan_found.html" if target(request) else "dial_plan.html"
    return render(request, template, **_facts(plan), dialled="", tried=None)


@place.action("/dial-plans/{key}", May.TRUNKS)
def change_dial_plan(request: Request, context: RequestContext, key: str, typed: Typed) -> Response:
    """A draft with the new rules, so that its checks are seen."""
    made = dial_plans.draft(context, key, _read(typed))
    return go(request, f"/work-orders/{made.no}")


@place.action("/dial-plans/{key}/import", May.TRUNKS)
def import_rules(
    request: Request, context: RequestContext, key: str, text: Annotated[str, Form()] = ""
) -> Response:
    made = dial_plans.draft(context, key, dial_plans.read_asked(dial_plans.read_csv(text)))
    return go(request, f"/work-orders/{made.no}")
