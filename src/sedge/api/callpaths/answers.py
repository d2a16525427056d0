"""What the JSON interface answers: call paths, followed and placed calls, sounds."""

from typing import NotRequired

from pydantic import ConfigDict
from typing_extensions import TypedDict

from sedge.api.answers import JsonObject, moment
from sedge.core.callpaths.tracing.world import EndingKind
from sedge.core.records import Proof


class InboundTraceStepOut(TypedDict):
    at: int
    step: str
    title: str
    text: str
    exit: str
    wrong: bool


class InboundTraceEndingOut(TypedDict):
    kind: EndingKind
    reason: str
    who: str


class InboundTraceOut(TypedDict):
    steps: list[InboundTraceStepOut]
    ending: InboundTraceEndingOut
    rang: list[str]


class RateOut(TypedDict):
    """The price of a minute, unrounded."""

    amount: str
    currency: str


class OutboundTraceCandidateOut(TypedDict):
    trunk: str
    taken: bool
    reason: str
    rate: RateOut | None


class OutboundTraceHeaderOut(TypedDict):
    name: str
    value: str


class OutboundTraceEndingOut(TypedDict):
    kind: str
    reason: str


class OutboundTraceOut(TypedDict):
    """`leads_to`: the number of ours that is called. From `spot` on: for emergency digits only."""

    normalised: str
    kind: str
    candidates: list[OutboundTraceCandidateOut]
    route: str | None
    trunk: str | None
    sent: str | None
    leads_to: str | None
    caller_id: str | None
    caller_name: str | None
    shown_because: str | None
    headers: list[OutboundTraceHeaderOut]
    rate: RateOut | None
    ending: OutboundTraceEndingOut
    spot: NotRequired[str]
    spot_words: NotRequired[str]
    psap: NotRequired[str]
    callback: NotRequired[str]
    told: NotRequired[str]
    broken: NotRequired[list[str]]
    cautions: NotRequired[list[str]]


class ProofOut(TypedDict):
    """`stale`: something has changed since, where it was asked for; `by`: who called by hand, empty
    where Sedge placed the call and compared it."""

    stale: NotRequired[bool]
    id: str
    number: str
    direction: str
    at: str
    ok: bool
    note: str
    heard: str
    rang: list[str]
    differs: str
    by: str


class TestCallOut(TypedDict):
    heard: str
    rang: list[str]
    matches_trace: bool
    differs: str
    proof: ProofOut


class PathOut(TypedDict):
    id: str
    name: str
    version: int
    in_force_from: str
    retired: bool
    numbers: int
    body: JsonObject


class PathFindingOut(TypedDict):
    rule: str
    level: str
    message: str
    steps: list[str]


class WeekOfManyDayHourOut(TypedDict):
    hour: int
    unanswered: int
    ends: dict[str, int]


class WeekOfManyDayOut(TypedDict):
    day: str
    hours: list[WeekOfManyDayHourOut]


class WeekOfManyOut(TypedDict):
    timezone: str
    numbers: int
    left_out: int
    days: list[WeekOfManyDayOut]


class ConsequenceOut(TypedDict):
    at: str
    before: str
    after: str


class WhatIfItemOut(TypedDict):
    number: str
    changes: list[ConsequenceOut]


class WhatIfOut(TypedDict):
    title: str
    looked_at: int
    cut_off: bool
    items: list[WhatIfItemOut]


class PathDetailVersionOut(TypedDict):
    version: int
    in_force_from: str


class PathDetailOut(PathOut):
    followed_by: list[str]
    versions: list[PathDetailVersionOut]


class EndingsItemWayOut(TypedDict):
    step: str
    exit: str


class EndingsItemOut(TypedDict):
    kind: str
    step: str
    exit: str
    reason: str
    who: list[str]
    at: str
    choices: list[str]
    way: list[EndingsItemWayOut]
    seconds: int


class EndingsOut(TypedDict):
    items: list[EndingsItemOut]
    unreached: list[str]
    without_end: list[str]


class PathFindingsTestCaseOut(TypedDict):
    name: str
    passes: bool
    differs: str


class PathFindingsOut(TypedDict):
    items: list[PathFindingOut]
    test_cases: list[PathFindingsTestCaseOut]


WeekDayHourPartOut = TypedDict("WeekDayHourPartOut", {"from": str, "to": str, "grade": str})


class WeekDayHourOut(TypedDict):
    hour: int
    grade: str
    parts: list[WeekDayHourPartOut]


class WeekDayOut(TypedDict):
    day: str
    holiday: str
    hours: list[WeekDayHourOut]


class WeekOut(TypedDict):
    timezone: str
    days: list[WeekDayOut]


class PathComparisonStepOut(TypedDict):
    step: str
    title: str
    what: str
    words: list[str]


class PathComparisonNumberOut(TypedDict):
    number: str
    changes: list[ConsequenceOut]


class PathComparisonOut(TypedDict):
    steps: list[PathComparisonStepOut]
    exits: list[list[str]]
    numbers: list[PathComparisonNumberOut]


class PathProvingOut(TypedDict):
    work_order: str
    no: int
    calls: int


class DrawingOut(TypedDict):
    path: str
    name: str
    site: str
    based_on: int
    version: int
    changed_by: str
    changed_at: str
    body: JsonObject


class DrawingDetailOut(DrawingOut):
    findings: list[PathFindingOut]


class ReachableDeviceOut(TypedDict):
    device: str
    would_ring: bool
    reason: str


class ReachableOut(TypedDict):
    person: str
    at: str
    reachable: bool
    why_not: str
    devices: list[ReachableDeviceOut]
    may_pick_up: list[str]
    groups: list[str]


class RungByOut(TypedDict):
    number: str
    through: str


class CplReportOut(TypedDict):
    items: list[str]


class PathReadOut(TypedDict):
    path: str
    report: list[str]


class SoundOut(TypedDict):
    id: str
    name: str
    language: str
    text: str
    media: str
    seconds: float
    level: float


class SoundKeptOut(TypedDict):
    id: str
    media: str
    seconds: float
    level: float
    cautions: list[str]


class JsonSchemaOut(TypedDict):
    """A JSON Schema (2020-12)."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]

    title: str
    type: str


def proof_out(p: Proof, *, stale: bool | None = None) -> ProofOut:
    body: ProofOut = {
        "id": p.id,
        "number": p.e164,
        "direction": p.direction,
        "at": moment(p.at),
        "ok": p.ok,
        "note": p.note,
        "heard": p.heard,
        "rang": list(p.rang),
        "differs": p.differs,
        "by": p.by,
    }
    if stale is not None:
        body["stale"] = stale
    return body
