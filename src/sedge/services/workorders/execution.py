"""How the runner does each kind of task: what it asks of the outside, and the changes that follow.

A step may run any number of times and has one effect. It makes its outside calls first, outside any transaction, and
hands back what to save; `changes` are worked out again on the estate as it is inside the transaction.
"""

from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from sedge.core.carriers.reconciliation import DriftKind
from sedge.core.errors import NotAllowedNow, OutsideRefused
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money, counted
from sedge.core.moments import clock
from sedge.core.numbers.e164 import describe
from sedge.core.records import Account, Document, Grant, Number, Order, Product, Proof, Subject
from sedge.core.reduce import apply, changed, charge, granted, refund, release_done, settle_lines, taken_back
from sedge.core.supply.records import LineState, OrderPaper, PaperState
from sedge.core.supply.reducers import feature_set, papers_told
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import AT_THE_END, judge, judge_amid
from sedge.core.workorders.findings import Finding, Level
from sedge.core.workorders.life import TASK_ENDED, OrderState
from sedge.core.workorders.needs import needs
from sedge.core.workorders.plan import resolve
from sedge.core.workorders.telling import tell_whole
from sedge.core.workorders.waiting import must_wait
from sedge.outside.carrier import WantedOrder
from sedge.services.callpaths.calls import place_test_call, proof_of_task
from sedge.services.callpaths.telephony_sync import routing_of
from sedge.services.context import Desk, Writing
from sedge.services.imports import number_files
from sedge.services.porting import port_execution
from sedge.services.supply import documents, ordering, stock_search
from sedge.services.workorders import workorders
from sedge.services.workorders.outcomes import Changes, Done, Failed, Outcome, Wait, estate_for, register_with_carrier, tell
from sedge.store.repositories import callpaths as path_store
from sedge.store.repositories import workorders as workorder_store
from sedge.store.repositories.number_files import FileState
from sedge.store.repositories.workorders import StoredTask, WorkOrder

POLL = timedelta(seconds=20)
DRIFT = "drift"  # the nightly work of desk.drift
LONGEST_WAIT = timedelta(minutes=30)
REVIEWED = timedelta(minutes=2)
ASKED_AGAIN = timedelta(minutes=10)


def execute(desk: Desk, stored: StoredTask, order: WorkOrder) -> Outcome:
    """One try at a task. Raises what outside services and the reducer raise."""
    task = resolve(stored.body, [x.body for x in order.tasks])
    outcome = _execute(desk, task, stored, order)
    if isinstance(outcome, Done) and isinstance(task, t.FollowCarrier | t.TellCarrier | t.AdoptNumber):
        desk.house.next_at[desk.who.organisation, DRIFT] = desk.now()  # what was put right is compared again at once
    return outcome


def _execute(desk: Desk, task: Any, stored: StoredTask, order: WorkOrder) -> Outcome:
    match task:
        case t.ImportNumbers():
            return _import(desk, task, order)
        case t.OrderNumbers():
            return _order(desk, task, stored)
        case t.OrderWhenFree():
            return _when_free(desk, task, stored)
        case t.SendPaper():
            return _send_paper(desk, task)
        case t.CancelOrder():
            return _cancel(desk, task)
        case t.ReleaseNumber():
            return _release(desk, task, stored)
        case t.SubmitPort():
            return port_execution.submit(desk, task, stored)
        case t.ActivatePort():
            return port_execution.activate(desk, task, stored)
        case t.ApprovePortOut():
            return port_execution.approve_port_out(desk, task, stored)
        case t.BackOutPort():
            return port_execution.back_out(desk, task, stored)
        case t.TellCarrier():
            return _tell_carrier(desk, task)
        case t.SetFeature():
            return _set_feature(desk, task)
        case t.PlaceTestCall():
            return _test_call(desk, task, stored)
        case t.ExchangeLicence():
            return _exchange(desk, task, stored)
        case t.PutBackLater():
            return _put_back_later(desk, task, stored, order)
        case _:
            return _plain(desk, task, stored)


def _plain(desk: Desk, task: Any, stored: StoredTask) -> Outcome:
    """Check once more, wait where something does not work yet, tell the telephone system, keep the changes."""
    estate = estate_for(desk, task)
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if any(f.rule in AT_THE_END for f in stops):
        stops = _stops_amid(desk, task, stored)
    if stops:
        return Failed(stops[0].message)
    if waiting := must_wait(task, estate):
        return Wait(*waiting)
    foreseen = apply(task, estate, stored.id)
    if isinstance(task, t.RegisterAddress | t.TellPlace) and (refused := _told(desk, task, estate)):
        return refused
    tell(desk, foreseen, estate)

    def done(writing: Writing) -> list[Change]:
        if isinstance(task, t.PublishPath):
            path_store.published(writing.connection, task.path, task.body)
        return apply(task, writing.estate(needs(task)), stored.id)

    return Done(done, _works_from(foreseen))


def _stops_amid(desk: Desk, task: Any, stored: StoredTask) -> list[Finding]:
    """What stops the task still when the rest of its work order is seen as done."""
    with desk.reading() as reading:
        order = workorder_store.get(reading.connection, stored.work_order)
    bodies = [x.body for x in order.tasks]
    left = [x.body for x in order.tasks if x.id != stored.id and x.state not in TASK_ENDED and not isinstance(x.body, t.PutBackLater)]
    rest = [resolve(body, bodies) for body in left]
    wanted = needs(task)
    for other in rest:
        wanted |= needs(other)
    with desk.reading() as reading:
        return [f for f in judge_amid(task, rest, reading.estate(wanted)) if f.level is Level.STOP]


def _exchange(desk: Desk, task: t.ExchangeLicence, stored: StoredTask) -> Outcome:
    """The new seat first; the old one is given back once the new one works."""
    estate = estate_for(desk, task)
    new = next((g for g in estate.grants_of(task.holder) if g.product == task.to), None)
    if new is None:
        stops = [f for f in judge(task, estate) if f.level is Level.STOP]
        if stops:
            return Failed(stops[0].message)
        given = granted(task.holder, task.to, estate, stored.id)
        tell(desk, given, estate)
        works = next(c.after.works_from for c in given if isinstance(c.after, Grant))
        name = estate.the(Product, task.to).name
        return Wait(
            works,
            f"{name} to work; {estate.the(Product, task.product).name} goes on until then",
            lambda w: granted(task.holder, task.to, w.estate(needs(task)), stored.id),
        )
    if new.works_from > estate.now:
        return Wait(new.works_from, f"{estate.the(Product, task.to).name} to work")
    tell(desk, taken_back(task.holder, task.product, estate), estate)
    return Done(lambda w: taken_back(task.holder, task.product, w.estate(needs(task))), new.works_from)


def _put_back_later(desk: Desk, task: t.PutBackLater, stored: StoredTask, order: WorkOrder) -> Outcome:
    """A work order of its own, scheduled for the moment; under this task's name, so that it is one whatever happens between."""
    of = order.tasks[task.task]
    if not of.snapshots:
        return Done()
    back = t.PutBack(of=tell_whole(resolve(of.body, [x.body for x in order.tasks]), estate_for(desk, of.body)), snapshots=of.snapshots)
    title = f"Put back: {back.of}"[:200]
    made = workorders.draft(
        desk, title, [back], reason=f"temporary, by work order {order.no}", run_at=task.at, identity=f"{stored.id}-back"
    )
    workorders.run(desk, made.id)
    return Done()


def _told(desk: Desk, task: t.RegisterAddress | t.TellPlace, estate: Estate) -> Failed | None:
    """Where a number's phone is: to the telephone system, and to the carrier if it keeps addresses. None once both know."""
    number = estate.number(task.e164 or "")
    carrier = estate.carrier_of(number)
    if number.in_use:
        desk.outside.telephony.put_number(number.e164, routing_of(number, estate))
    if number.spot is None or not carrier.registers_addresses:
        return None
    try:
        register_with_carrier(desk, number, estate)
    except OutsideRefused as error:
        if error.reason != "address":
            raise
        return Failed(f"{carrier.name} does not register the address for {number.shown}: {error.facts.get('why', 'it says no more')}.")
    return None


def _works_from(changes: list[Change]) -> datetime | None:
    moments = [c.after.works_from for c in changes if isinstance(c.after, Grant)]
    moments += [c.after.assignment.works_from for c in changes if isinstance(c.after, Number) and c.after.assignment]
    return max(moments, default=None)


# ── orders ──


def _order(desk: Desk, task: t.OrderNumbers, stored: StoredTask) -> Outcome:
    """Written first, so that a crash between asking and hearing loses nothing; then asked with the task's id as key."""
    estate = _order_estate(desk, task, stored)
    order = estate.get(Order, f"{stored.id}-order")
    if order is None:
        stops = [f for f in judge(task, estate) if f.level is Level.STOP]
        if stops:
            return Failed(stops[0].message)
        return Wait(desk.now(), "the carrier to take the order", lambda writing: apply(task, writing.estate(needs(task)), stored.id))
    carrier = desk.at_carrier(estate.the(Account, task.account))
    if order.placed_as is None:
        return _place(desk, task, order, carrier)
    try:
        answer = carrier.order_state(order.placed_as)
    except OutsideRefused as error:  # it has taken the order, so nothing is given up: what arrives must not be missed
        pause = min(POLL * 2 ** min(stored.attempts, 10), LONGEST_WAIT)
        what = f"{carrier.name}, which does not say how the order stands ({error.reason}); it is asked again"
        return Wait(desk.now() + pause, what, failed=True)
    return _look_after(desk, task, stored, answer)


def _order_estate(desk: Desk, task: t.OrderNumbers, stored: StoredTask) -> Estate:
    wanted = needs(task)
    wanted.orders.add(f"{stored.id}-order")
    with desk.reading() as reading:
        return reading.estate(wanted)


def _place(desk: Desk, task: t.OrderNumbers, order: Order, carrier: Any) -> Outcome:
    account = estate_for(desk, task).the(Account, task.account)
    sent = documents.send_needed(desk, account, [line.number for line in task.lines], task.site)
    try:
        answer = carrier.order(_wanted(task, order.key, sent))
    except OutsideRefused as error:
        why = _refusal(error)
        return Failed(why, lambda writing: _refused(writing, order.id, why))

    def placed(writing: Writing) -> list[Change]:
        now = writing.records.the(Order, order.id)
        account = writing.records.the(Account, task.account)
        values = {
            "placed_as": answer.id,
            "placed_at": writing.now,
            "expected_from": answer.expected_from,
            "expected_by": answer.expected_by,
            "papers": tuple(OrderPaper(document=d.id, paper=d.paper, state=PaperState.IN_REVIEW) for d in sent),
        }
        cost = Money(amount=sum((line.setup.amount for line in task.lines), Decimal(0)), currency=account.balance.currency)
        return [changed(Subject.ORDER, now, now.but(**values), "order.placed"), charge(account, cost)]

    return Wait(answer.expected_from, f"{carrier.name} to deliver {counted(len(task.lines), 'number')}", placed)


def _wanted(task: t.OrderNumbers, key: str, sent: list[Document]) -> WantedOrder:
    agreed = {line.number: (line.setup.amount, (line.listed or line.monthly).amount) for line in task.lines}
    return WantedOrder(key, task.reference, agreed, _carrier_hold(task.hold), task.features, [d.id for d in sent])


def _carrier_hold(hold: str | None) -> str | None:
    """Sedge's hold ids are the carrier's own, behind the account's name."""
    return hold.partition(":")[2] or hold if hold else None


def _refusal(error: OutsideRefused) -> str:
    match error.reason:
        case "taken":
            gone = error.facts.get("numbers", [])
            return f"{error.facts['service']} no longer has {', '.join(gone[:3])}{' and others' if len(gone) > 3 else ''}. Search again; the rest is still there."
        case "balance":
            return f"{error.facts['service']} says the balance of {error.facts.get('balance')} does not cover the set-up of {error.facts.get('charge')}. Deposit, then try again."
        case "unknown key":
            return (
                f"{error.facts['service']} does not take our key. Put in another one on the account's page under Carriers, then try again."
            )
        case "papers":
            missing = " and ".join(error.facts.get("missing", []))
            return f"{error.facts['service']} wants to see papers first: {missing}. Put them on file under Supply, then try again."
        case "currency":
            return f"{error.facts['service']} keeps this account in {error.facts.get('currency')}, and sells these numbers in another currency. Order on another account."
        case "no deposit yet":
            return f"{error.facts['service']} sells nothing on this account before money has come in. Deposit, then try again."
        case "price":
            return _other_prices(error)
        case _:
            return error.message


def _other_prices(error: OutsideRefused) -> str:
    prices: dict[str, dict[str, str]] = error.facts.get("prices", {})
    one = next((f": {describe(n).shown} is {now['setup']} once and {now['monthly']} a month by now" for n, now in prices.items()), "")
    more = f", and {len(prices) - 1} more" if len(prices) > 1 else ""
    return (
        f"{error.facts['service']} asks other prices than it did{one}{more}. Nothing was bought. "
        "Search again to see what it costs, and order if you agree."
    )


def _refused(writing: Writing, key: str, why: str) -> list[Change]:
    order = writing.records.the(Order, key)
    if order.refused:
        return []
    estate = Estate(writing.now, writing.records.many(Number, [line.e164 for line in order.lines]))
    settled = settle_lines(order, {line.e164: (LineState.FAILED, None, why) for line in order.lines}, estate)
    refused = changed(Subject.ORDER, order, settled[0].after.but(refused=why), "order.refused")
    return [refused, *settled[1:]]


def _settled(writing: Writing, key: str, answer: Any) -> list[Change]:
    """What the carrier has settled; the set-up of lines that come to nothing is paid back."""
    order = writing.records.the(Order, key)
    told = papers_told(order, answer.papers)
    order = told[0].after if told else order
    changes = settle_lines(order, answer.lines, Estate(writing.now, writing.records.many(Number, [line.e164 for line in order.lines])))
    if not changes:
        return told
    waited = {line.e164 for line in order.lines if line.state is LineState.WAITING}
    lost = [line for line in changes[0].after.lines if line.e164 in waited and line.state in {LineState.FAILED, LineState.CANCELLED}]
    if back := sum((line.setup.amount for line in lost), Decimal(0)):
        account = writing.records.the(Account, order.account)
        changes.append(refund(account, Money(amount=back, currency=account.balance.currency)))
    return [*told, *changes]


def _look_after(desk: Desk, task: t.OrderNumbers, stored: StoredTask, answer: Any) -> Outcome:
    def settled(writing: Writing) -> list[Change]:
        return _settled(writing, f"{stored.id}-order", answer)

    if unwanted := [f"{d}: {reason}" for d, (state, reason) in answer.papers.items() if state is PaperState.REJECTED]:
        what = f"another paper; the carrier does not take {len(unwanted)} of ours. See the order"
        return Wait(desk.now() + REVIEWED, what, settled)
    if any(state is PaperState.IN_REVIEW for state, _ in answer.papers.values()):
        return Wait(desk.now() + POLL, "somebody at the carrier to look at the papers", settled)
    waiting = [n for n, (state, _, _) in answer.lines.items() if state is LineState.WAITING]
    delivered = [n for n, (state, _, _) in answer.lines.items() if state is LineState.DELIVERED]
    if waiting:
        arrived = f"{len(delivered)} of {len(answer.lines)} delivered; the rest by {clock(answer.expected_by, desk.now(), desk.organisation.home_country)}"
        return Wait(desk.now() + POLL, f"the carrier: {arrived}", settled)
    if not delivered:
        return Failed("The carrier delivered none of the numbers.", settled)
    return Done(settled)


def _when_free(desk: Desk, task: t.OrderWhenFree, stored: StoredTask) -> Outcome:
    """Asked for now and then; what is found is ordered under this task's name, so that it is one order whatever happens between."""
    identity = f"{stored.id}-free"
    if begun := workorders.find(desk, identity):
        return (
            Done()
            if begun.state is not OrderState.DRAFT
            else Failed(f"Work order {begun.no}, which should buy them, can't run. It says why.")
        )
    stops = [f for f in judge(task, estate_for(desk, task)) if f.level is Level.STOP]
    if stops:
        return Failed(stops[0].message)
    numbers = stock_search.within(desk, task)
    if not numbers:
        return Wait(min(desk.now() + ASKED_AGAIN, task.until), "such numbers to come into stock")
    ordering.order(desk, reference=task.reference, account=task.account, site=task.site, numbers=numbers, spot=task.spot, identity=identity)
    return Done()


def _send_paper(desk: Desk, task: t.SendPaper) -> Outcome:
    """The document is put at the carrier first, then named in place of the one it did not take."""
    estate = estate_for(desk, task)
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if stops:
        return Failed(stops[0].message)
    order = estate.the(Order, task.order)
    account = estate.the(Account, order.account)
    documents.send(desk, account, task.document)
    answer = desk.at_carrier(account).replace_paper(order.placed_as or "", task.instead_of, task.document)

    def replaced(writing: Writing) -> list[Change]:
        now = writing.estate(needs(task))
        changes = apply(task, now)
        later = {key: said for key, said in answer.papers.items() if key != task.document}
        return changes or papers_told(now.the(Order, task.order), later)

    return Done(replaced)


def _cancel(desk: Desk, task: t.CancelOrder) -> Outcome:
    estate = estate_for(desk, task)
    order = estate.the(Order, task.order)
    if order.placed_as is None:
        raise NotAllowedNow("The order has not reached the carrier yet. Stop its work order instead.", reason="not-placed")
    answer = desk.at_carrier(estate.the(Account, order.account)).cancel(order.placed_as)

    return Done(lambda writing: _settled(writing, order.id, answer))


def _release(desk: Desk, task: t.ReleaseNumber, stored: StoredTask) -> Outcome:
    """Agreed first (`leaving_on`), released when the carrier says it has been carried out."""
    estate = estate_for(desk, task)
    number = estate.number(task.e164 or "")
    if waiting := must_wait(task, estate):
        return Wait(*waiting)
    if number.leaving_on is None:
        stops = [f for f in judge(task, estate) if f.level is Level.STOP]
        if stops:
            return Failed(stops[0].message)
    on_the_wire = number.carrier in desk.outside.carriers
    due = desk.at_carrier(estate.the(Account, number.account)).release(number.e164) if on_the_wire else None
    if due is not None:
        agree: Changes | None = None if number.leaving_on else (lambda writing: apply(task, writing.estate(needs(task)), stored.id))
        return Wait(due, "the carrier to take it back", agree)
    desk.outside.telephony.remove_number(number.e164)
    return Done(lambda writing: release_done(writing.records.the(Number, number.e164)))


# ── features ──


def _set_feature(desk: Desk, task: t.SetFeature) -> Outcome:
    """The carrier switches it and says from when it works; asked again, it says the same."""
    estate = estate_for(desk, task)
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if stops:
        return Failed(stops[0].message)
    number = estate.number(task.e164 or "")
    if (task.feature in number.features) is task.on:
        return Done()
    try:
        works_from = desk.at_carrier(estate.the(Account, number.account)).set_feature(number.e164, task.feature, on=task.on)
    except OutsideRefused as error:
        name = estate.carrier_of(number).name
        why = error.facts.get("why") or error.reason
        return Failed(f"{name} does not switch {task.feature} {'on' if task.on else 'off'} for {number.shown}: {why}.")

    def switched(writing: Writing) -> list[Change]:
        now = writing.estate(needs(task))
        return feature_set(now.number(number.e164), task.feature, works_from, now)

    return Done(switched, works_from=works_from)


# ── drift ──


def _tell_carrier(desk: Desk, task: t.TellCarrier) -> Outcome:
    """The carrier puts its list right; told again, it says the same."""
    estate = estate_for(desk, task)
    stops = [f for f in judge(task, estate) if f.level is Level.STOP]
    if stops:
        return Failed(stops[0].message)
    carrier = desk.at_carrier(estate.the(Account, task.account))
    if task.drift == DriftKind.NOT_OURS:
        due = carrier.release(task.number)
        return Done() if due is None else Wait(due, "the carrier to take it back")
    try:
        carrier.put_right(task.number, task.drift, task.ours)
    except OutsideRefused as error:
        why = error.facts.get("why", error.reason)
        return Failed(f"{carrier.name} does not put it right for {describe(task.number).shown}: {why}.")
    return Done()


# ── files ──


def _import(desk: Desk, task: t.ImportNumbers, order: WorkOrder) -> Outcome:
    """A slice of the file at a time, so that everything else goes on beside it."""
    file = number_files.bring_in_more(desk, task.file, work_order=order.id, reason=order.reason)
    if file.state is FileState.DONE:
        return Done()
    return Wait(desk.now(), f"the rest of the file: row {file.done.rows:,} of about {max(file.total, file.done.rows):,}")


# ── test calls ──


def _test_call(desk: Desk, task: t.PlaceTestCall, stored: StoredTask) -> Outcome:
    estate = estate_for(desk, task)
    if waiting := must_wait(task, estate):
        return Wait(*waiting)
    proof = place_test_call(desk, task.e164 or "", task.direction, keep=False, key=proof_of_task(stored.id))
    if not proof.ok:
        return Failed(f"The test call {task.direction} did not prove it: {proof.differs or proof.heard}", lambda _w: [_proof(proof)])
    return Done(lambda _w: [_proof(proof)])


def _proof(proof: Proof) -> Change:
    return changed(Subject.PROOF, None, proof, "proof.made")
