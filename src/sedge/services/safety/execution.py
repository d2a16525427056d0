"""Telling where a number's phone is, as the runner does it."""

from sedge.core.errors import OutsideRefused
from sedge.core.estate import Estate
from sedge.core.workorders import tasks as t
from sedge.services.context import Context
from sedge.services.telephony_sync import routing_of
from sedge.services.workorders.execution import do_plainly
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Failed, Outcome, register_with_carrier


@executes(t.RegisterAddress, t.TellPlace)
def tell_place(attempt: Attempt, task: t.RegisterAddress | t.TellPlace) -> Outcome:
    """The outside first; what is kept here is what it has taken."""
    estate = attempt.estate(task)
    if refused := stopped(task, estate) or _refused(attempt.context, task, estate):
        return refused
    return do_plainly(attempt, task)


def _refused(
    context: Context, task: t.RegisterAddress | t.TellPlace, estate: Estate
) -> Failed | None:
    """Told to the telephone system, and to the carrier if it keeps addresses. None once both
    know."""
    number = estate.number(task.known_number)
    carrier = estate.carrier_of(number)
    if number.in_use:
        context.outside.telephony.put_number(number.e164, routing_of(number, estate))
    if number.spot is None or not carrier.registers_addresses:
        return None
    try:
        register_with_carrier(context, number, estate)
    except OutsideRefused as error:
        if error.reason != "address":
            raise
        why = error.facts.get("why", "it says no more")
        return Failed(f"{carrier.name} does not register the address for {number.shown}: {why}.")
    return None
