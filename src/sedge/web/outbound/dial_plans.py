"""Dial plans: the rules of each site, tried key by key, examined, changed by a
work order."""

from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import Response
from pydantic import ValidationError

from sedge.core.access.roles import May
from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.trade_patterns import Notation
from sedge.services.outbound import dial_plans
from sedge.services.outbound.dial_plans import RuleAsked
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()
Text = Annotated[list[str], Form()]
LEADS_TO = [
    (Reached.NUMBER.value, "number"),
    (Reached.EXTENSION.value, "extension"),
    (Reached.SERVICE.value, "service code"),
    (Reached.REFUSED.value, "refused"),
]
NOTATIONS = [
    ("", "automatic"),
    (Notation.DIGIT_MAP.value, "digit map (RFC 3435)"),
    (Notation.UNDERSCORE.value, "_9NXX. letters"),
    (Notation.BAR.value, "9|NXX. prefix and bar"),
    (Notation.REGEX.value, "^9(\\d+)$ expression"),
]

COLUMNS = ("name", "pattern", "notation", "strip", "before", "leads_to", "right")
WANTED = {
    "strip": "type how many keys are taken off, 0 to 30",
    "before": "type digits, * or #, with a plus in front if need be",
    "name": "type at most 60 characters",
    "pattern": "type at most 400 characters",
}


def _asked(
    name: Text = [],  # noqa: B006  FastAPI copies it
    pattern: Text = [],  # noqa: B006
    notation: Text = [],  # noqa: B006
    strip: Text = [],  # noqa: B006
    before: Text = [],  # noqa: B006
    leads_to: Text = [],  # noqa: B006
    right: Text = [],  # noqa: B006
) -> tuple[list[RuleAsked], list[int]]:
    """The rows of the form that are filled in, each with its place. Raises NotUnderstood."""
    columns = (name, pattern, notation, strip, before, leads_to, right)
    if len({len(column) for column in columns}) > 1:
        raise NotUnderstood("The rows of the form don't fit together. Load the page again.")
    asked, places = [], []
    for i, row in enumerate(zip(*columns, strict=True)):
        cells = [cell.strip() for cell in row]
        fields = {column: cells[j] for j, column in enumerate(COLUMNS)}
        if not fields["name"] and not fields["pattern"]:
            continue
        if not fields["pattern"]:
            message = f"“{fields['name']}” has no pattern: type the digits that it takes."
            raise NotUnderstood(message, field=f"rules.{i}.pattern", reason="missing")
        way, keys = fields["notation"] or None, fields["strip"] or 0
        typed = {**fields, "notation": way, "strip": keys}
        try:
            asked.append(RuleAsked.model_validate(typed))
        except ValidationError as wrong:
            field = str(wrong.errors()[0]["loc"][0])
            wanted = WANTED.get(field, "choose from the list")
            message = f"“{fields.get(field, '')}” can't be used here: {wanted}."
            raise NotUnderstood(message, field=f"rules.{i}.{field}") from None
        places.append(i)
    return asked, places


Typed = Annotated[tuple[list[RuleAsked], list[int]], Depends(_asked)]


@place.page("/dial-plans", May.LOOK)
def every_site(request: Request, context: RequestContext) -> Response:
    return render(request, "dial_plans.html", sites=dial_plans.sites(context), countries=COUNTRIES)


@place.page("/dial-plans/{key}", May.LOOK)
def one(request: Request, context: RequestContext, key: str, dialled: str = "") -> Response:
    plan = dial_plans.view(context, key)
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
    asked, places = typed
    plan = dial_plans.view(context, key, dial_plans.read_asked(asked, places))
    template = "_dial_plan_found.html" if target(request) else "dial_plan.html"
    return render(request, template, **_facts(plan), dialled="", tried=None)


@place.action("/dial-plans/{key}", May.TRUNKS)
def change_dial_plan(request: Request, context: RequestContext, key: str, typed: Typed) -> Response:
    """A draft with the new rules, so that its checks are seen."""
    asked, places = typed
    made = dial_plans.draft(context, key, dial_plans.read_asked(asked, places))
    return go(request, f"/work-orders/{made.no}")


@place.action("/dial-plans/{key}/import", May.TRUNKS)
def import_rules(
    request: Request, context: RequestContext, key: str, text: Annotated[str, Form()] = ""
) -> Response:
    made = dial_plans.draft(context, key, dial_plans.read_asked(dial_plans.read_csv(text)))
    return go(request, f"/work-orders/{made.no}")
