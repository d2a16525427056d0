"""The life of a port: one table of states and events, read by enforcement, buttons and docs."""

from enum import StrEnum

from sedge.core.errors import NotAllowedNow
from sedge.core.porting.records import PortState


class PortEvent(StrEnum):
    SIGN = "papers signed"
    CHANGE = "details changed"
    SUBMIT = "submit"
    QUERY = "queried by the losing carrier"
    ANSWER = "query answered"
    REJECT = "rejected by the losing carrier"
    ACCEPT = "accepted with a date"
    MOVE_DATE = "date changed"
    DUE = "the day has come"
    ACTIVATE = "switched"
    PROVE = "proven"
    CLOSE = "closed"
    CANCEL = "cancel"
    BACK_OUT = "back out"


S, E = PortState, PortEvent
LIFE: dict[PortState, dict[PortEvent, PortState]] = {
    S.DRAFT: {E.CHANGE: S.DRAFT, E.SIGN: S.READY, E.CANCEL: S.CANCELLED},
    S.READY: {E.CHANGE: S.DRAFT, E.SUBMIT: S.SUBMITTED, E.CANCEL: S.CANCELLED},
    S.SUBMITTED: {
        E.QUERY: S.QUERIED,
        E.REJECT: S.REJECTED,
        E.ACCEPT: S.ACCEPTED,
        E.CANCEL: S.CANCELLED,
    },
    S.QUERIED: {
        E.ANSWER: S.SUBMITTED,
        E.REJECT: S.REJECTED,
        E.ACCEPT: S.ACCEPTED,
        E.CANCEL: S.CANCELLED,
    },
    S.REJECTED: {E.CHANGE: S.DRAFT, E.CANCEL: S.CANCELLED},
    S.ACCEPTED: {
        E.MOVE_DATE: S.ACCEPTED,
        E.DUE: S.DUE,
        E.REJECT: S.REJECTED,
        E.CANCEL: S.CANCELLED,
    },
    S.DUE: {
        E.REJECT: S.REJECTED,
        E.ACTIVATE: S.ACTIVATED,
        E.MOVE_DATE: S.ACCEPTED,
        E.CANCEL: S.CANCELLED,
    },
    S.ACTIVATED: {E.PROVE: S.PROVEN, E.BACK_OUT: S.BACKED_OUT},
    S.PROVEN: {E.CLOSE: S.CLOSED, E.BACK_OUT: S.BACKED_OUT},
    S.CLOSED: {},
    S.CANCELLED: {},
    S.BACKED_OUT: {},
}


def allows(state: PortState, event: PortEvent) -> bool:
    return event in LIFE[state]


def next_state(state: PortState, event: PortEvent) -> PortState:
    """Raises NotAllowedNow where the table has no such step."""
    if event not in LIFE[state]:
        raise NotAllowedNow(
            f"A port that is {state} can't go through “{event}”.",
            reason="port-life",
            state=state.value,
            event=event.value,
        )
    return LIFE[state][event]
