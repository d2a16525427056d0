"""What a task must wait for before it can be done, and until when."""

from datetime import datetime
from typing import Any

from sedge.core.estate import Estate
from sedge.core.numbers.life import State
from sedge.core.porting.records import Port, PortState
from sedge.core.records import Number, Product
from sedge.core.workorders import tasks as t


def must_wait(task: Any, estate: Estate) -> tuple[datetime, str] | None:
    """The moment and the words, or None when the task can go on now."""
    number = estate.number(task.e164) if task.e164 and not isinstance(task, t.Bringing) else None
    match task:
        case t.AssignNumber() if number and number.usable_from and number.usable_from > estate.now:
            return number.usable_from, f"{number.shown} to become usable at its carrier"
        case t.AssignNumber() if number:
            asked = estate.carrier_of(number).asks_of.get(task.holder.kind, ())
            late = [g for g in estate.grants_of(task.holder) if g.product in asked and g.works_from > estate.now]
            if late:
                last = max(late, key=lambda g: g.works_from)
                return last.works_from, f"{estate.the(Product, last.product).name} to work"
        case t.PlaceTestCall() if number and number.assignment and number.assignment.works_from > estate.now:
            return number.assignment.works_from, f"{number.shown} to work for its holder"
        case t.ReleaseNumber(after_rest=True) if (
            number and number.state is State.AGING and number.state_until and number.state_until > estate.now
        ):
            return number.state_until, f"the rest of {number.shown}"
        case t.ActivatePort():
            port = estate.the(Port, task.port)
            if port.state is PortState.ACCEPTED and port.foc and port.foc > estate.now:
                return port.foc, f"the day of port {port.no}"
        case _:
            pass
    return None


def estimated_delay(task: Any, estate: Estate) -> str:
    """When a task works, in words for a draft."""
    match task:
        case t.GrantLicence():
            return f"works {estate.the(Product, task.product).propagation_minutes} min after granting"
        case t.ExchangeLicence():
            return f"works {estate.the(Product, task.to).propagation_minutes} min after granting; the other goes on until then"
        case t.PutBackLater():
            return estate.clock(task.at)
        case t.OrderNumbers():
            return "when the carrier delivers"
        case t.AssignNumber():
            waits = must_wait(task, estate) if estate.get(Number, task.e164 or "") else None
            return f"from {estate.clock(waits[0])}" if waits else "at once"
        case t.OrderWhenFree():
            return f"when there is such a number, until {estate.clock(task.until)}"
        case t.SetFeature():
            return "when the carrier has switched it"
        case t.RegisterAddress() | t.TellPlace():
            return "when the carrier has confirmed"
        case t.SubmitPort():
            return "when the gaining carrier has taken it"
        case t.ActivatePort():
            return "when its day has come"
        case t.TellCarrier():
            return "when the carrier has put it right"
        case t.ApprovePortOut():
            return "when the carrier has our answer; the numbers go days later"
        case t.BackOutPort():
            return "as soon as the losing carrier takes them"
        case t.ReleaseNumber(after_rest=True):
            return "when its rest is over"
        case t.ReleaseNumber():
            return "when the carrier has carried it out"
        case t.PlaceTestCall():
            return "when all before it works"
        case _:
            return "at once"
