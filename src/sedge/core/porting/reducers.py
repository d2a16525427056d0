"""What the tasks of a port change: lives that begin when it is submitted, end where it fails, and are ours once it is activated."""

from datetime import datetime
from typing import Any

from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.numbers.life import ENDED, Event, State, next_state
from sedge.core.porting.life import PortEvent
from sedge.core.porting.life import next_state as next_port_state
from sedge.core.porting.records import Port, PortState, Said
from sedge.core.records import Account, Carrier, Number, Subject, Trunk
from sedge.core.reducing import changed, reduces, step
from sedge.core.words import Capacity
from sedge.core.workorders import tasks as t


def gone_through(port: Port, event: PortEvent, said: Said | None = None, **values: Any) -> Change:
    """A port after an event, with what was said at it."""
    after = port.but(state=next_port_state(port.state, event), said=(*port.said, said) if said else port.said, **values)
    return changed(Subject.PORT, port, after, f"port.{after.state.value.replace(' ', '-')}")


@reduces(t.SubmitPort)
def _submit(task: t.SubmitPort, estate: Estate, identity: str) -> list[Change]:
    """The numbers are on their way in; what the carrier answers comes as changes of its own."""
    port = estate.the(Port, task.port)
    said = Said(at=estate.now, by="us", what="submitted")
    moved = gone_through(port, PortEvent.SUBMIT, said, submitted_at=estate.now, key=identity, placed_as=None, replaces=port.placed_as)
    return [moved, *(_begun(port, e164, estate, identity) for e164 in port.numbers if _is_new(estate, e164))]


def _is_new(estate: Estate, e164: str) -> bool:
    known = estate.get(Number, e164)
    return known is None or known.state in ENDED


def _begun(port: Port, e164: str, estate: Estate, identity: str) -> Change:
    account = estate.the(Account, port.account)
    carrier = estate.the(Carrier, account.carrier)
    nothing = Money(amount=account.balance.amount * 0, currency=account.balance.currency)
    number = Number(
        id=f"{identity}-{e164[1:]}", e164=e164, capacity=carrier.capacities[0] if carrier.capacities else Capacity.ANY, state=next_state(None, Event.SUBMIT_PORT_IN),
        account=account.id, carrier=account.carrier, order=port.id, site=port.site, monthly=nothing,
    )  # fmt: skip
    return changed(Subject.NUMBER, None, number, "number.porting-in")


def stays_behind(port: Port, estate: Estate, numbers: set[str]) -> list[Change]:
    """The lives of numbers that don't come after all end."""
    found = [n for e164 in sorted(numbers) if (n := estate.get(Number, e164)) and n.state is State.PORTING_IN and n.order == port.id]
    return [changed(Subject.NUMBER, n, n.but(**step(n, Event.PORT_IN_REJECT)), "number.stays-behind") for n in found]


@reduces(t.ActivatePort)
def _activate(task: t.ActivatePort, estate: Estate, _identity: str) -> list[Change]:
    """What was accepted is ours and available, on the list of the gaining carrier's trunk of the site where there is one."""
    port = estate.the(Port, task.port)
    if port.state not in {PortState.ACCEPTED, PortState.DUE}:
        raise NotAllowedNow(f"Port {port.no} is {port.state}; its numbers can't be switched.", reason="port-life")
    due = port.but(state=PortState.DUE)  # a draft foresees the day; the runner waits for it
    after = gone_through(due, PortEvent.ACTIVATE, Said(at=estate.now, by="us", what="noted", text="switched"))
    changes = [after.model_copy(update={"before": port})]
    for e164 in port.numbers:
        number = estate.get(Number, e164)
        if number and number.state is State.PORTING_IN:
            values = step(number, Event.PORT_IN_ACTIVATE, State.AVAILABLE, order=None, trunk=_trunk_for(port, number, estate))
            changes.append(changed(Subject.NUMBER, number, number.but(**values), "number.ported-in"))
    return changes


def _trunk_for(port: Port, number: Number, estate: Estate) -> str | None:
    fitting = sorted((x for x in estate.all(Trunk) if x.carrier == number.carrier), key=lambda x: (x.site != port.site, x.id))
    return fitting[0].id if fitting else None


def answered(
    port: Port, estate: Estate, *, state: str, code: str, text: str, foc: datetime | None, refused: dict[str, str]
) -> list[Change]:
    """What the losing carrier says, told as events; nothing where it says the same as before."""
    now = estate.now

    def said(what: Any) -> Said:
        return Said(at=now, by=port.losing, what=what, text=text, code=code)

    match state:
        case "rejected" if port.state in {PortState.SUBMITTED, PortState.QUERIED}:
            return [gone_through(port, PortEvent.REJECT, said("rejected")), *stays_behind(port, estate, set(port.numbers))]
        case "queried" if port.state is PortState.SUBMITTED:
            return [gone_through(port, PortEvent.QUERY, said("queried"))]
        case "accepted" | "due" if port.state in {PortState.SUBMITTED, PortState.QUERIED}:
            lines = tuple(x.but(refused=refused[x.e164]) if x.e164 in refused else x for x in port.lines)
            accepted = gone_through(port, PortEvent.ACCEPT, said("accepted"), foc=foc, lines=lines)
            return [accepted, *stays_behind(port, estate, set(refused))]
        case "accepted" if port.state is PortState.ACCEPTED and foc != port.foc:
            return [gone_through(port, PortEvent.MOVE_DATE, said("dated"), foc=foc)]
        case "due" if port.state is PortState.ACCEPTED and port.foc and port.foc <= now:
            return [gone_through(port, PortEvent.DUE)]
        case "cancelled" if port.state not in {PortState.CANCELLED, PortState.CLOSED}:
            return [gone_through(port, PortEvent.CANCEL, said("cancelled")), *stays_behind(port, estate, set(port.numbers))]
        case _:
            return []
