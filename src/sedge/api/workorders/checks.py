"""The catalogue of checks, how strict each is here, and what the last night found."""

from pydantic import BaseModel, ConfigDict

from sedge.api.answers import Page
from sedge.api.routing import RequestContext, Resource, page_limit
from sedge.api.workorders.answers import CheckedOut, RuleDetailItemOut, RuleDetailOut, RuleOut
from sedge.core.access.roles import May
from sedge.services.workorders.checking import check_catalogue

resource = Resource(prefix="/checks", tags=["work orders"])


class Level(BaseModel):
    """`stop`: warnings of the rule stop work orders; without it they only warn."""

    model_config = ConfigDict(extra="forbid")
    stop: bool


def _rule(rule: check_catalogue.Rule) -> RuleOut:
    return {
        "rule": rule.name,
        "task": rule.task,
        "why": rule.why,
        "example": rule.example,
        "nightly": rule.nightly,
        "warnings_stop": rule.raised,
        "found": {"stops": rule.stops, "warnings": rule.warnings},
    }


@resource.read("")
def catalogue(context: RequestContext) -> Page[RuleOut]:
    return {"items": [_rule(r) for r in check_catalogue.catalogue(context)], "next": None}


@resource.read("/{name}")
def rule(context: RequestContext, name: str, after: str = "", limit: int = 100) -> RuleDetailOut:
    """One rule with what the last night found by it."""
    known: RuleOut = _rule(check_catalogue.the_rule(context, name))
    found, following = check_catalogue.findings(context, name, after=after, limit=page_limit(limit))
    items: list[RuleDetailItemOut] = [
        {"subject": f.subject, "id": f.ref, "level": f.level, "name": f.name, "message": f.message}
        for f in found
    ]
    return {**known, "items": items, "next": following}


@resource.write("/{name}", May.SET_RULES, method="PATCH")
def level(context: RequestContext, name: str, asked: Level) -> RuleOut:
    return _rule(check_catalogue.raise_rule(context, name, to_stop=asked.stop))


@resource.write("", May.CHANGE_ESTATE)
def check_now(context: RequestContext) -> CheckedOut:
    """Hold all nightly rules against the whole estate now."""
    return {"findings": check_catalogue.check_everything(context)}
