"""Settling what a carrier lists otherwise, as the runner does it."""

from sedge.core.carriers.reconciliation import DriftKind
from sedge.core.errors import OutsideRefused
from sedge.core.records import Account
from sedge.core.workorders import tasks as t
from sedge.services.carriers import reconciliation
from sedge.services.workorders.execution import do_plainly
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Failed, Outcome, Wait


@executes(t.FollowCarrier)
def follow_carrier(attempt: Attempt, task: t.FollowCarrier) -> Outcome:
    """What its carrier lists is compared again at once."""
    return _compared(attempt, do_plainly(attempt, task))


@executes(t.TellCarrier)
def tell_carrier(attempt: Attempt, task: t.TellCarrier) -> Outcome:
    """The carrier puts its list right; told again, it says the same."""
    estate = attempt.estate(task)
    if refused := stopped(task, estate):
        return refused
    carrier = attempt.context.at_carrier(estate.the(Account, task.account))
    if task.drift == DriftKind.NOT_OURS:
        due = carrier.release(task.number)
        if due is not None:
            return Wait(due, "the carrier to take it back")
        return _compared(attempt, Done())
    try:
        carrier.put_right(task.number, task.drift, task.ours)
    except OutsideRefused as error:
        why = error.facts.get("why", error.reason)
        return Failed(f"{carrier.name} does not correct it for {task.shown}: {why}.")
    return _compared(attempt, Done())


def _compared(attempt: Attempt, outcome: Outcome) -> Outcome:
    if isinstance(outcome, Done):
        reconciliation.compare_soon(attempt.context)
    return outcome
