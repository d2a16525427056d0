"""What orders and features change in an estate, and what the carrier's answers to them do."""

from collections.abc import Mapping
from datetime import datetime

from sedge.core.changes import changed, number_changed, step
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.numbers.life import ENDED, Event, State, next_state
from sedge.core.records import Account, Number, Order, Subject
from sedge.core.supply.records import LineState, OrderLine, PaperState

LineAnswer = tuple[LineState, datetime | None, str]


def ordered_number(
    line: OrderLine, order: Order, account: Account, estate: Estate, identity: str
) -> Change:
    existing = estate.get(Number, line.e164)
    if existing and existing.state not in ENDED:
        raise NotAllowedNow(
            f"{existing.shown} is in the estate already, {existing.state}.",
            reason="exists",
            field="numbers",
        )
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


def settle_lines(order: Order, answers: Mapping[str, LineAnswer], estate: Estate) -> list[Change]:
    """Lines that the carrier has delivered, failed or cancelled: the order and the numbers' lives
    follow.

    `answers` maps E.164 to state, moment it can be used (delivered) and reason. Lines already
    settled stay as they are, so a callback that comes twice changes nothing.
    """
    changes: list[Change] = []
    lines: list[OrderLine] = []
    for line in order.lines:
        answer = answers.get(line.e164)
        if answer is None or line.state is not LineState.WAITING or answer[0] is LineState.WAITING:
            lines.append(line)
            continue
        state, usable_from, reason = answer
        lines.append(
            line.copy_with(
                state=state, usable_from=usable_from, reason=reason, delivered_at=estate.now
            )
        )
        number = estate.number(line.e164)
        if state is LineState.DELIVERED:
            changes += number_changed(
                number, "number.delivered", **step(number, Event.DELIVER), usable_from=usable_from
            )
        else:
            changes += number_changed(
                number, "number.failed", **step(number, Event.FAIL, state_reason=reason)
            )
    if changes:
        changes.insert(
            0,
            changed(
                Subject.ORDER, order, order.copy_with(lines=tuple(lines)), "order.line-changed"
            ),
        )
    return changes


def as_delivered(change: Change) -> Change:
    """A number on order as it will be once it has come."""
    if not isinstance(change.after, Number):
        return change
    number = change.after
    state = next_state(number.state, Event.DELIVER)
    return change.copy_with(after=number.copy_with(state=state, state_before=State.ON_ORDER))


def charge(account: Account, amount: Money) -> Change:
    return changed(
        Subject.ACCOUNT,
        account,
        account.copy_with(balance=account.balance - amount),
        "account.charged",
    )


def refund(account: Account, amount: Money) -> Change:
    return changed(
        Subject.ACCOUNT,
        account,
        account.copy_with(balance=account.balance + amount),
        "account.refunded",
    )


def feature_set(
    number: Number, feature: str, works_from: datetime | None, estate: Estate
) -> list[Change]:
    """The number with a feature that works from then on, or (None) without it; its monthly price
    follows."""
    is_on = feature in number.features
    if is_on == (works_from is not None):
        return []
    fee = estate.carrier_of(number).fee(feature, number.monthly.currency)
    since = {name: at for name, at in number.features_from.items() if name != feature}
    if works_from is None:
        left = tuple(f for f in number.features if f != feature)
        return number_changed(
            number,
            "number.feature-off",
            features=left,
            features_from=since,
            monthly=number.monthly - fee,
        )
    on = {
        "features": (*number.features, feature),
        "features_from": {**since, feature: works_from},
        "monthly": number.monthly + fee,
    }
    return number_changed(number, "number.feature-on", **on)


def papers_told(order: Order, answers: dict[str, tuple[PaperState, str]]) -> list[Change]:
    """What the carrier says of an order's papers."""
    papers = tuple(
        (
            p.copy_with(state=answers[p.document][0], reason=answers[p.document][1])
            if p.document in answers
            else p
        )
        for p in order.papers
    )
    return (
        [changed(Subject.ORDER, order, order.copy_with(papers=papers), "order.papers-told")]
        if papers != order.papers
        else []
    )
