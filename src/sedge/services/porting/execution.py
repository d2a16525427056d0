"""Submitting a port, switching its numbers, letting numbers go, as the runner does it."""

from datetime import timedelta
from decimal import Decimal

from sedge.core.changes import changed
from sedge.core.errors import OutsideRefused
from sedge.core.estate import Change, Estate
from sedge.core.porting.outgoing_records import PortOut, PortOutState
from sedge.core.porting.records import Port, PortState
from sedge.core.porting.reducers import switched, waiting_numbers
from sedge.core.porting.rejections import rejection
from sedge.core.records import Account, Carrier, Subject
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Writing
from sedge.services.porting import port_outs
from sedge.services.porting.port_tracking import hear
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import (
    Done,
    Failed,
    Outcome,
    Wait,
    notify_of_outcomes,
    register_with_carrier,
)

ASKED_AGAIN = timedelta(minutes=10)
LOOKED_AGAIN, STRAGGLERS = timedelta(seconds=1), timedelta(minutes=5)
# numbers kept in one transaction, so that others get their turn and the page shows how far it is
AT_ONCE = 100


@executes(t.SubmitPort)
def submit_port(attempt: Attempt, task: t.SubmitPort) -> Outcome:
    """Kept as submitted first, then asked with the task's id as key: whatever dies between, the
    port is asked for once."""
    context, estate = attempt.context, attempt.estate(task)
    port = estate.the(Port, task.port)
    if port.key != attempt.identity:
        if refused := stopped(task, estate):
            return refused
        return Wait(context.now(), "the gaining carrier to take the port", attempt.changes(task))
    try:
        account = estate.the(Account, port.account)
        answer = context.outside.ports.submit(
            account.carrier, attempt.identity, port, f"port {port.no}", account.theirs or account.id
        )
    except OutsideRefused as error:
        why = rejection(error.reason or "")
        return Failed(f"{port.losing} does not take port {port.no}: {why.words} {why.remedy}")

    def taken(writing: Writing) -> list[Change]:
        now = writing.estate(task.needs())
        port = now.the(Port, task.port)
        taken = changed(
            Subject.PORT,
            port,
            port.copy_with(placed_as=answer.id, answer_due=answer.answer_due),
            "port.taken",
        )
        return [taken, *_priced(port, answer.monthly, now)]

    return Done(taken)


def _priced(port: Port, monthly: Decimal | None, estate: Estate) -> list[Change]:
    """What the gaining carrier will ask for each number a month."""
    if monthly is None:
        return []
    found = waiting_numbers(port, estate)
    return [
        changed(
            Subject.NUMBER,
            n,
            n.copy_with(monthly=n.monthly.copy_with(amount=monthly)),
            "number.priced",
        )
        for n in found
        if n.monthly.amount != monthly
    ]


@executes(t.ActivatePort)
def activate_port(attempt: Attempt, task: t.ActivatePort) -> Outcome:
    """Telephone system and registered addresses first, so that not one call is lost; then the
    losing carrier lets the numbers go, which are kept as they arrive. Asked again after a crash it
    says the same, and what is here already stays as it is.
    """
    context, estate = attempt.context, attempt.estate(task)
    if waiting := task.waits(estate):
        return Wait(*waiting)
    port = estate.the(Port, task.port)
    if port.state is PortState.ACCEPTED:
        gaining = estate.the(Account, port.account).carrier
        hear(context, port.id, context.outside.ports.state(gaining, port.placed_as or ""))
        estate = attempt.estate(task)
        port = estate.the(Port, task.port)
    if port.state is PortState.ACCEPTED:
        return Wait(
            context.now() + ASKED_AGAIN, f"{port.losing} to let the numbers of port {port.no} go"
        )
    if port.state in {PortState.ACTIVATED, PortState.PROVEN, PortState.CLOSED}:
        return Done()  # told twice
    if refused := stopped(task, estate):
        return refused
    gaining = estate.the(Account, port.account).carrier
    waits = {n.e164 for n in waiting_numbers(port, estate)}
    if len(waits) == len(port.numbers) and (refused := _prepare(context, port, estate)):
        return Failed(refused)
    answer = context.outside.ports.activate(gaining, port.placed_as or "")
    here = sorted(waits & answer.arrived)
    some = frozenset(here[:AT_ONCE])

    def kept(writing: Writing) -> list[Change]:
        now = writing.estate(task.needs())
        return switched(now.the(Port, task.port), now, some)

    if len(some) == len(waits):
        return Done(kept)
    done = len(port.numbers) - len(waits) + len(some)
    pause = LOOKED_AGAIN if some or not answer.arrived else STRAGGLERS
    pause = timedelta(0) if len(here) > len(some) else pause
    return Wait(
        context.now() + pause,
        f"{port.losing} to let the rest go: {done:,} of {len(port.numbers):,} have arrived",
        kept if some else None,
    )


def _prepare(context: Context, port: Port, estate: Estate) -> str:
    """What must be so before the first number moves; '' or why it can't be."""
    after = estate.fork()
    changes = switched(port, estate)
    after.absorb(changes)
    for number in (c.after for c in changes if c.subject is Subject.NUMBER):
        if number.spot and number.registered_spot:
            try:
                register_with_carrier(context, number, after)
            except OutsideRefused as error:
                if error.reason != "address":
                    raise
                name = estate.carrier_of(number).name
                return (
                    f"{name} does not register the address for {number.shown}, so nothing was"
                    f" switched: {error.facts.get('why', 'it says no more')}."
                )
    notify_of_outcomes(context, changes, estate)
    return ""


@executes(t.BackOutPort)
def back_out_port(attempt: Attempt, task: t.BackOutPort) -> Outcome:
    """The losing carrier first: what it does not take back stays ours, in use."""
    context, estate = attempt.context, attempt.estate(task)
    port = estate.the(Port, task.port)
    if port.state is PortState.BACKED_OUT:
        return Done()
    if refused := stopped(task, estate):
        return refused
    try:
        context.outside.ports.back_out(
            estate.the(Account, port.account).carrier, port.placed_as or ""
        )
    except OutsideRefused as error:
        return Failed(
            f"{port.losing} does not take the numbers back: {error.facts.get('why', error.reason)}."
        )
    notify_of_outcomes(context, task.apply(estate, attempt.identity), estate)
    return Done(attempt.changes(task))


@executes(t.ApprovePortOut)
def approve_port_out(attempt: Attempt, task: t.ApprovePortOut) -> Outcome:
    """The carrier first: what it says no to any more is not on its way. Asked again it says the
    same."""
    context, estate = attempt.context, attempt.estate(task)
    request = estate.the(PortOut, task.request)
    if request.state in {PortOutState.APPROVED, PortOutState.GONE}:
        return Done()
    if refused := stopped(task, estate):
        return refused
    if found := port_outs.view_port_out(
        context, request.id
    ).doubts:  # the PIN too, which lies sealed and no rule sees
        return Failed(f"{found[0].says} Refuse the request, or find out who asks.")
    account = estate.the(Account, request.account)
    try:
        told = context.at_carrier(account).approve_port_out(request.theirs)
    except OutsideRefused as error:
        return Failed(
            f"{estate.the(Carrier, account.carrier).name} takes no answer any more:"
            f" {error.facts.get('why', error.reason)}."
        )

    def approved(writing: Writing) -> list[Change]:
        first, *rest = task.apply(writing.estate(task.needs()), attempt.identity)
        return [
            first.model_copy(update={"after": first.after.copy_with(goes_at=told.goes_at)}),
            *rest,
        ]

    return Done(approved)
