"""The lives of work orders and tasks: every step that the tables have, and none that they don't."""

import re
from itertools import product
from pathlib import Path

import pytest

import sedge
from sedge.core.errors import NotAllowedNow
from sedge.core.workorders.life import (
    ORDER_LIFE,
    TASK_ENDED,
    TASK_LIFE,
    OrderEvent,
    OrderState,
    TaskEvent,
    TaskState,
    allows,
    next_state,
    next_task_state,
    task_allows,
)


@pytest.mark.parametrize(("state", "event"), list(product(OrderState, OrderEvent)))
def test_a_work_order_goes_the_ways_of_its_table_and_no_other(state, event):
    if allows(state, event):
        assert next_state(state, event) is ORDER_LIFE[state][event]
    else:
        with pytest.raises(NotAllowedNow) as caught:
            next_state(state, event)
        assert caught.value.reason == "order-life"


@pytest.mark.parametrize(("state", "event"), list(product(TaskState, TaskEvent)))
def test_a_task_goes_the_ways_of_its_table_and_no_other(state, event):
    if task_allows(state, event):
        assert next_task_state(state, event) is TASK_LIFE[state][event]
    else:
        with pytest.raises(NotAllowedNow) as caught:
            next_task_state(state, event)
        assert caught.value.reason == "task-life"


@pytest.mark.parametrize(
    ("life", "first"), [(ORDER_LIFE, OrderState.DRAFT), (TASK_LIFE, TaskState.PLANNED)]
)
def test_every_state_is_reached(life, first):
    reached, waiting = {first}, [first]
    while waiting:
        fresh = set(life[waiting.pop()].values()) - reached
        reached |= fresh
        waiting += fresh
    assert reached == set(life)


def test_what_has_been_undone_discarded_or_left_out_stays_so():
    for state in (OrderState.UNDONE, OrderState.DISCARDED):
        assert ORDER_LIFE[state] == {}
    assert {state for state, ways in TASK_LIFE.items() if not ways} <= TASK_ENDED


def test_no_state_is_assigned_but_by_the_tables():
    """A fresh draft and its planned tasks begin their lives; everything else asks for the next
    state."""
    assigned = re.compile(r"\bstate=(?:OrderState|TaskState)\.(\w+)")
    found = [
        (path.name, state)
        for path in Path(sedge.__file__).parent.rglob("*.py")
        for state in assigned.findall(path.read_text())
    ]
    assert {state for _, state in found} == {"DRAFT", "PLANNED"}
