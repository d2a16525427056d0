"""What the JSON interface answers: offers, holds, orders, connections, documents."""

from typing_extensions import TypedDict

from sedge.api.answers import MoneyOut, moment, money
from sedge.core.enums import Capacity, Transport
from sedge.core.numbers.plan import Kind
from sedge.core.records import Order
from sedge.core.supply.offers import Offer
from sedge.core.supply.records import LineState, PaperState
from sedge.services.supply.stock_search import Answer
from sedge.services.supply.supply import OrderView as SupplyOrder


class CarrierAnswerElsewhereOut(TypedDict):
    area: str
    digits: str
    in_stock: int


class CarrierAnswerOut(TypedDict):
    id: str
    name: str
    in_stock: int
    problem: str | None
    elsewhere: list[CarrierAnswerElsewhereOut]
    answered_after: float
    usual: float | None
    late: float | None


class OfferScoreOut(TypedDict):
    total: int
    parts: dict[str, int]


class OfferCapabilityOut(TypedDict):
    capacity: Capacity
    features: dict[str, MoneyOut]


class OfferOut(TypedDict):
    numbers: list[str]
    carrier: str
    carrier_account: str
    score: OfferScoreOut
    setup: MoneyOut
    monthly: MoneyOut
    capabilities: OfferCapabilityOut
    why: str


class SupplyOrderLineOut(TypedDict):
    e164: str
    state: LineState
    usable_from: str | None
    reason: str


SupplyOrderExpectedOut = TypedDict("SupplyOrderExpectedOut", {"from": str | None, "by": str})


class SupplyOrderPaperOut(TypedDict):
    document: str
    paper: str
    state: PaperState
    reason: str


class SupplyOrderOut(TypedDict):
    id: str
    reference: str
    state: str
    carrier_account: str
    site: str
    spot: str | None
    lines: list[SupplyOrderLineOut]
    expected: SupplyOrderExpectedOut | None
    refused: str
    work_order: str
    papers: list[SupplyOrderPaperOut]


class ConnectionOut(TypedDict):
    id: str
    name: str
    carrier: str
    site: str
    numbers: int
    signed_in: bool
    problem: str | None
    host: str
    port: int
    transport: Transport
    user: str
    channels: int
    emergency: bool
    seen_at: str | None


class DocumentOut(TypedDict):
    id: str
    paper: str
    title: str
    filename: str
    media_type: str
    size: int
    sha256: str
    site: str | None
    issued_on: str | None
    good_until: str | None
    at: str


class RequirementOut(TypedDict):
    carrier: str
    country: str
    kinds: list[Kind]
    papers: list[str]


class OffersOut(TypedDict):
    items: list[OfferOut]
    next: None
    in_stock: int
    carriers: list[CarrierAnswerOut]


class HoldOut(TypedDict):
    id: str
    expires_at: str
    numbers: list[str]
    can_be_longer: bool


class OrderPlanTaskOut(TypedDict):
    kind: str
    words: str
    remedy_for: int | None


class OrderPlanOut(TypedDict):
    price: str
    agreed: str
    stops: list[str]
    once: list[MoneyOut]
    monthly: list[MoneyOut]
    tasks: list[OrderPlanTaskOut]


class ConnectionTestOut(TypedDict):
    carrier: str
    ok: bool
    said: str
    answered_after: float


def carrier_answer_out(said: Answer) -> CarrierAnswerOut:
    """What one carrier said; periods in seconds."""
    return {
        "id": said.carrier.id,
        "name": said.carrier.name,
        "in_stock": said.in_stock,
        "problem": said.problem or None,
        "elsewhere": [
            {"area": name, "digits": digits, "in_stock": n} for name, digits, n in said.elsewhere
        ],
        "answered_after": round(said.took.total_seconds(), 3),
        "usual": said.usual.total_seconds() if said.usual else None,
        "late": said.late.total_seconds() if said.late else None,
    }


def offer_out(o: Offer, carrier: str, account: str) -> OfferOut:
    features = {name: money(fee) for name, fee in o.numbers[0].features.items()}
    return {
        "numbers": [n.e164 for n in o.numbers],
        "carrier": carrier,
        "carrier_account": account,
        "score": {"total": o.total, "parts": o.parts},
        "setup": money(o.setup),
        "monthly": money(o.monthly),
        "capabilities": {"capacity": o.numbers[0].capacity, "features": features},
        "why": o.why,
    }


def supply_order_out(view: SupplyOrder) -> SupplyOrderOut:
    o: Order = view.order
    lines: list[SupplyOrderLineOut] = [
        {"e164": x.e164, "state": x.state, "usable_from": moment(x.usable_from), "reason": x.reason}
        for x in o.lines
    ]
    expected: SupplyOrderExpectedOut | None = (
        {"from": moment(o.expected_from), "by": moment(o.expected_by)} if o.expected_by else None
    )
    return {
        "id": o.id,
        "reference": o.reference,
        "state": view.state,
        "carrier_account": o.account,
        "site": o.site,
        "spot": o.spot,
        "lines": lines,
        "expected": expected,
        "refused": o.refused,
        "work_order": view.work_order,
        "papers": [
            {"document": p.document, "paper": p.paper, "state": p.state, "reason": p.reason}
            for p in o.papers
        ],
    }
