"""The life of a number: one table of states and events, read by enforcement, buttons, docs and
tests.

States follow the trade's utilisation categories (47 CFR 52.15(f)) with those a working desk adds.
"""

from enum import StrEnum

from sedge.core.errors import NotAllowedNow


class State(StrEnum):
    ON_ORDER = "on order"
    PORTING_IN = "porting in"
    AVAILABLE = "available"
    RESERVED = "reserved"
    ASSIGNED = "assigned"
    AGING = "aging"
    ADMINISTRATIVE = "administrative"
    PORTING_OUT = "porting out"
    RELEASED = "released"
    PORTED_OUT = "ported out"
    CLOSED = "closed"

    @property
    def is_assigned(self) -> bool:
        return self is State.ASSIGNED


class Event(StrEnum):
    ORDER = "order placed"
    SUBMIT_PORT_IN = "port in submitted"
    REGISTER = "registered"
    ADOPT = "adopt"
    DELIVER = "delivered"
    FAIL = "order failed"
    PORT_IN_ACTIVATE = "port in activated"
    PORT_IN_REJECT = "port in rejected"
    RESERVE = "reserve"
    UNRESERVE = "unreserve"
    LAPSE = "lapse"
    ASSIGN = "assign"
    SET_ASIDE = "set aside"
    RETURN = "return"
    UNASSIGN = "unassign"
    END_REST = "rest over"
    RELEASE = "release"
    RESTORE = "restore"
    PORT_OUT_ACCEPT = "port out accepted"
    BACK_OUT = "port in backed out"
    WITHDRAW = "withdrawn by the carrier"
    PORT_OUT_ACTIVATE = "activated elsewhere"
    PORT_OUT_WITHDRAW = "port out withdrawn"


HELD = (
    State.AVAILABLE,
    State.RESERVED,
    State.ASSIGNED,
    State.AGING,
    State.ADMINISTRATIVE,
    State.PORTING_OUT,
)
ENDED = (State.RELEASED, State.PORTED_OUT, State.CLOSED)
FOUND = (State.AVAILABLE, State.RESERVED, State.ASSIGNED, State.AGING, State.ADMINISTRATIVE)
ANY = tuple(State)

# from → event → the states it may lead to; None stands for a life that has not begun.
LIFE: dict[State | None, dict[Event, tuple[State, ...]]] = {
    None: {
        Event.ORDER: (State.ON_ORDER,),
        Event.SUBMIT_PORT_IN: (State.PORTING_IN,),
        Event.REGISTER: (State.AVAILABLE,),
        Event.ADOPT: FOUND,
    },
    State.ON_ORDER: {
        Event.DELIVER: (State.AVAILABLE,),
        Event.FAIL: (State.CLOSED,),
        Event.RESTORE: ANY,
    },
    State.PORTING_IN: {
        Event.PORT_IN_ACTIVATE: (State.AVAILABLE, State.ASSIGNED),
        Event.PORT_IN_REJECT: (State.CLOSED,),
        Event.RESTORE: ANY,
    },
    State.AVAILABLE: {
        Event.RESERVE: (State.RESERVED,),
        Event.ASSIGN: (State.ASSIGNED,),
        Event.SET_ASIDE: (State.ADMINISTRATIVE,),
        Event.RELEASE: (State.RELEASED,),
        Event.PORT_OUT_ACCEPT: (State.PORTING_OUT,),
        Event.BACK_OUT: (State.CLOSED,),
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.RESERVED: {
        Event.UNRESERVE: (State.AVAILABLE,),
        Event.LAPSE: (State.AVAILABLE,),
        Event.ASSIGN: (State.ASSIGNED,),
        Event.RELEASE: (State.RELEASED,),
        Event.PORT_OUT_ACCEPT: (State.PORTING_OUT,),
        Event.BACK_OUT: (State.CLOSED,),
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.ASSIGNED: {
        Event.UNASSIGN: (State.AGING, State.AVAILABLE),
        Event.PORT_OUT_ACCEPT: (State.PORTING_OUT,),
        Event.BACK_OUT: (State.CLOSED,),
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.AGING: {
        Event.END_REST: (State.AVAILABLE,),
        Event.RELEASE: (State.RELEASED,),
        Event.PORT_OUT_ACCEPT: (State.PORTING_OUT,),
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.ADMINISTRATIVE: {
        Event.RETURN: (State.AVAILABLE,),
        Event.RELEASE: (State.RELEASED,),
        Event.PORT_OUT_ACCEPT: (State.PORTING_OUT,),
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.PORTING_OUT: {
        Event.PORT_OUT_ACTIVATE: (State.PORTED_OUT,),
        Event.PORT_OUT_WITHDRAW: HELD[:-1],
        Event.WITHDRAW: (State.RELEASED,),
        Event.RESTORE: ANY,
    },
    State.RELEASED: {},
    State.PORTED_OUT: {},
    State.CLOSED: {},
}


def allows(state: State | None, event: Event) -> bool:
    return event in LIFE[state]


def next_state(state: State | None, event: Event, to: State | None = None) -> State:
    """State after `event`; `to` chooses where the table leaves a choice.

    Raises NotAllowedNow where the table has no such step.
    """
    choices = LIFE[state].get(event, ())
    target = to or (choices[0] if choices else None)
    if target is None or target not in choices:
        before = state or "not in the estate"
        raise NotAllowedNow(
            f"A number that is {before} cannot go through “{event}”.",
            reason="life",
            state=str(before),
            event=str(event),
        )
    return target
