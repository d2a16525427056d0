"""Trunks that are asked OPTIONS by themselves, against carriers that really listen."""

import pytest

from sedge.core.errors import NotFound
from sedge.services import simulation_clock
from sedge.services.today.today import todo
from sedge.services.trunks import watching
from sedge.store.repositories import trunk_answers

TRUNK, DOMAIN = "leeds-a", "fellgate.example"


def again(installation, context):
    """As if every turn had come."""
    installation.process.under_way(watching.DUE).clear()
    return watching.watch(context)


def test_a_trunk_is_asked_when_its_turn_comes(installation, context):
    change_counter = installation.change_counter(context.who.organisation)
    asked = again(installation, context)
    assert asked >= 2
    assert watching.watch(context) == 0  # nobody's turn yet
    seen = watching.watched(context, TRUNK)
    assert (seen.standing.said, seen.standing.missed) == ("200 OK", 0)
    assert seen.standing.ms >= 0
    assert [(h.hour, h.asked, h.answered) for h in seen.hours][-1][0] == seen.last_hour
    assert (
        installation.change_counter(context.who.organisation) == change_counter
    )  # no change of the estate
    with pytest.raises(NotFound):
        watching.watched(context, "nowhere")


def test_silence_is_told_on_today_with_what_was_heard_last(installation, context):
    control = simulation_clock.control_of(installation)
    control.set_sip_fault(DOMAIN, "503")
    try:
        for _ in range(3):
            again(installation, context)
    finally:
        control.set_sip_fault(DOMAIN, "")
    seen = watching.watched(context, TRUNK).standing
    assert (seen.missed, seen.said) == (3, "503 Service Unavailable")
    [line] = [x for x in todo(context) if x.what == "Leeds A does not answer"]
    assert line.why == "3 requests in a row. 503 Service Unavailable"
    again(installation, context)
    assert not [x for x in todo(context) if x.what == "Leeds A does not answer"]


@pytest.mark.parametrize(
    ("fault", "says"),
    [("self-signed", "certificate is not trusted"), ("rubbish", "line broke")],
)
def test_why_nothing_came_is_said(installation, context, fault, says):
    control = simulation_clock.control_of(installation)
    control.set_sip_fault(DOMAIN, fault)
    try:
        again(installation, context)
    finally:
        control.set_sip_fault(DOMAIN, "")
    assert says in watching.watched(context, TRUNK).standing.said


def test_hours_add_up_and_old_ones_go(installation, context):
    with installation.estates[context.who.organisation].writing() as connection:
        hour = trunk_answers.hour_of(context.now())
        row = {"trunk": TRUNK, "asked": 60, "answered": 59, "ms": 590, "slowest": 20}
        trunk_answers.add_hours(connection, [row | {"hour": hour - 300}, row | {"hour": hour + 1}])
        trunk_answers.add_hours(connection, [row | {"hour": hour + 1, "slowest": 90}])
        trunk_answers.forget_old(connection, context.now())
        hours = trunk_answers.hours_of(connection, TRUNK, 0)
    found = {h.hour: h for h in hours}
    assert hour - 300 not in found
    assert found[hour + 1][1:] == (120, 118, 10, 90)
