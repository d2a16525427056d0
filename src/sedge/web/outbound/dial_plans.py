"""Dial plans: the rules of each site, tried key by key, examined, changed by a
work order."""

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import Response
from pydantic import ValidationError

from sedge.core.access.roles import May
from sedge.core.enums import Reached
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.trade_patterns import Notation
from sedge.services.outbound import dial_plans
from sedge.services.outbound.dial_plans import RuleAsked
from sedge.web.routing import AtDesk, Place
from sedge.web.shared.rendering import draw, go, target

place = Place()
Text = Annotated[list[str], Form()]
LEADS_TO = [
    (Reached.NUMBER.value, "number"),
    (Reached.EXTENSION.value, "extension"),
    (Reached.SERVICE.value, "service code"),
    (Reached.REFUSED.value, "refused"),
]
NOTATIONS = [
    ("", "by itself"),
    (Notation.DIGIT_MAP.value, "digit map (RFC 3435)"),
    (Notation.UNDERSCORE.value, "_9NXX. letters"),
    (Notation.BAR.value, "9|NXX. prefix and bar"),
    (Notation.REGEX.value, "^9(\\d+)$ expression"),
]


@place.page("/dial-plans", May.LOOK)
def every_site(request: Request, desk: AtDesk) -> Response:
    return draw(request, "dial_plans.html", sites=dial_plans.sites(desk), countries=COUNTRIES)


@place.page("/dial-plans/{key}", May.LOOK)
def one(request: Request, desk: AtDesk, key: str, dialled: str = "") -> Response:
    plan = dial_plans.view(desk, key)
    tried = dial_plans.try_keys(plan, dialled)
    template = "_dial_plan_tried.html" if target(request) == "tried" else "dial_plan.html"
    return draw(request, template, **_facts(plan), dialled=dialled, tried=tried)


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
def export(desk: AtDesk, key: str) -> Response:
    code, text = dial_plans.as_csv(desk, key)
    named = {"Content-Disposition": f'attachment; filename="dial-plan-{code}.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=named)


@place.action("/dial-plans/{key}/check", May.TRUNKS)
def check(
    request: Request,
    desk: AtDesk,
    key: str,
    name: Text = [],  # noqa: B006  FastAPI copies it
    pattern: Text = [],  # noqa: B006
    notation: Text = [],  # noqa: B006
    strip: Text = [],  # noqa: B006
    before: Text = [],  # noqa: B006
    leads_to: Text = [],  # noqa: B006
    right: Text = [],  # noqa: B006
) -> Response:
    """What is wrong with the rules as they stand in the form; nothing changes."""
    asked, places = _asked(name, pattern, notation, strip, before, leads_to, right)
    plan = dial_plans.view(desk, key, dial_plans.read_asked(asked, places))
    template = "_dial_plan_found.html" if target(request) else "dial_plan.html"
    return draw(request, template, **_facts(plan), dialled="", tried=None)


@place.action("/dial-plans/{key}", May.TRUNKS)
def change(
    request: Request,
    desk: AtDesk,
    key: str,
    name: Text = [],  # noqa: B006
    pattern: Text = [],  # noqa: B006
    notation: Text = [],  # noqa: B006
    strip: Text = [],  # noqa: B006
    before: Text = [],  # noqa: B006
    leads_to: Text = [],  # noqa: B006
    right: Text = [],  # noqa: B006
) -> Response:
    """A draft with the new rules, so that its checks are seen."""
    asked, places = _asked(name, pattern, notation, strip, before, leads_to, right)
    made = dial_plans.draft(desk, key, dial_plans.read_asked(asked, places))
    return go(request, f"/work-orders/{made.no}")


@place.action("/dial-plans/{key}/import", May.TRUNKS)
def import_rules(
    request: Request, desk: AtDesk, key: str, text: Annotated[str, Form()] = ""
) -> Response:
    made = dial_plans.draft(desk, key, dial_plans.read_asked(dial_plans.read_csv(text)))
    return go(request, f"/work-orders/{made.no}")


def _asked(*columns: list[str]) -> tuple[list[RuleAsked], list[int]]:
    """The rows of the form that are filled in, each with its place. Raises NotUnderstood."""
    if len({len(column) for column in columns}) > 1:
        raise NotUnderstood("The rows of the form don't fit together. Load the page again.")
    asked, places = [], []
    for i, row in enumerate(zip(*columns, strict=True)):
        name, pattern, notation, strip, before, leads_to, right = (cell.strip() for cell in row)
        if not name and not pattern:
            continue
        if not pattern:
            message = f"“{name}” has no pattern."
            raise NotUnderstood(message, field=f"rules.{i}.pattern", reason="missing")
        fields = {
            "name": name,
            "pattern": pattern,
            "notation": notation or None,
            "strip": strip or 0,
            "before": before,
            "leads_to": leads_to,
            "right": right,
        }
        try:
            asked.append(RuleAsked.model_validate(fields))
        except ValidationError as wrong:
            field = str(wrong.errors()[0]["loc"][0])
            message = f"“{fields[field]}” can't be used here."
            raise NotUnderstood(message, field=f"rules.{i}.{field}") from None
        places.append(i)
    return asked, places
