"""Releasing a number, as the runner does it."""

from sedge.core.changes import release_done
from sedge.core.records import Account, Number
from sedge.core.workorders import tasks as t
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Outcome, Wait


@executes(t.ReleaseNumber)
def release_number(attempt: Attempt, task: t.ReleaseNumber) -> Outcome:
    """Agreed first (`leaving_on`), released when the carrier says it has been carried out."""
    context, estate = attempt.context, attempt.estate(task)
    number = estate.number(task.known_number)
    if waiting := task.waits(estate):
        return Wait(*waiting)
    if number.leaving_on is None and (refused := stopped(task, estate)):
        return refused
    if number.carrier in context.outside.carriers:
        due = context.at_carrier(estate.the(Account, number.account)).release(number.e164)
        if due is not None:
            agreed = None if number.leaving_on else attempt.changes(task)
            return Wait(due, "the carrier to take it back", agreed)
    context.outside.telephony.remove_number(number.e164)
    return Done(lambda writing: release_done(writing.records.the(Number, number.e164)))
