"""What orders and features change in an estate, and what the carrier's answers to them do."""

from datetime import datetime, timedelta

from sedge.core.enums import Capacity
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.numbers.life import ENDED, Event, next_state
from sedge.core.records import Account, Document, Number, Order, Subject
from sedge.core.reducing import changed, number_changed, number_in, reduces, step
from sedge.core.supply.records import LineState, OrderLine, OrderPaper, PaperState
from sedge.core.workorders import tasks as t

LineAnswer = tuple[LineState, datetime | None, str]


@reduces(t.OrderNumbers)
def _order(task: t.OrderNumbers, estate: Estate, identity: str) -> list[Change]:
    """Write the order and open a life per line. The carrier's answer and deliveries follow as changes of their own."""
    account = estate.the(Account, task.account)
    lines = tuple(OrderLine(e164=x.number, capacity=x.capacity, setup=x.setup, monthly=x.monthly) for x in task.lines)
    order = Order(
        id=f"{identity}-order",
        reference=task.reference,
        account=account.id,
        site=task.site,
        spot=task.spot,
        features=task.features,
        key=identity,
        hold=task.hold,
        lines=lines,
    )
    lives = [_ordered(line, order, account, estate, identity) for line in lines]
    return [changed(Subject.ORDER, None, order, "order.drafted"), *lives]


def _ordered(line: OrderLine, order: Order, account: Account, estate: Estate, identity: str) -> Change:
    existing = estate.get(Number, line.e164)
    if existing and existing.state not in ENDED:
        raise NotAllowedNow(f"{existing.shown} is in the estate already, {existing.state}.", reason="exists", field="numbers")
    number = Number(
        id=f"{identity}-{line.e164[1:]}",
        e164=line.e164,
        capacity=line.capacity,
        state=next_state(None, Event.ORDER),
        account=account.id,
        carrier=account.carrier,
        order=order.id,
        site=order.site,
        spot=order.spot,
        monthly=line.monthly,
        features=order.features,
    )
    return changed(Subject.NUMBER, None, number, "number.ordered")


@reduces(t.CancelOrder)
def _cancel(task: t.CancelOrder, estate: Estate, _identity: str) -> list[Change]:
    order = estate.the(Order, task.order)
    answers: dict[str, LineAnswer] = {
        line.e164: (LineState.CANCELLED, None, "cancelled by us") for line in order.lines if line.state is LineState.WAITING
    }
    if not answers:
        raise NotAllowedNow(f"Nothing of order {order.reference} is still on its way, so nothing can be cancelled.", reason="settled")
    return settle_lines(order, answers, estate)


def settle_lines(order: Order, answers: dict[str, LineAnswer], estate: Estate) -> list[Change]:
    """Lines that the carrier has delivered, failed or cancelled: the order and the numbers' lives follow.

    `answers` maps E.164 to state, moment it can be used (delivered) and reason. Lines already settled stay as they are,
    so a callback that comes twice changes nothing.
    """
    changes: list[Change] = []
    lines: list[OrderLine] = []
    for line in order.lines:
        answer = answers.get(line.e164)
        if answer is None or line.state is not LineState.WAITING or answer[0] is LineState.WAITING:
            lines.append(line)
            continue
        state, usable_from, reason = answer
        lines.append(line.but(state=state, usable_from=usable_from, reason=reason, delivered_at=estate.now))
        number = estate.number(line.e164)
        if state is LineState.DELIVERED:
            changes += number_changed(number, "number.delivered", **step(number, Event.DELIVER), usable_from=usable_from)
        else:
            changes += number_changed(number, "number.failed", **step(number, Event.FAIL, state_reason=reason))
    if changes:
        changes.insert(0, changed(Subject.ORDER, order, order.but(lines=tuple(lines)), "order.line-changed"))
    return changes


def charge(account: Account, amount: Money) -> Change:
    return changed(Subject.ACCOUNT, account, account.but(balance=account.balance - amount), "account.charged")


def refund(account: Account, amount: Money) -> Change:
    return changed(Subject.ACCOUNT, account, account.but(balance=account.balance + amount), "account.refunded")


@reduces(t.SetFeature)
def _set_feature(task: t.SetFeature, estate: Estate, _identity: str) -> list[Change]:
    """As the carrier's terms promise it; the moment it really works from comes with the carrier's answer (`feature_set`)."""
    number = estate.number(number_in(task))
    terms = estate.carrier_of(number).features.get(task.feature)
    works_from = estate.now + timedelta(minutes=terms.works_after_minutes if terms else 0)
    return feature_set(number, task.feature, works_from if task.on else None, estate)


def feature_set(number: Number, feature: str, works_from: datetime | None, estate: Estate) -> list[Change]:
    """The number with a feature that works from then on, or (None) without it; its monthly price follows."""
    is_on = feature in number.features
    if is_on == (works_from is not None):
        return []
    fee = estate.carrier_of(number).fee(feature, number.monthly.currency)
    since = {name: at for name, at in number.features_from.items() if name != feature}
    if works_from is None:
        left = tuple(f for f in number.features if f != feature)
        return number_changed(number, "number.feature-off", features=left, features_from=since, monthly=number.monthly - fee)
    on = {"features": (*number.features, feature), "features_from": {**since, feature: works_from}, "monthly": number.monthly + fee}
    return number_changed(number, "number.feature-on", **on)


@reduces(t.SendPaper)
def _send_paper(task: t.SendPaper, estate: Estate, _identity: str) -> list[Change]:
    """The new document stands where the rejected one stood, and is looked at anew."""
    order, document = estate.the(Order, task.order), estate.the(Document, task.document)
    fresh = OrderPaper(document=document.id, paper=document.paper, state=PaperState.IN_REVIEW)
    papers = tuple(fresh if p.document == task.instead_of else p for p in order.papers)
    return [changed(Subject.ORDER, order, order.but(papers=papers), "order.paper-sent")] if papers != order.papers else []


def papers_told(order: Order, answers: dict[str, tuple[PaperState, str]]) -> list[Change]:
    """What the carrier says of an order's papers."""
    papers = tuple(p.but(state=answers[p.document][0], reason=answers[p.document][1]) if p.document in answers else p for p in order.papers)
    return [changed(Subject.ORDER, order, order.but(papers=papers), "order.papers-told")] if papers != order.papers else []


@reduces(t.RecordArrival)
def _arrival(task: t.RecordArrival, estate: Estate, identity: str) -> list[Change]:
    """The numbers come into the estate as available, and the order remembers them. What they cost comes with the carrier's bill."""
    order = estate.the(Order, task.order)
    account = estate.the(Account, order.account)
    known = {line.e164 for line in order.lines}
    fresh = [line for line in task.lines if line.number not in known]
    if not fresh:
        return []
    capacity = order.form.capacity if order.form else Capacity.ANY
    lines = [
        OrderLine(
            e164=x.number, state=LineState.DELIVERED, usable_from=estate.now, delivered_at=estate.now, setup=x.setup, monthly=x.monthly, capacity=capacity
        )
        for x in fresh
    ]  # fmt: skip
    ordered = [_ordered(line, order, account, estate, identity).after for line in lines]
    lives = [n.but(state=next_state(n.state, Event.DELIVER), state_before=n.state, usable_from=estate.now) for n in ordered]
    return [
        changed(Subject.ORDER, order, order.but(lines=(*order.lines, *lines)), "order.arrived"),
        *(changed(Subject.NUMBER, None, n, "number.delivered") for n in lives),
    ]


@reduces(t.OrderWhenFree)
def _when_free(_task: t.OrderWhenFree, _estate: Estate, _identity: str) -> list[Change]:
    """What it buys, it buys with a work order of its own."""
    return []
