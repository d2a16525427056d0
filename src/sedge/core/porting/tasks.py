"""Tasks of ports, in and out, and of numbers handed back to their carrier."""

from collections.abc import Iterator, Sequence
from typing import Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed, step
from sedge.core.enums import Subject
from sedge.core.estate import Change, Estate
from sedge.core.facts import counted
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import Event, State
from sedge.core.porting.life import PortEvent
from sedge.core.porting.outgoing import approved
from sedge.core.porting.outgoing_records import PortOut
from sedge.core.porting.records import Port, PortState, Said
from sedge.core.porting.reducers import begun, gone_through, is_new, switched
from sedge.core.records import Number
from sedge.core.workorders.task_base import (
    Name,
    Prerequisites,
    Provision,
    Snapshot,
    Task,
    Thing,
    Waiting,
    for_nothing,
    free,
    not_at_all,
    nothing,
    outside_decides,
    what_it_is_about,
)

HELD_HERE = {State.AVAILABLE, State.RESERVED, State.ASSIGNED}


class SubmitPort(Task):
    """Ask the losing carrier, through the gaining one, to let the numbers of a port go.

    After a rejection the same port again.
    """

    kind: Literal["submit_port"] = "submit_port"
    takes = frozenset({May.PORT})
    for_good = "a port that was asked for (cancel the port)"
    port: Name

    settles = outside_decides
    requires = what_it_is_about
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def needs(self) -> LoadSpec:
        return LoadSpec(ports={self.port})

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PORT_SUBMITTED, self.port)

    def describe(self, estate: Estate) -> tuple[str, str]:
        what, losing = _port_in_words(self.port, estate)
        return f"Submit {what}", f"to {losing}" if losing else ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """The numbers are on their way in; what the carrier answers comes as changes of its own."""
        port = estate.the(Port, self.port)
        moved = gone_through(
            port,
            PortEvent.SUBMIT,
            Said(at=estate.now, by="us", what="submitted"),
            submitted_at=estate.now,
            key=identity,
            placed_as=None,
            replaces=port.placed_as,
        )
        fresh = [e164 for e164 in port.numbers if is_new(estate, e164)]
        return [moved, *(begun(port, e164, estate, identity) for e164 in fresh)]

    def works(self, estate: Estate) -> str:
        return "when the gaining carrier has taken it"


class ActivatePort(Task):
    """Switch the numbers of a port whose day has come; those that were accepted become ours."""

    kind: Literal["activate_port"] = "activate_port"
    takes = frozenset({May.PORT})
    port: Name

    costs = free

    def needs(self) -> LoadSpec:
        return LoadSpec(ports={self.port})

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.SWITCHED)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield Provision(Thing.PORT_SUBMITTED, self.port)
        yield Provision(Thing.PREPARED)

    def describe(self, estate: Estate) -> tuple[str, str]:
        what, losing = _port_in_words(self.port, estate)
        return f"Switch {what}", f"from {losing}" if losing else ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """As if the losing carrier let all numbers go at once; see `switched`."""
        return switched(estate.the(Port, self.port), estate)

    def reversal(self, snapshots: Sequence[Snapshot], words: str) -> Task:
        return BackOutPort(port=self.port, reason="undone")

    def waits(self, estate: Estate) -> Waiting | None:
        port = estate.the(Port, self.port)
        if port.state is PortState.ACCEPTED and port.foc and port.foc > estate.now:
            return Waiting(port.foc, f"the day of port {port.no}")
        return None

    def works(self, estate: Estate) -> str:
        return "when its day has come"


class BackOutPort(Task):
    """Give the numbers of a port back to the losing carrier, while it still takes them.

    Whatever went wrong, callers get through again.
    """

    kind: Literal["back_out_port"] = "back_out_port"
    takes = frozenset({May.PORT})
    for_good = "a port that was backed out of"
    port: Name
    reason: str = Field(min_length=3, max_length=200)

    settles = outside_decides
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def needs(self) -> LoadSpec:
        return LoadSpec(ports={self.port})

    def describe(self, estate: Estate) -> tuple[str, str]:
        what, losing = _port_in_words(self.port, estate)
        return f"Back out of {what}", f"to {losing}" if losing else ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """All numbers are the losing carrier's again, whoever had them here."""
        port = estate.the(Port, self.port)
        said = Said(at=estate.now, by="us", what="backed out", text=self.reason)
        gone: list[Change] = []
        for e164 in port.numbers:
            number = estate.get(Number, e164)
            if number and number.state in HELD_HERE:
                values = step(number, Event.BACK_OUT, assignment=None, path=None, label="")
                values |= {"trunk": None, "spot": None, "registered_spot": None}
                after = number.copy_with(**values)
                gone.append(changed(Subject.NUMBER, number, after, "number.ported-back"))
        return [gone_through(port, PortEvent.BACK_OUT, said), *gone]

    def works(self, estate: Estate) -> str:
        return "as soon as the losing carrier takes them"


class ApprovePortOut(Task):
    """Let numbers go that another carrier has asked ours for.

    `vouched` is who has compared what it says of our account.
    """

    kind: Literal["approve_port_out"] = "approve_port_out"
    takes = frozenset({May.PORT})
    for_good = "a port out that was approved"
    asks_again = True
    request: Name
    vouched: str = Field(default="", max_length=120)

    settles = outside_decides
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def needs(self) -> LoadSpec:
        return LoadSpec(port_outs={self.request})

    def describe(self, estate: Estate) -> tuple[str, str]:
        asked = estate.get(PortOut, self.request)
        if asked is None:
            return "Approve a port out", ""
        what = f"Approve port out {asked.no} of {counted(len(asked.numbers), 'number')}"
        return what, f"to {asked.gaining}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        return approved(estate.the(PortOut, self.request), self.vouched, estate)

    def works(self, estate: Estate) -> str:
        return "when the carrier has our answer; the numbers go days later"


def _port_in_words(key: str, estate: Estate) -> tuple[str, str]:
    """A port with the count of its numbers, and its losing carrier; '' where it is not known."""
    port = estate.get(Port, key)
    if port is None:
        return f"port {key}", ""
    return f"port {port.no}, {counted(len(port.numbers), 'number')},", port.losing
