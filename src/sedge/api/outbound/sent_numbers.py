"""Dial plans of trunks: how numbers are sent, what is wrong with the rules, numbers tried."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.services.outbound import sent_numbers
from sedge.services.outbound.sent_numbers import SendRuleAsked, SentView

resource = Resource(tags=["outbound"])


class SentRuleOut(TypedDict):
    """`example` are the shortest digits that the pattern takes, `becomes` what is sent for them."""

    name: str
    pattern: str
    reading: str
    strip: int
    before: str
    example: str
    becomes: str


class SentFindingOut(TypedDict):
    """`what` is never-reached or overlaps; `rule` and `other` are places from 0; `example` are
    digits that both take."""

    what: str
    rule: int
    other: int
    example: str | None


class TrunkPlanOut(TypedDict):
    """`otherwise` is the format of every number that no rule takes; null where nobody has said how
    the trunk is set up."""

    trunk: str
    otherwise: str | None
    rules: list[SentRuleOut]
    findings: list[SentFindingOut]


class TrunkPlanDraftOut(TypedDict):
    work_order: str
    plan: TrunkPlanOut


class DigitOut(TypedDict):
    typed: str
    takes: list[int]
    goes_on: list[int]


class SentOut(TypedDict):
    """`rule` is the place of the rule that takes it, null for the trunk's format."""

    e164: str
    sent: str
    rule: int | None
    digits: list[DigitOut]


class TrunkPlanAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    rules: list[SendRuleAsked] = Field(max_length=1000)


class NumberAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: str = Field(max_length=40)


@resource.read("/trunks/{trunk}/dial-plan")
def trunk_plan(context: RequestContext, trunk: str) -> TrunkPlanOut:
    return _out(sent_numbers.view(context, trunk))


@resource.write("/trunks/{trunk}/dial-plan", May.TRUNKS, method="PUT")
def change_trunk_plan(
    context: RequestContext, trunk: str, asked: TrunkPlanAsked
) -> TrunkPlanDraftOut:
    """All of the trunk's own rules in their order, as a draft of a work order; running it changes
    the plan."""
    rules = sent_numbers.read_asked(asked.rules)
    plan = sent_numbers.view(context, trunk, rules)
    return {"work_order": sent_numbers.draft(context, trunk, rules).id, "plan": _out(plan)}


@resource.write("/trunks/{trunk}/dial-plan/try", May.LOOK)
def try_trunk_plan(context: RequestContext, trunk: str, asked: NumberAsked) -> SentOut | None:
    """How a number, in any writing, is sent; null for none, or where the trunk is not set up."""
    tried = sent_numbers.try_number(sent_numbers.view(context, trunk), asked.number)
    if tried is None:
        return None
    return {
        "e164": tried.e164,
        "sent": tried.sent,
        "rule": tried.place,
        "digits": [
            {"typed": d.typed, "takes": list(d.takes), "goes_on": list(d.goes_on)}
            for d in tried.digits
        ],
    }


def _out(plan: SentView) -> TrunkPlanOut:
    hidden: list[SentFindingOut] = [
        {"what": "never-reached", "rule": i, "other": before[0], "example": None}
        for i, before in plan.found.hidden.items()
    ]
    overlaps: list[SentFindingOut] = [
        {"what": "overlaps", "rule": o.later, "other": o.earlier, "example": o.example}
        for o in plan.found.overlaps
    ]
    return {
        "trunk": plan.trunk.id,
        "otherwise": plan.settings.sends.value if plan.settings else None,
        "rules": [
            {
                "name": r.rule.name,
                "pattern": r.rule.pattern,
                "reading": r.reading,
                "strip": r.rule.strip,
                "before": r.rule.before,
                "example": r.example,
                "becomes": r.becomes,
            }
            for r in plan.rules
        ],
        "findings": hidden + overlaps,
    }
