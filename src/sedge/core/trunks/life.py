"""The life of a trunk: one table of states and events, read by enforcement and buttons."""

from enum import StrEnum

from sedge.core.errors import NotAllowedNow
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
