"""Orders, their papers, and features at a carrier, as the runner does them."""

from datetime import timedelta
from decimal import Decimal

from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, OutsideRefused
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money, counted
from sedge.core.moments import clock
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Document, Number, Order
from sedge.core.supply.records import LineState, OrderPaper, PaperState
from sedge.core.supply.reducers import charge, feature_set, papers_told, refund, settle_lines
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.outside.carrier import CarrierOrder, CarrierService, WantedOrder
from sedge.services.context import Writing
from sedge.services.supply import documents, ordering, stock_search
from sedge.services.workorders import workorders
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Failed, Outcome, Wait

POLL = timedelta(seconds=20)
LONGEST_WAIT = timedelta(minutes=30)
REVIEWED = timedelta(minutes=2)
ASKED_AGAIN = timedelta(minutes=10)


@executes(t.OrderNumbers)
def order_numbers(attempt: Attempt, task: t.OrderNumbers) -> Outcome:
    """Written first, so that a crash between asking and hearing loses nothing.

    Then asked with the task's id as key.
    """
    context, estate = attempt.context, _order_estate(attempt, task)
    order = estate.get(Order, _order_id(attempt))
    if order is None:
        if refused := stopped(task, estate):
            return refused
        return Wait(context.now(), "the carrier to take the order", attempt.changes(task))
    carrier = context.at_carrier(estate.the(Account, task.account))
    if order.placed_as is None:
        return _place(attempt, task, order, carrier)
    try:
        answer = carrier.order_state(order.placed_as)
    except OutsideRefused as error:
        # it has taken the order, so nothing is given up: what arrives must not be missed
        pause = min(POLL * 2 ** min(attempt.stored.attempts, 10), LONGEST_WAIT)
        what = (
            f"{carrier.name}, which does not say how the order stands ({error.reason}); it is asked"
            " again"
        )
        return Wait(context.now() + pause, what, failed=True)
    return _look_after(attempt, answer)


def _order_id(attempt: Attempt) -> str:
    return f"{attempt.identity}-order"


def _order_estate(attempt: Attempt, task: t.OrderNumbers) -> Estate:
    wanted = task.needs()
    wanted.orders.add(_order_id(attempt))
    with attempt.context.reading() as reading:
        return reading.estate(wanted)


def _place(
    attempt: Attempt, task: t.OrderNumbers, order: Order, carrier: CarrierService
) -> Outcome:
    account = attempt.estate(task).the(Account, task.account)
    numbers = list(task.brings())
    sent = documents.send_needed(attempt.context, account, numbers, task.site)
    try:
        answer = carrier.order(_wanted(task, order.key, sent))
    except OutsideRefused as error:
        why = _refusal(error)
        return Failed(why, lambda writing: _refused(writing, order.id, why))

    def placed(writing: Writing) -> list[Change]:
        now = writing.records.the(Order, order.id)
        account = writing.records.the(Account, task.account)
        after = now.copy_with(
            placed_as=answer.id,
            placed_at=writing.now,
            expected_from=answer.expected_from,
            expected_by=answer.expected_by,
            papers=tuple(
                OrderPaper(document=d.id, paper=d.paper, state=PaperState.IN_REVIEW) for d in sent
            ),
        )
        setup = sum((line.setup.amount for line in task.lines), Decimal(0))
        cost = Money(amount=setup, currency=account.balance.currency)
        return [changed(Subject.ORDER, now, after, "order.placed"), charge(account, cost)]

    what = f"{carrier.name} to deliver {counted(len(task.lines), 'number')}"
    return Wait(answer.expected_from, what, placed)


def _wanted(task: t.OrderNumbers, key: str, sent: list[Document]) -> WantedOrder:
    agreed = {
        line.number: (line.setup.amount, (line.listed or line.monthly).amount)
        for line in task.lines
    }
    papers = [d.id for d in sent]
    hold = _carrier_hold(task.hold)
    return WantedOrder(key, task.reference, agreed, hold, task.features, papers)


def _carrier_hold(hold: str | None) -> str | None:
    """Sedge's hold ids are the carrier's own, behind the account's name."""
    return hold.partition(":")[2] or hold if hold else None


def _refusal(error: OutsideRefused) -> str:
    service, facts = error.facts.get("service"), error.facts
    match error.reason:
        case "taken":
            gone = facts.get("numbers", [])
            others = " and others" if len(gone) > 3 else ""
            return (
                f"{service} no longer has {', '.join(gone[:3])}{others}. Search again; the rest is"
                " still there."
            )
        case "balance":
            return (
                f"{service} says the balance of {facts.get('balance')} does not cover the set-up "
                f"of {facts.get('charge')}. Deposit, then try again."
            )
        case "unknown key":
            return (
                f"{service} does not take our key. Put in another one on the account's page under"
                " Carriers, then try again."
            )
        case "papers":
            missing = " and ".join(facts.get("missing", []))
            return (
                f"{service} wants to see documents first: {missing}. Upload them under Supply,"
                " then try again."
            )
        case "currency":
            return (
                f"{service} keeps this account in {facts.get('currency')}, and sells these "
                "numbers in another currency. Order on another account."
            )
        case "no deposit yet":
            return (
                f"{service} sells nothing on this account before money has come in. Deposit, then"
                " try again."
            )
        case "price":
            return _other_prices(error)
        case _:
            return error.message


def _other_prices(error: OutsideRefused) -> str:
    prices: dict[str, dict[str, str]] = error.facts.get("prices", {})
    one = next(
        (
            f": {describe(n).shown} is {now['setup']} once and {now['monthly']} a month by now"
            for n, now in prices.items()
        ),
        "",
    )
    more = f", and {len(prices) - 1} more" if len(prices) > 1 else ""
    return (
        f"{error.facts['service']} asks other prices than it did{one}{more}. Nothing was bought. "
        "Search again to see what it costs, and order if you agree."
    )


def _refused(writing: Writing, key: str, why: str) -> list[Change]:
    order = writing.records.the(Order, key)
    if order.refused:
        return []
    answers = {line.e164: (LineState.FAILED, None, why) for line in order.lines}
    settled = settle_lines(order, answers, _numbers_of(writing, order))
    after = settled[0].after.copy_with(refused=why)
    return [changed(Subject.ORDER, order, after, "order.refused"), *settled[1:]]


def _numbers_of(writing: Writing, order: Order) -> Estate:
    """The estate as far as an order's numbers go."""
    numbers = writing.records.many(Number, [line.e164 for line in order.lines])
    return Estate(writing.now, numbers)


def _settled(writing: Writing, key: str, answer: CarrierOrder) -> list[Change]:
    """What the carrier has settled; the set-up of lines that come to nothing is paid back."""
    order = writing.records.the(Order, key)
    told = papers_told(order, answer.papers)
    order = told[0].after if told else order
    changes = settle_lines(order, answer.lines, _numbers_of(writing, order))
    if not changes:
        return told
    waited = {line.e164 for line in order.lines if line.state is LineState.WAITING}
    nothing_of_it = {LineState.FAILED, LineState.CANCELLED}
    lost = [
        line
        for line in changes[0].after.lines
        if line.e164 in waited and line.state in nothing_of_it
    ]
    if back := sum((line.setup.amount for line in lost), Decimal(0)):
        account = writing.records.the(Account, order.account)
        changes.append(refund(account, Money(amount=back, currency=account.balance.currency)))
    return [*told, *changes]


def _look_after(attempt: Attempt, answer: CarrierOrder) -> Outcome:
    """What an order waits for, by what the carrier says of its papers and lines."""
    now = attempt.context.now()
    states = [state for state, _ in answer.papers.values()]

    def settled(writing: Writing) -> list[Change]:
        return _settled(writing, _order_id(attempt), answer)

    if unwanted := states.count(PaperState.REJECTED):
        what = f"another document; the carrier does not take {unwanted} of ours. See the order"
        return Wait(now + REVIEWED, what, settled)
    if PaperState.IN_REVIEW in states:
        return Wait(now + POLL, "somebody at the carrier to check the documents", settled)
    lines = [state for state, _, _ in answer.lines.values()]
    delivered = lines.count(LineState.DELIVERED)
    if LineState.WAITING in lines:
        by = clock(answer.expected_by, now, attempt.context.organisation.home_country)
        what = f"the carrier: {delivered} of {len(lines)} delivered; the rest by {by}"
        return Wait(now + POLL, what, settled)
    if not delivered:
        return Failed("The carrier delivered none of the numbers.", settled)
    return Done(settled)


@executes(t.OrderWhenFree)
def order_when_free(attempt: Attempt, task: t.OrderWhenFree) -> Outcome:
    """Asked for now and then; what is found is ordered under this task's name.

    So it is one order whatever happens between.
    """
    context = attempt.context
    identity = f"{attempt.identity}-free"
    if begun := workorders.find(context, identity):
        if begun.state is not OrderState.DRAFT:
            return Done()
        return Failed(f"Work order {begun.no}, which should buy them, can't run. It says why.")
    if refused := stopped(task, attempt.estate(task)):
        return refused
    numbers = stock_search.within(context, task)
    if not numbers:
        again = min(context.now() + ASKED_AGAIN, task.until)
        return Wait(again, "such numbers to come into stock")
    ordering.order(
        context,
        reference=task.reference,
        account=task.account,
        site=task.site,
        numbers=numbers,
        spot=task.spot,
        identity=identity,
    )
    return Done()


@executes(t.SendPaper)
def send_paper(attempt: Attempt, task: t.SendPaper) -> Outcome:
    """The document is put at the carrier first, then named in place of the one it did not take."""
    context, estate = attempt.context, attempt.estate(task)
    if refused := stopped(task, estate):
        return refused
    order = estate.the(Order, task.order)
    account = estate.the(Account, order.account)
    documents.send(context, account, task.document)
    carrier = context.at_carrier(account)
    answer = carrier.replace_paper(order.placed_as or "", task.instead_of, task.document)

    def replaced(writing: Writing) -> list[Change]:
        now = writing.estate(task.needs())
        later = {key: said for key, said in answer.papers.items() if key != task.document}
        return task.apply(now) or papers_told(now.the(Order, task.order), later)

    return Done(replaced)


@executes(t.CancelOrder)
def cancel_order(attempt: Attempt, task: t.CancelOrder) -> Outcome:
    """The carrier first; what it settles by that is kept."""
    estate = attempt.estate(task)
    order = estate.the(Order, task.order)
    if order.placed_as is None:
        message = "The order has not reached the carrier yet. Stop its work order instead."
        raise NotAllowedNow(message, reason="not-placed")
    carrier = attempt.context.at_carrier(estate.the(Account, order.account))
    answer = carrier.cancel(order.placed_as)
    return Done(lambda writing: _settled(writing, order.id, answer))


@executes(t.SetFeature)
def set_feature(attempt: Attempt, task: t.SetFeature) -> Outcome:
    """The carrier switches it and says from when it works; asked again, it says the same."""
    estate = attempt.estate(task)
    if refused := stopped(task, estate):
        return refused
    number = estate.number(task.known_number)
    if (task.feature in number.features) is task.on:
        return Done()
    carrier = attempt.context.at_carrier(estate.the(Account, number.account))
    try:
        works_from = carrier.set_feature(number.e164, task.feature, on=task.on)
    except OutsideRefused as error:
        name = estate.carrier_of(number).name
        why = error.facts.get("why") or error.reason
        turned = f"switch {task.feature} {'on' if task.on else 'off'}"
        return Failed(f"{name} does not {turned} for {number.shown}: {why}.")

    def switched(writing: Writing) -> list[Change]:
        now = writing.estate(task.needs())
        return feature_set(now.number(number.e164), task.feature, works_from, now)

    return Done(switched, works_from=works_from)
