"""Right-sizing and unusual calls."""

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypedDict

from sedge.api.answers import DraftedOut, MoneyOut, Page, drafted_out, moment, money
from sedge.api.routing import RequestContext, Resource
from sedge.core.access.roles import May
from sedge.services.spend import unusual_calls
from sedge.services.spend.savings import right_sizing

resource = Resource(tags=["spend"])


class AdviceOut(TypedDict):
    """`saves` a year; negative: so much it would cost. `tasks` are kinds of task, none where people
    decide elsewhere."""

    key: str
    kind: str
    what: str
    evidence: str
    lacked: str
    saves: MoneyOut
    tasks: list[str]


class RightSizingOut(TypedDict):
    """`reaches_back` false: the call records are too young to tell of use."""

    items: list[AdviceOut]
    saves: list[MoneyOut]
    reaches_back: bool


class ChosenAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    keys: list[str] = Field(min_length=1, max_length=1000)


class AlarmOut(TypedDict):
    id: str
    kind: str
    number: str
    site: str
    first: str
    last: str
    calls: int
    cost: MoneyOut | None
    words: str
    open: bool
    settled: str


class SettledWhyAsked(BaseModel):
    model_config = ConfigDict(extra="forbid")
    why: str = Field(max_length=2000)


@resource.read("/right-sizing", May.SEE_MONEY)
def savings(context: RequestContext) -> RightSizingOut:
    found = right_sizing.view(context)
    return {
        "items": [
            {
                "key": advice.key,
                "kind": advice.kind.value,
                "what": advice.what,
                "evidence": advice.evidence,
                "lacked": advice.lacked,
                "saves": money(advice.saves),
                "tasks": [task.kind for task in advice.tasks],
            }
            for advice in found.advices
        ],
        "saves": [money(amount) for amount in found.saved()],
        "reaches_back": found.reaches_back,
    }


@resource.write("/right-sizing", May.CHANGE_ESTATE)
def draft_savings(context: RequestContext, asked: ChosenAsked) -> DraftedOut:
    """One work order with the tasks of what was chosen."""
    return drafted_out(right_sizing.draft(context, asked.keys))


@resource.read("/unusual-calls", May.SEE_MONEY)
def alarms(context: RequestContext) -> Page[AlarmOut]:
    return {"items": [_out(alarm) for alarm in unusual_calls.list_alarms(context)], "next": None}


@resource.write("/unusual-calls/{key}/settle", May.CHANGE_ESTATE)
def settle_alarm(context: RequestContext, key: str, asked: SettledWhyAsked) -> Page[AlarmOut]:
    unusual_calls.settle(context, key, asked.why)
    return alarms(context)


@resource.write("/unusual-calls/{key}/rights", May.CHANGE_ESTATE)
def take_rights_away(context: RequestContext, key: str) -> DraftedOut:
    """A work order that takes the right to dear calls from who had the number."""
    return drafted_out(unusual_calls.take_rights_away(context, key))


def _out(alarm: unusual_calls.AlarmView) -> AlarmOut:
    return {
        "id": alarm.id,
        "kind": alarm.kind,
        "number": alarm.number,
        "site": alarm.site,
        "first": moment(alarm.first),
        "last": moment(alarm.last),
        "calls": alarm.calls,
        "cost": money(alarm.cost),
        "words": alarm.words,
        "open": alarm.is_open,
        "settled": alarm.settled,
    }
