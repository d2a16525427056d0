"""Forms that run at once where nothing is in doubt, and what they offer."""

import pytest

from sedge.core.callpaths.tracing.trace import EndingKind, World
from sedge.core.errors import NotUnderstood
from sedge.core.records import HolderKind, HolderRef, Number, PathVersion
from sedge.core.workorders import tasks as t
from sedge.core.workorders.at_once import Review
from sedge.core.workorders.life import OrderState
from sedge.services.callpaths import calls
from sedge.services.callpaths.routing_calls import plan_calls_to
from sedge.services.workorders import order_running, runner, workorders
from sedge.services.workorders.at_once import run_if_clear
from sedge.services.workorders.suggestions import suggest_numbers

IFEOMA = HolderRef(kind=HolderKind.PERSON, id="person-ifeoma-okafor")
MAIN = "+441134960100"


def told(desk, *tasks):
    order = workorders.draft(desk, "A change", tasks, look=True)
    reason = run_if_clear(desk, order.id)
    return reason, workorders.get(desk, order.id)


def number(desk, e164):
    with desk.reading() as reading:
        return reading.records.the(Number, e164)


def test_what_is_clear_runs_at_once_and_can_be_undone(desk):
    rights = t.SetCallingRights(holder=IFEOMA, rights=("internal", "emergency"))
    reason, order = told(desk, rights)
    assert reason is None
    assert order.state is OrderState.DONE
    undone = runner.finish(desk, order_running.undo(desk, order.id))
    assert undone.state is OrderState.DONE


def test_what_a_check_stops_stays_a_draft(desk):
    taken = t.AssignNumber(number=MAIN, holder=HolderRef(kind="person", id="person-fergus-brandt"))
    reason, order = told(desk, taken)
    assert reason is Review.STOPPED
    assert order.state is OrderState.DRAFT


@pytest.mark.parametrize(
    ("task", "reason"),
    [
        (t.PlaceTestCall(number=MAIN), {Review.FOR_GOOD}),
        (t.ReleaseNumber(number="+441134960156"), {Review.WARNED, Review.SPENDS, Review.FOR_GOOD}),
        (
            t.BuySeats(product="staff-seat", seats=2),
            {Review.SPENDS, Review.WARNED, Review.STOPPED},
        ),
    ],
    ids=["a test call", "a release", "seats"],
)
def test_what_is_for_good_or_spends_is_reviewed(desk, task, reason):
    found, order = told(desk, task)
    assert found in reason
    assert order.state is OrderState.DRAFT


def test_what_another_work_order_concerns_too_is_reviewed(desk):
    rights = t.SetCallingRights(holder=IFEOMA, rights=("internal", "emergency"))
    workorders.draft(desk, "Another's", [rights.but(rights=("emergency",))])
    assert told(desk, rights)[0] is Review.OVERLAPS


def test_free_numbers_of_the_own_site_are_suggested(desk):
    found = suggest_numbers(desk, IFEOMA)
    assert found
    assert {number(desk, s.number.e164).site for s in found} == {"wharf-house"}
    assert all(number(desk, s.number.e164).state.value == "available" for s in found)
    line = HolderRef(kind=HolderKind.SERVICE_LINE, id="line-lost-property")
    assert {s.number.site for s in suggest_numbers(desk, line)} == {"canal-museum"}


def test_nobody_gets_no_suggestion(desk):
    assert suggest_numbers(desk, HolderRef(kind=HolderKind.PERSON, id="nobody")) == []
    assert suggest_numbers(desk, HolderRef(kind=HolderKind.SITE, id="nowhere")) == []


def routed(desk, form):
    tasks, title = plan_calls_to(desk, MAIN, form)
    order = workorders.draft(desk, title, tasks)
    assert run_if_clear(desk, order.id) in {None, Review.WARNED}
    return title, tasks


def test_all_calls_of_a_number_speak_one_message(desk):
    title, tasks = routed(desk, {"message": "The museum is closed today."})
    assert title == "Route calls: 0113 496 0100 to a message"
    with desk.reading() as reading:
        path = reading.records.the(PathVersion, tasks[0].path)
    assert path.body["steps"]["announce-1"]["text"] == "The museum is closed today."
    assert number(desk, MAIN).path == path.id
    followed = calls.follow_call(desk, MAIN, None, World())
    assert followed.trace.ending.kind is EndingKind.ANNOUNCED


def test_calls_go_to_an_outside_number_as_typed(desk):
    tasks, title = plan_calls_to(desk, MAIN, {"outside": "0151 496 0400"})
    assert title.endswith("to 0151 496 0400")
    assert tasks[0].body.steps["forward-1"].to == "+441514960400"


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({}, "who"),
        ({"holder": "site:wharf-house"}, "who"),
        ({"path": "school-visits", "message": "Closed."}, "path"),
        ({"outside": "rubbish"}, "outside"),
    ],
)
def test_a_form_that_names_no_one_place_is_refused_beside_its_field(desk, form, field):
    with pytest.raises(NotUnderstood) as refused:
        plan_calls_to(desk, MAIN, form)
    assert refused.value.field == field
