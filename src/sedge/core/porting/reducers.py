"""What the tasks of a port change: lives that begin when it is submitted, end where it fails, and
are ours once it is activated."""

from collections.abc import Collection
from datetime import datetime
from typing import Any

from sedge.core.changes import changed, step
from sedge.core.enums import Capacity
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.numbers.life import ENDED, Event, State, next_state
from sedge.core.porting.dates import back_out_until
from sedge.core.porting.life import PortEvent
from sedge.core.porting.life import next_state as next_port_state
from sedge.core.porting.records import Port, PortLine, PortState, Said
from sedge.core.records import Account, Assignment, Carrier, Number, Site, Subject, Trunk


def gone_through(port: Port, event: PortEvent, said: Said | None = None, **values: Any) -> Change:
    """A port after an event, with what was said at it."""
    after = port.copy_with(
        state=next_port_state(port.state, event),
        said=(*port.said, said) if said else port.said,
        **values,
    )
    return changed(Subject.PORT, port, after, f"port.{after.state.value.replace(' ', '-')}")


def is_new(estate: Estate, e164: str) -> bool:
    known = estate.get(Number, e164)
    return known is None or known.state in ENDED


def begun(port: Port, e164: str, estate: Estate, identity: str) -> Change:
    account = estate.the(Account, port.account)
    carrier = estate.the(Carrier, account.carrier)
    nothing = Money(amount=account.balance.amount * 0, currency=account.balance.currency)
    number = Number(
        id=f"{identity}-{e164[1:]}",
        e164=e164,
        capacity=carrier.capacities[0] if carrier.capacities else Capacity.ANY,
        state=next_state(None, Event.SUBMIT_PORT_IN),
        account=account.id,
        carrier=account.carrier,
        order=port.id,
        site=port.site,
        monthly=nothing,
    )
    return changed(Subject.NUMBER, None, number, "number.porting-in")


def stays_behind(port: Port, estate: Estate, numbers: set[str]) -> list[Change]:
    """The lives of numbers that don't come after all end."""
    found = [
        n
        for e164 in sorted(numbers)
        if (n := estate.get(Number, e164)) and n.state is State.PORTING_IN and n.order == port.id
    ]
    return [
        changed(
            Subject.NUMBER, n, n.copy_with(**step(n, Event.PORT_IN_REJECT)), "number.stays-behind"
        )
        for n in found
    ]


def switched(port: Port, estate: Estate, arrived: Collection[str] | None = None) -> list[Change]:
    """Numbers that have arrived at the gaining carrier (None: all) are ours: of whoever was chosen
    for them, else available, on the list of that carrier's trunk of the site where there is one.
    With the last of them the port is activated.
    """
    if port.state not in {PortState.ACCEPTED, PortState.DUE}:
        raise NotAllowedNow(
            f"Port {port.no} is {port.state}; its numbers can't be switched.", reason="port-life"
        )
    waiting = waiting_numbers(port, estate)
    here = [n for n in waiting if arrived is None or n.e164 in arrived]
    changes = [arrival(port, number, estate) for number in here]
    if len(here) < len(waiting):
        return changes
    due = port.copy_with(state=PortState.DUE)  # a draft foresees the day; the runner waits for it
    until = back_out_until(port.country, estate.now, estate.the(Site, port.site).timezone)
    after = gone_through(
        due,
        PortEvent.ACTIVATE,
        Said(at=estate.now, by="us", what="noted", text="switched"),
        back_out_until=until,
    )
    return [after.model_copy(update={"before": port}), *changes]


def waiting_numbers(port: Port, estate: Estate) -> list[Number]:
    """Those of a port that are still on their way in."""
    found = (estate.get(Number, e164) for e164 in port.numbers)
    return [n for n in found if n and n.state is State.PORTING_IN and n.order == port.id]


def arrival(port: Port, number: Number, estate: Estate) -> Change:
    """What becomes of one number when the losing carrier has let it go."""
    line, trunk = port.line(number.e164), _trunk_for(port, number, estate)
    if line is None or line.holder is None:
        values = step(number, Event.PORT_IN_ACTIVATE, State.AVAILABLE, order=None, trunk=trunk)
        return changed(Subject.NUMBER, number, number.copy_with(**values), "number.ported-in")
    works_from = max([estate.now, *(g.works_from for g in estate.grants_of(line.holder))])
    spot = spot_of(line, estate)
    values = step(
        number,
        Event.PORT_IN_ACTIVATE,
        State.ASSIGNED,
        order=None,
        trunk=trunk,
        spot=spot,
        path=line.path,
        site=estate.site_of(line.holder).id,
        assignment=Assignment(
            holder=line.holder, role=line.role, since=estate.now, works_from=works_from
        ),
        registered_spot=spot if estate.carrier_of(number).registers_addresses else None,
    )
    return changed(Subject.NUMBER, number, number.copy_with(**values), "number.ported-in")


def spot_of(line: PortLine, estate: Estate) -> str | None:
    """Where a call for help from the number will send help."""
    return line.spot or (getattr(estate.holder(line.holder), "spot", None) if line.holder else None)


def _trunk_for(port: Port, number: Number, estate: Estate) -> str | None:
    fitting = sorted(
        (x for x in estate.all(Trunk) if x.carrier == number.carrier),
        key=lambda x: (x.site != port.site, x.id),
    )
    return fitting[0].id if fitting else None


def answered(
    port: Port,
    estate: Estate,
    *,
    state: str,
    code: str,
    text: str,
    foc: datetime | None,
    refused: dict[str, str],
) -> list[Change]:
    """What the losing carrier says, told as events; nothing where it says the same as before."""
    now = estate.now

    def said(what: Any) -> Said:
        return Said(at=now, by=port.losing, what=what, text=text, code=code)

    match state:
        case "rejected" if port.state in {PortState.SUBMITTED, PortState.QUERIED}:
            return [
                gone_through(port, PortEvent.REJECT, said("rejected")),
                *stays_behind(port, estate, set(port.numbers)),
            ]
        case "queried" if port.state is PortState.SUBMITTED:
            return [gone_through(port, PortEvent.QUERY, said("queried"))]
        case "accepted" | "due" if port.state in {PortState.SUBMITTED, PortState.QUERIED}:
            lines = tuple(
                x.copy_with(refused=refused[x.e164]) if x.e164 in refused else x for x in port.lines
            )
            accepted = gone_through(port, PortEvent.ACCEPT, said("accepted"), foc=foc, lines=lines)
            return [accepted, *stays_behind(port, estate, set(refused))]
        case "accepted" if port.state is PortState.ACCEPTED and foc != port.foc:
            return [gone_through(port, PortEvent.MOVE_DATE, said("dated"), foc=foc)]
        case "due" if port.state is PortState.ACCEPTED and port.foc and port.foc <= now:
            return [gone_through(port, PortEvent.DUE)]
        case "cancelled" if port.state not in {PortState.CANCELLED, PortState.CLOSED}:
            return [
                gone_through(port, PortEvent.CANCEL, said("cancelled")),
                *stays_behind(port, estate, set(port.numbers)),
            ]
        case _:
            return []
