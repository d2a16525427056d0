"""Each kind of step has one class that says what it does with a call; followed calls and all ways
to end agree, because both ask it."""

from datetime import timedelta
from typing import get_args

import pytest

from sedge.core.callpaths import steps as s
from sedge.core.callpaths.tracing.behaviours.behaviour import Situation
from sedge.core.callpaths.tracing.behaviours.kinds import BEHAVIOURS, behaviour_of
from sedge.core.callpaths.tracing.endings import endings_of
from sedge.core.callpaths.tracing.trace import trace_path
from sedge.core.callpaths.tracing.world import Called, EndingKind, World
from tests.conftest import NOW, EstateBuilder

STEPS = [
    s.Hours(
        timezone="Europe/London",
        openings=(s.Opening(weekdays=(0, 1, 2, 3, 4), start="09:00", end="17:00"),),
    ),
    s.Menu(greeting="Press 1.", keys={"1": "sales", "*": "again"}, extensions=True),
    s.Ring(),
    s.Queue(callback=True),
    s.Announce(text="We are closed."),
    s.Mailbox(),
    s.Forward(to="+441134960199"),
    s.SipAddress(address="sip:desk@example.com"),
    s.OtherPath(path="other"),
    s.End(),
]


@pytest.fixture
def called():
    return Called("a path of its own", "wharf-house")


def test_every_kind_of_step_has_its_class():
    kinds = get_args(get_args(s.Step)[0])
    assert {type(x) for x in STEPS} == set(kinds) == set(BEHAVIOURS)


@pytest.mark.parametrize("step", STEPS, ids=lambda x: x.kind)
def test_nothing_happens_at_a_step_but_by_its_exits(step, called):
    estate = EstateBuilder().build()
    behaviour = behaviour_of(step)
    states = tuple(c.exit_at(NOW) for c in behaviour.depends_on(called, estate, step))
    outcomes = behaviour.outcomes(Situation(called, estate, NOW, states), step)
    ways = {o.exit for o in outcomes if not o.ends}
    assert outcomes and ways <= {*s.exits_of(step), s.Exit.GOES_ON}
    assert set(behaviour.usual(outcomes)) <= set(outcomes)


@pytest.mark.parametrize("step", STEPS[:-2], ids=lambda x: x.kind)
def test_all_ways_found_can_be_followed(step, called):
    estate = EstateBuilder().build()
    if isinstance(step, s.Menu):  # whose extension is dialled is nothing that a world chooses
        step = step.copy_with(extensions=False)
    path = s.Path(first="x", steps={"x": step})
    ways = endings_of(called, path, estate).ways
    assert ways
    for way in ways:
        trace = trace_path(called, path, way.at, World(choices=way.choices), estate)
        assert (trace.ending.kind, trace.ending.step) == (way.kind, "x")


def test_a_step_without_a_way_on_ends_as_its_kind_says(called):
    estate = EstateBuilder().build()
    said, hours = (s.Path(first="x", steps={"x": step}) for step in (STEPS[4], STEPS[0]))
    told = trace_path(called, said, NOW, World(), estate).ending
    night = trace_path(called, hours, NOW + timedelta(hours=12), World(), estate).ending
    assert (told.kind, told.reason) == (EndingKind.ANNOUNCED, "the announcement is over")
    assert night.kind is EndingKind.ENDED and night.reason.startswith("closed")
