"""What the JSON interface answers: numbers, blocks, capacity, lists."""

from typing import NotRequired

from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, moment, money
from sedge.api.callpaths.answers import ProofOut
from sedge.core.enums import Capacity, HolderKind, Role
from sedge.core.numbers.capacity_forecast import Advice
from sedge.core.numbers.card_facts import Mark
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import Kind
from sedge.core.records import Number
from sedge.services.numbers.capacity_forecast import Figure
from sedge.services.numbers.estate import Block
from sedge.services.numbers.saved_views import SavedView
from sedge.store.repositories.past import Was


class NumberHolderOut(TypedDict):
    kind: HolderKind
    id: str
    name: str
    role: Role


class NumberOut(TypedDict):
    e164: str
    national: str
    country: str
    area: str
    kind: Kind
    capacity: Capacity
    state: State
    state_until: str | None
    usable_from: str | None
    works_from: str | None
    features: list[str]
    features_work_from: dict[str, str]
    label: str
    note: str
    tags: list[str]
    cost_centre: str
    holder: NumberHolderOut | None
    site: str
    carrier: str
    account: str
    spot: str | None
    path: str | None
    trunk: str | None
    monthly: MoneyOut
    leaving_on: str | None
    known_as: dict[str, str]


class CountsOut(TypedDict):
    total: int
    whole: bool
    by: dict[str, dict[str, int]]


class WasOut(TypedDict):
    state: State
    holder: str | None
    site: str
    carrier: str
    since: str
    until: str | None


class DifferencesItemOut(TypedDict):
    e164: str
    before: WasOut | None
    after: WasOut | None


class DifferencesOut(TypedDict):
    items: list[DifferencesItemOut]
    moved: int
    before: dict[State, int]
    after: dict[State, int]


class PastedOut(TypedDict):
    numbers: str
    count: int
    unknown: str
    unread: list[str]
    by_state: dict[str, int]


class ReadTextCandidateOut(TypedDict):
    e164: str
    national: str
    kind: Kind
    area: str
    extension: str | None


class ReadTextProblemOut(TypedDict):
    code: str
    sentence: str


class ReadTextOut(TypedDict):
    candidates: list[ReadTextCandidateOut]
    problem: ReadTextProblemOut | None


class CardFactOut(TypedDict):
    name: str
    text: str
    mark: Mark


class CardLifeOut(TypedDict):
    state: State
    holder: str
    since: str
    until: str | None


class CardOut(NumberOut):
    facts: list[CardFactOut]
    life: list[CardLifeOut]
    proofs: list[ProofOut]


class FeaturesItemOut(TypedDict):
    feature: str
    monthly: MoneyOut
    on: bool
    works_from: str | None


class FeaturesOut(TypedDict):
    carrier: str
    items: list[FeaturesItemOut]
    next: None


class BlockMonthsToExhaustionOut(TypedDict):
    months: float | None
    soonest: float | None
    latest: float | None


class BlockCellOut(TypedDict):
    e164: str
    state: State
    holder: str | None


class HundredOut(TypedDict):
    block: str
    by_state: dict[str, int]


class BlockOut(TypedDict):
    """`cells` where asked for; `hundreds` of a block of 10,000."""

    block: str
    site: str
    area: str
    numbers: int
    size: int
    by_state: dict[str, int]
    utilisation: float
    longest_free_run: int | None
    carriers: dict[str, int]
    months_to_exhaustion: BlockMonthsToExhaustionOut
    cells: NotRequired[list[BlockCellOut]]
    hundreds: NotRequired[list[HundredOut]]


class CapacityMonthsToExhaustionOut(TypedDict):
    months: float | None
    soonest: float | None
    latest: float | None
    monthly_demand: float


CapacityDemandOut = TypedDict("CapacityDemandOut", {"from": str, "to": str, "net": int})


class CapacityOut(TypedDict):
    site: str
    capacity: str
    utilisation: float
    by_state: dict[str, int]
    months_to_exhaustion: CapacityMonthsToExhaustionOut
    demand: list[CapacityDemandOut]
    advice: Advice


class SavedViewOut(TypedDict):
    id: str
    name: str
    query: str
    created_by: str
    created_at: str


class SuggestedOut(TypedDict):
    e164: str
    why: str


def number_out(n: Number, holder_name: str) -> NumberOut:
    facts = describe(n.e164)
    assignment = n.assignment
    holder: NumberHolderOut | None = (
        {
            "kind": assignment.holder.kind,
            "id": assignment.holder.id,
            "name": holder_name,
            "role": assignment.role,
        }
        if assignment
        else None
    )
    return {
        "e164": n.e164,
        "national": facts.national,
        "country": facts.country,
        "area": facts.area,
        "kind": facts.kind,
        "capacity": n.capacity,
        "state": n.state,
        "state_until": moment(n.state_until),
        "usable_from": moment(n.usable_from),
        "works_from": moment(assignment.works_from) if assignment else None,
        "features": list(n.features),
        "features_work_from": {name: moment(at) for name, at in n.features_from.items()},
        "label": n.label,
        "note": n.note,
        "tags": list(n.tags),
        "cost_centre": n.cost_centre,
        "holder": holder,
        "site": n.site,
        "carrier": n.carrier,
        "account": n.account,
        "spot": n.spot,
        "path": n.path,
        "trunk": n.trunk,
        "monthly": money(n.monthly),
        "leaving_on": moment(n.leaving_on),
        "known_as": n.known_as,
    }


def was_out(w: Was | None) -> WasOut | None:
    if w is None:
        return None
    return {
        "state": w.state,
        "holder": w.holder_name or None,
        "site": w.site,
        "carrier": w.carrier,
        "since": moment(w.since),
        "until": moment(w.until),
    }


def block_out(b: Block, *, cells: bool = False) -> BlockOut:
    body: BlockOut = {
        "block": f"+{b.lead}{'xxxx' if b.is_large else 'xx'}",
        "site": b.site.id,
        "area": b.area,
        "numbers": b.total,
        "size": b.size,
        "by_state": {s.value: n for s, n in b.by_state.items()},
        "utilisation": round(b.by_state[State.ASSIGNED] / b.total, 4) if b.total else 0,
        "longest_free_run": None if b.is_large else b.free_run,
        "carriers": b.carriers,
        "months_to_exhaustion": {
            "months": b.exhaustion.months,
            "soonest": b.exhaustion.soonest,
            "latest": b.exhaustion.latest,
        },
    }
    if cells and not b.is_large:
        body["cells"] = [
            {"e164": f"+{c.number}", "state": c.state, "holder": c.holder_name or None}
            for c in b.cells
        ]
    if b.is_large:
        body["hundreds"] = [
            {"block": f"+{hundred}xx", "by_state": {s.value: n for s, n in states.items()}}
            for hundred, states in b.density.items()
        ]
    return body


def capacity_out(f: Figure) -> CapacityOut:
    e, a = f.exhaustion, f.advice
    return {
        "site": f.site.id,
        "capacity": f.capacity,
        "utilisation": round(f.utilisation, 4),
        "by_state": {s.value: n for s, n in f.by_state.items()},
        "months_to_exhaustion": {
            "months": e.months,
            "soonest": e.soonest,
            "latest": e.latest,
            "monthly_demand": e.monthly_demand,
        },
        "demand": [
            {"from": m.begins.isoformat(), "to": m.ends.isoformat(), "net": m.net} for m in f.months
        ],
        "advice": a,
    }


def saved_view_out(v: SavedView) -> SavedViewOut:
    return {
        "id": v.id,
        "name": v.name,
        "query": v.query,
        "created_by": v.created_by,
        "created_at": moment(v.created_at),
    }
