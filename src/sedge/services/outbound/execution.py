"""Names shown with calls, as the runner tells carriers of them."""

from sedge.core.errors import OutsideRefused
from sedge.core.records import Account
from sedge.core.workorders import tasks as t
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Failed, Outcome


@executes(t.SetCallerName)
def set_caller_name(attempt: Attempt, task: t.SetCallerName) -> Outcome:
    """The carrier keeps the name; told again, it keeps the same."""
    estate = attempt.estate(task)
    if refused := stopped(task, estate):
        return refused
    number = estate.number(task.known_number)
    if number.caller_name == task.name:
        return Done()
    carrier = attempt.context.at_carrier(estate.the(Account, number.account))
    try:
        carrier.set_caller_name(number.e164, task.name)
    except OutsideRefused as error:
        name = estate.carrier_of(number).name
        why = error.facts.get("why") or error.reason
        return Failed(f"{name} does not take this name for {number.shown}: {why}.")
    return Done(attempt.changes(task))
