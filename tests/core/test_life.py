"""The life of a number: every state with every event, by the one table."""

import itertools

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.numbers.life import ENDED, LIFE, Event, State, allows, next_state
from tests.asserting import every

EXPECTED = {  # written out again on purpose: the table in core must agree with it
    (None, Event.ORDER): {State.ON_ORDER},
    (None, Event.SUBMIT_PORT_IN): {State.PORTING_IN},
    (None, Event.REGISTER): {State.AVAILABLE},
    (None, Event.ADOPT): {
        State.AVAILABLE,
        State.RESERVED,
        State.ASSIGNED,
        State.AGING,
        State.ADMINISTRATIVE,
    },
    (State.ON_ORDER, Event.DELIVER): {State.AVAILABLE},
    (State.ON_ORDER, Event.FAIL): {State.CLOSED},
    (State.PORTING_IN, Event.PORT_IN_ACTIVATE): {State.AVAILABLE, State.ASSIGNED},
    (State.PORTING_IN, Event.PORT_IN_REJECT): {State.CLOSED},
    (State.AVAILABLE, Event.RESERVE): {State.RESERVED},
    (State.AVAILABLE, Event.ASSIGN): {State.ASSIGNED},
    (State.AVAILABLE, Event.SET_ASIDE): {State.ADMINISTRATIVE},
    (State.AVAILABLE, Event.BACK_OUT): {State.CLOSED},
    (State.RESERVED, Event.UNRESERVE): {State.AVAILABLE},
    (State.RESERVED, Event.LAPSE): {State.AVAILABLE},
    (State.RESERVED, Event.ASSIGN): {State.ASSIGNED},
    (State.RESERVED, Event.BACK_OUT): {State.CLOSED},
    (State.ASSIGNED, Event.UNASSIGN): {State.AGING, State.AVAILABLE},
    (State.ASSIGNED, Event.BACK_OUT): {State.CLOSED},
    (State.AGING, Event.END_REST): {State.AVAILABLE},
    (State.ADMINISTRATIVE, Event.RETURN): {State.AVAILABLE},
    (State.PORTING_OUT, Event.PORT_OUT_ACTIVATE): {State.PORTED_OUT},
    (State.PORTING_OUT, Event.PORT_OUT_WITHDRAW): {
        State.AVAILABLE,
        State.RESERVED,
        State.ASSIGNED,
        State.AGING,
        State.ADMINISTRATIVE,
    },
}
HELD = (State.AVAILABLE, State.RESERVED, State.ASSIGNED, State.AGING, State.ADMINISTRATIVE)
EXPECTED |= {
    (state, Event.RELEASE): {State.RELEASED} for state in HELD if state is not State.ASSIGNED
}
EXPECTED |= {(state, Event.PORT_OUT_ACCEPT): {State.PORTING_OUT} for state in HELD}
EXPECTED |= {(state, Event.WITHDRAW): {State.RELEASED} for state in (*HELD, State.PORTING_OUT)}
EXPECTED |= {(state, Event.RESTORE): set(State) for state in State if state not in ENDED}
ALL = list(itertools.product([None, *State], Event))


@pytest.mark.parametrize(("state", "event"), ALL, ids=lambda value: str(value))
def test_each_state_takes_exactly_the_events_of_the_trade(state, event):
    wanted = EXPECTED.get((state, event), set())
    assert set(LIFE[state].get(event, ())) == wanted
    assert allows(state, event) == bool(wanted)
    for target in State:
        if target in wanted:
            assert next_state(state, event, target) is target
        else:
            with pytest.raises(NotAllowedNow):
                next_state(state, event, target)


def test_a_refused_step_says_state_and_event():
    with pytest.raises(NotAllowedNow) as raised:
        next_state(State.RELEASED, Event.ASSIGN)
    assert raised.value.facts == {"state": "released", "event": "assign"}


def test_an_ended_life_goes_nowhere():
    assert every(not LIFE[state] for state in ENDED)
