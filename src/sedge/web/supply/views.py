"""What the pages of Supply show: ready facts for their templates."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TypeVar
from urllib.parse import urlencode

from sedge.core.facts import Money
from sedge.core.moments import lasting
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Capacity
from sedge.core.supply.offers import Offer, Wish
from sedge.core.supply.records import LineState, OrderLine, PaperState
from sedge.services.supply.documents import Filed
from sedge.services.supply.stock_search import Answer
from sedge.services.supply.supply import OrderView, Progress

TONES = {"delivered": "good", "failed": "wrong", "cancelled": "wrong"}
T = TypeVar("T")
CALLS = {
    Capacity.SINGLE: "One call at a time",
    Capacity.MANY: "Many calls at once",
    Capacity.ANY: "Any number of calls",
}
MOST_OFFERS = 20
ON_ITS_WAY = {Progress.DRAFT, Progress.PLACED, Progress.PART_DELIVERED}


@dataclass(frozen=True)
class LineRow:
    e164: str
    state: str
    reason: str
    usable: str
    usable_from: datetime | None
    calls: str
    monthly: Money


@dataclass(frozen=True)
class PaperRow:
    """A paper of an order; `others` are documents on file that could stand in its place."""

    document: str
    paper: str
    title: str
    state: str
    reason: str
    others: list[tuple[str, str]]

    @property
    def is_rejected(self) -> bool:
        return self.state == PaperState.REJECTED


@dataclass(frozen=True)
class OrderPage:
    """An order and what may be expected of it."""

    view: OrderView
    tone: str
    rows: list[LineRow]
    is_waiting: bool
    usually: str
    first_delivered: str
    can_cancel: bool
    missing: int
    elsewhere: str
    papers: list[PaperRow]
    review: str
    follows: bool
    mails_to: str | None = None  # whom a form would be mailed to; None where no mail goes out


def paper_rows(view: OrderView, filed: list[Filed]) -> list[PaperRow]:
    titles = {f.document.id: f.document.title for f in filed}
    rows = []
    for p in view.order.papers:
        fits = [
            f.document
            for f in filed
            if f.is_good
            and f.document.paper == p.paper
            and f.document.site in (None, view.order.site)
        ]
        others = [(d.id, d.title) for d in fits if d.id != p.document]
        rows.append(
            PaperRow(
                p.document,
                p.paper,
                titles.get(p.document, p.paper),
                p.state.value,
                p.reason,
                others,
            )
        )
    return rows


def order_page(
    view: OrderView, now: datetime, filed: list[Filed] | None = None, *, another_goes: bool = False
) -> OrderPage:
    delivered = [line.e164 for line in view.order.lines if line.state is LineState.DELIVERED]
    missing = [
        line for line in view.order.lines if line.state in {LineState.FAILED, LineState.CANCELLED}
    ]
    waiting = (
        view.state in ON_ITS_WAY
        and view.order.form is None
        and any(line.state is LineState.WAITING for line in view.order.lines)
    )
    return OrderPage(
        view=view,
        tone=TONES.get(view.state, "waiting"),
        rows=[_row(line, now) for line in view.order.lines],
        is_waiting=waiting and view.order.expected_by is not None,
        usually=_usually(view.median, view.late),
        first_delivered=delivered[0] if delivered else "",
        can_cancel=waiting and view.order.placed_at is not None,
        missing=len(missing),
        elsewhere=_elsewhere(missing) if missing else "",
        papers=paper_rows(view, filed or []),
        review="on its way" if another_goes else _review(view),
        follows=view.order.form is None
        and (another_goes or _review(view) != PaperState.REJECTED),  # not under a form one fills in
    )


def _review(view: OrderView) -> str:
    """`rejected` or `in review` while papers hold the order up."""
    states = {p.state for p in view.order.papers}
    if view.state not in ON_ITS_WAY:
        return ""
    return next((s.value for s in (PaperState.REJECTED, PaperState.IN_REVIEW) if s in states), "")


def _elsewhere(missing: list[OrderLine]) -> str:
    """A search of all carriers for as many numbers like those that did not come."""
    facts = describe(missing[0].e164)
    asked = {"country": facts.country, "area": facts.area, "quantity": str(len(missing))}
    return "/supply?" + urlencode({k: v for k, v in asked.items() if v})


def _row(line: OrderLine, now: datetime) -> LineRow:
    later = line.usable_from if line.usable_from and line.usable_from > now else None
    usable = "" if later else ("now" if line.state is LineState.DELIVERED else "–")
    return LineRow(
        line.e164, line.state.value, line.reason, usable, later, line.capacity.value, line.monthly
    )


def _usually(median: timedelta | None, late: timedelta | None) -> str:
    if median is None or late is None:
        return ""
    return (
        f"It usually takes {lasting(median)}, and nine times in ten no longer than {lasting(late)}."
    )


@dataclass(frozen=True)
class Asked:
    """A search as it was typed, and what it means."""

    wish: Wish
    typed: dict[str, str]

    def link(self, carrier: str = "", **other: str) -> str:
        """The query string that asks the same, of one carrier where it is named, with some of it
        otherwise."""
        return urlencode(
            {k: v for k, v in {**self.typed, "carrier": carrier, **other}.items() if v}
        )


@dataclass(frozen=True)
class OfferRow:
    """`place` counts from 1, the best."""

    place: int
    offer: Offer
    calls: str
    features: dict[str, Money]
    numbers: str


def _offer_row(place: int, offer: Offer) -> OfferRow:
    first = offer.numbers[0]
    return OfferRow(
        place, offer, CALLS[first.capacity], first.features, " ".join(n.e164 for n in offer.numbers)
    )


@dataclass(frozen=True)
class Terms:
    """What one number costs and can do; None where rows differ in it."""

    calls: str | None
    price: tuple[Money, Money] | None  # once, and a month
    features: dict[str, Money] | None


def _same_terms(rows: list[OfferRow]) -> Terms:
    """What is the same for all that is offered, so that it is said once."""
    each = [n for row in rows for n in row.offer.numbers]
    return Terms(
        _common([CALLS[n.capacity] for n in each]),
        _common([(n.setup, n.monthly) for n in each]),
        _common([n.features for n in each]),
    )


def _common(values: Sequence[T]) -> T | None:
    return values[0] if values and all(value == values[0] for value in values) else None


@dataclass(frozen=True)
class AnswerView:
    """What one carrier says: rows to choose from, what stands side by side with the others, or its
    trouble. `terms` are those of every row."""

    answer: Answer
    rows: list[OfferRow]
    usually: str
    took: str
    cheapest: tuple[Money, Money] | None
    accounts: list[tuple[str, str]]
    terms: Terms


def answer_view(answer: Answer, accounts: list[Account]) -> AnswerView:
    each = [n for offer in answer.offers for n in offer.numbers]
    cheapest = min(each, key=lambda n: (n.monthly.amount, n.setup.amount), default=None)
    rows = [_offer_row(i, offer) for i, offer in enumerate(answer.offers[:MOST_OFFERS], start=1)]
    usually = (
        f"{lasting(answer.usual)}; nine in ten within {lasting(answer.late)}"
        if answer.usual and answer.late
        else "not known yet: no deliveries so far"
    )
    return AnswerView(
        answer,
        rows,
        usually,
        f"{answer.took.total_seconds():.1f} s",
        (cheapest.setup, cheapest.monthly) if cheapest else None,
        [(a.id, a.name) for a in accounts],
        _same_terms(rows),
    )
