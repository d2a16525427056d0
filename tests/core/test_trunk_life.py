"""The life of a trunk, and what taking it away changes."""

from itertools import product

import pytest

from sedge.core.errors import NotAllowedNow
from sedge.core.outbound.records import OutboundRoute
from sedge.core.records import ORGANISATION, Defaults, Site, Trunk
from sedge.core.trunks import records as kept
from sedge.core.trunks.life import (
    DONE,
    LIFE,
    TrunkEvent,
    events_of,
    next_state,
    next_step,
    phase_of,
)
from sedge.core.trunks.records import TrunkSettings, TrunkState
from sedge.core.trunks.trunks import choose_trunk
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import judge


@pytest.mark.parametrize(("state", "event"), list(product(TrunkState, TrunkEvent)))
def test_every_step_is_in_the_table_or_refused(state, event):
    if event in LIFE[state]:
        assert next_state(state, event) in TrunkState
        assert event in events_of(state)
    else:
        with pytest.raises(NotAllowedNow, match=f"A trunk that is {state} can't be {DONE[event]}"):
            next_state(state, event)


def said(estate, event, rule):
    task = t.MoveTrunk(trunk="leeds-a", event=event)
    found = next((f for f in judge(task, estate.build()) if f.rule == rule), None)
    return found and (found.level.value, found.message)


def test_only_one_in_service_carries_calls(estate):
    number = estate.number(142, carrier="fellgate", trunk="leeds-a")
    built = estate.build()
    trunk = built.the(Trunk, "leeds-a")
    assert (trunk.carries, trunk.why_not) == (True, "")
    built.absorb(t.MoveTrunk(trunk="leeds-a", event="suspend").apply(built))
    trunk = built.the(Trunk, "leeds-a")
    assert (trunk.carries, trunk.why_not) == (False, "is suspended")
    chosen, candidates = choose_trunk(built.number(number), built.the(Site, "leeds"), built)
    assert chosen is None
    assert "it is suspended" in {c.reason for c in candidates}
    assert trunk.copy_with(up=False, state=TrunkState.IN_SERVICE).why_not == "is down"


def test_numbers_without_a_fallback_are_named(estate):
    holder = estate.person()
    estate.given(142, holder, carrier="fellgate", trunk="leeds-a")
    level, message = said(estate, "suspend", "trunk.numbers-on-it")
    assert (level, "0113 496 0142" in message) == ("warn", True)
    assert said(estate, "retire", "trunk.numbers-on-it")[0] == "stop"
    assert said(estate, "resume", "trunk.numbers-on-it") is None


def test_the_last_trunk_for_emergency_calls_is_not_taken_away(estate):
    assert said(estate, "suspend", "trunk.help-still-comes")[0] == "pass"
    other = estate.build().the(Trunk, "brackwater-leeds")
    estate.put(other.copy_with(up=False))
    level, message = said(estate, "suspend", "trunk.help-still-comes")
    assert (level, "last trunk" in message) == ("stop", True)


def test_the_last_trunk_for_emergency_calls_goes_on_taking_them(estate):
    def set_up(*, emergency):
        task = t.ChangeTrunk(
            trunk="leeds-a",
            name="Leeds A",
            host="sip.example",
            channels=10,
            settings=TrunkSettings(user="wharf"),
            emergency=emergency,
        )
        rule = "trunk.help-still-comes-after"
        [found] = [f for f in judge(task, estate.build()) if f.rule == rule]
        return found.level.value

    assert set_up(emergency=False) == "pass"
    estate.put(estate.build().the(Trunk, "brackwater-leeds").copy_with(emergency=False))
    assert (set_up(emergency=True), set_up(emergency=False)) == ("pass", "stop")


def test_a_route_that_has_no_other_trunk_is_named(estate):
    routes = (OutboundRoute(name="Home", destinations=("+44",), trunks=("leeds-a",)),)
    estate.put(Defaults(id=ORGANISATION, routes=routes))
    assert said(estate, "suspend", "trunk.routes-over-it")[0] == "warn"


def test_what_cannot_happen_now_is_stopped(estate):
    assert said(estate, "resume", "trunk.may-move") == (
        "stop",
        "Leeds A is in service, so it can't be resumed.",
    )


GOOD = kept.TestedLink(what="OPTIONS", ok=True, evidence="200 OK")
BROKEN = kept.TestedLink(what="Certificate", ok=False, evidence="It ended.")
SETTINGS = TrunkSettings(user="us")


@pytest.mark.parametrize(
    ("facts", "carries_numbers", "phase", "step"),
    [
        ({}, False, "drafted", "Set the trunk up"),
        ({"settings": SETTINGS}, False, "set up", "Test the connection"),
        ({"settings": SETTINGS, "links": (GOOD, BROKEN)}, False, "set up", "Mend “Certificate”"),
        ({"settings": SETTINGS, "links": (GOOD,)}, False, "tested", "Put numbers on its list"),
        ({"settings": SETTINGS, "links": (GOOD,)}, True, "in service", ""),
        ({}, True, "in service", ""),  # one that a carrier brought along
        ({"state": TrunkState.SUSPENDED}, True, "suspended", "Resume it"),
        ({"state": TrunkState.RETIRED}, False, "retired", ""),
    ],
)
def test_how_far_a_trunk_has_come_and_what_is_next(facts, carries_numbers, phase, step):
    trunk = Trunk(id="t", name="T", site="leeds", carrier="fellgate", channels=1).copy_with(**facts)
    found = phase_of(trunk, carries_numbers=carries_numbers)
    assert found == phase
    assert next_step(trunk, found).startswith(step)
    assert bool(next_step(trunk, found)) is bool(step)
