"""Dial plans of sites: their rules in order, what is wrong with them, keys tried."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.core.outbound.dialling import digit_maps
from sedge.services.outbound import dial_plans
from sedge.services.outbound.dial_plans import PlanView, RuleAsked

resource = Resource(tags=["outbound"])


class DialRuleOut(TypedDict):
    name: str
    pattern: str
    reading: str
    leads_to: str
    strip: int
    before: str
    right: str
    own: bool


class DialFindingOut(TypedDict):
    """`what` is one of emergency-taken, emergency-delayed, strips-too-much, never-reached,
    overlaps; `example` are keys that show it."""

    what: str
    rule: str
    other: str | None
    example: str | None


class DialPlanOut(TypedDict):
    site: str
    rules: list[DialRuleOut]
    findings: list[DialFindingOut]
    cannot_be_dialled: list[str]
    lost_extensions: list[str]


class KeyOut(TypedDict):
    typed: str
    takes: list[str]
    goes_on: list[str]


class TriedOut(TypedDict):
    kind: str
    result: str
    reason: str
    right: str
    keys: list[KeyOut]


class DialPlanDraftOut(TypedDict):
    work_order: str
    plan: DialPlanOut


class DialPlanAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    rules: list[RuleAsked] = Field(max_length=1000)


class KeysAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    dialled: str = Field(max_length=40)


class MapsAsked(BaseModel):
    """Two digit maps (RFC 3435), and `digits` that are tried in both."""

    model_config = ConfigDict(extra="forbid")
    a: str = Field(max_length=2000)
    b: str = Field(max_length=2000)
    digits: str | None = Field(default=None, max_length=40)


class MapsOut(TypedDict):
    """`a_matches` and `b_matches` null: no digits were given. `example`: the shortest digits that
    both take."""

    a_matches: bool | None
    b_matches: bool | None
    overlap: bool
    example: str | None


@resource.write("/digit-maps/compare", May.LOOK)
def compare_maps(asked: MapsAsked) -> MapsOut:
    """What two digit maps have in common."""
    for field, text in (("a", asked.a), ("b", asked.b)):
        digit_maps.parse(text, field)
    example = digit_maps.in_common(asked.a, asked.b)
    tried = asked.digits
    return {
        "a_matches": None if tried is None else digit_maps.matches(asked.a, tried),
        "b_matches": None if tried is None else digit_maps.matches(asked.b, tried),
        "overlap": example is not None,
        "example": example,
    }


@resource.read("/dial-plans/{site}")
def dial_plan(context: RequestContext, site: str) -> DialPlanOut:
    return _out(dial_plans.view(context, site))


@resource.write("/dial-plans/{site}", May.TRUNKS, method="PUT")
def change_dial_plan(context: RequestContext, site: str, asked: DialPlanAsked) -> DialPlanDraftOut:
    """All of the site's own rules in their order, as a draft of a work order that says whether they
    hold; running it changes the plan."""
    rules = dial_plans.read_asked(asked.rules)
    plan = dial_plans.view(context, site, rules)
    return {"work_order": dial_plans.draft(context, site, rules).id, "plan": _out(plan)}


@resource.write("/dial-plans/{site}/try", May.LOOK)
def try_dial_plan(context: RequestContext, site: str, asked: KeysAsked) -> TriedOut | None:
    """What keys become, and what each of them does on the way; null for none."""
    plan = dial_plans.view(context, site)
    tried = dial_plans.try_keys(plan, asked.dialled)
    if tried is None:
        return None
    names = [rule.name for rule in plan.rules]
    return {
        "kind": tried.became.kind.value,
        "result": tried.became.result,
        "reason": tried.became.reason,
        "right": tried.became.right.value,
        "keys": [
            {
                "typed": k.typed,
                "takes": [names[i] for i in k.takes],
                "goes_on": [names[i] for i in k.goes_on],
            }
            for k in tried.keys
        ],
    }


def _out(plan: PlanView) -> DialPlanOut:
    return {
        "site": plan.site.id,
        "rules": [
            {
                "name": r.name,
                "pattern": r.pattern,
                "reading": r.reading,
                "leads_to": r.leads_to.value,
                "strip": r.strip,
                "before": r.before,
                "right": r.right.value,
                "own": r.own,
            }
            for r in plan.rules
        ],
        "findings": _findings(plan),
        "cannot_be_dialled": [e164 for e164, _ in plan.cannot],
        "lost_extensions": [extension for extension, _ in plan.lost],
    }


def _findings(plan: PlanView) -> list[DialFindingOut]:
    found, names = plan.found, [rule.name for rule in plan.rules]
    said = [
        (
            "emergency-delayed" if e.delays else "emergency-taken",
            names[e.rule],
            e.digits,
            e.example,
        )
        for e in found.endangered
    ]
    said += [("strips-too-much", names[i], None, None) for i in found.overdrawn]
    said += [
        ("never-reached", names[i], names[before[0]], None) for i, before in found.hidden.items()
    ]
    said += [("overlaps", names[o.later], names[o.earlier], o.example) for o in found.overlaps]
    return [
        {"what": what, "rule": rule, "other": other, "example": example}
        for what, rule, other, example in said
    ]
