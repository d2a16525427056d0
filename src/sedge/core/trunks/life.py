"""The life of a trunk: one table of states and events, read by enforcement and buttons."""

from enum import StrEnum

from sedge.core.errors import NotAllowedNow
from sedge.core.records import Trunk
from sedge.core.trunks.records import TrunkState


class TrunkEvent(StrEnum):
    SUSPEND = "suspend"
    RESUME = "resume"
    RETIRE = "retire"


DONE = {
    TrunkEvent.SUSPEND: "suspended",
    TrunkEvent.RESUME: "resumed",
    TrunkEvent.RETIRE: "retired",
}
S, E = TrunkState, TrunkEvent
LIFE: dict[TrunkState, dict[TrunkEvent, TrunkState]] = {
    S.IN_SERVICE: {E.SUSPEND: S.SUSPENDED, E.RETIRE: S.RETIRED},
    S.SUSPENDED: {E.RESUME: S.IN_SERVICE, E.RETIRE: S.RETIRED},
    S.RETIRED: {},
}


def next_state(state: TrunkState, event: TrunkEvent) -> TrunkState:
    """Raises NotAllowedNow."""
    after = LIFE[state].get(event)
    if after is None:
        raise NotAllowedNow(f"A trunk that is {state} can't be {DONE[event]}.", reason="life")
    return after


def events_of(state: TrunkState) -> tuple[TrunkEvent, ...]:
    """What can happen to a trunk in a state."""
    return tuple(LIFE[state])


class Phase(StrEnum):
    """How far a trunk has come, told by what is known of it."""

    DRAFTED = "drafted"
    SET_UP = "set up"
    TESTED = "tested"
    IN_SERVICE = "in service"
    SUSPENDED = "suspended"
    RETIRED = "retired"


ON_THE_WAY = (Phase.DRAFTED, Phase.SET_UP, Phase.TESTED, Phase.IN_SERVICE)


def phase_of(trunk: Trunk, *, carries_numbers: bool) -> Phase:
    """`carries_numbers`: some number in use is on its list. One that a carrier brings along is set
    up by the carrier."""
    if trunk.state is not TrunkState.IN_SERVICE:
        return Phase(trunk.state.value)
    if carries_numbers:
        return Phase.IN_SERVICE
    if trunk.links and all(link.ok is not False for link in trunk.links):
        return Phase.TESTED
    return Phase.SET_UP if trunk.settings or trunk.connection else Phase.DRAFTED


def next_step(trunk: Trunk, phase: Phase) -> str:
    """What brings it on, '' where nothing is left to do."""
    broken = next((link.what for link in trunk.links if link.ok is False), "")
    match phase:
        case Phase.DRAFTED:
            return "Set the trunk up: host, transport, sign-in."
        case Phase.SET_UP:
            return f"Mend “{broken}”, then test again." if broken else "Test the connection."
        case Phase.TESTED:
            return "Put numbers on its list."
        case Phase.SUSPENDED:
            return "Resume it when it shall carry calls again."
    return ""
