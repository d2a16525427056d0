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
from sedge.services.holders import holders
from sedge.services.workorders import drafts, order_running, order_views, runner, workorders
from sedge.services.workorders.at_once import run_if_clear
from sedge.services.workorders.planner.suggestions import suggest_numbers
from tests.asserting import every

IFEOMA = HolderRef(kind=HolderKind.PERSON, id="person-ifeoma-okafor")
MAIN = "+441134960100"


def told(context, *tasks):
    order = workorders.draft(context, "A change", tasks, look=True)
    reason = run_if_clear(context, order.id)
    return reason, workorders.get(context, order.id)


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def test_what_is_clear_runs_at_once_and_can_be_undone(context):
    rights = t.SetCallingRights(holder=IFEOMA, rights=("internal", "emergency"))
    reason, order = told(context, rights)
    assert reason is None
    assert order.state is OrderState.DONE
    undone = runner.finish(context, order_running.undo(context, order.id))
    assert undone.state is OrderState.DONE


def test_what_a_check_stops_stays_a_draft(context):
    taken = t.AssignNumber(number=MAIN, holder=HolderRef(kind="person", id="person-fergus-brandt"))
    reason, order = told(context, taken)
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
def test_what_is_for_good_or_spends_is_reviewed(context, task, reason):
    found, order = told(context, task)
    assert found in reason
    assert order.state is OrderState.DRAFT


def test_what_another_work_order_concerns_too_is_reviewed(context):
    rights = t.SetCallingRights(holder=IFEOMA, rights=("internal", "emergency"))
    workorders.draft(context, "Another's", [rights.copy_with(rights=("emergency",))])
    assert told(context, rights)[0] is Review.OVERLAPS


def test_free_numbers_of_the_own_site_are_suggested(context):
    found = suggest_numbers(context, IFEOMA)
    assert found
    assert {number(context, s.number.e164).site for s in found} == {"wharf-house"}
    assert every(number(context, s.number.e164).state.value == "available" for s in found)
    line = HolderRef(kind=HolderKind.SERVICE_LINE, id="line-lost-property")
    assert {s.number.site for s in suggest_numbers(context, line)} == {"canal-museum"}


def test_nobody_gets_no_suggestion(context):
    assert suggest_numbers(context, HolderRef(kind=HolderKind.PERSON, id="nobody")) == []
    assert suggest_numbers(context, HolderRef(kind=HolderKind.SITE, id="nowhere")) == []


def routed(context, form):
    tasks, title = plan_calls_to(context, MAIN, form)
    order = workorders.draft(context, title, tasks)
    assert run_if_clear(context, order.id) in {None, Review.WARNED}
    return title, tasks


def test_all_calls_of_a_number_speak_one_message(context):
    title, tasks = routed(context, {"message": "The museum is closed today."})
    assert title == "Route calls: 0113 496 0100 to a message"
    with context.reading() as reading:
        path = reading.records.the(PathVersion, tasks[0].path)
    assert path.body["steps"]["announce-1"]["text"] == "The museum is closed today."
    assert number(context, MAIN).path == path.id
    followed = calls.follow_call(context, MAIN, None, World())
    assert followed.trace.ending.kind is EndingKind.ANNOUNCED


def test_the_same_place_again_takes_the_path_that_is_there(context):
    form = {"message": "The museum is closed today."}
    _, (publish, _) = routed(context, form)
    again, _ = plan_calls_to(context, "+441134960110", form)
    assert [(x.kind, x.path) for x in again] == [("set_path", publish.path)]
    other, _ = plan_calls_to(context, MAIN, {"message": "Closed on Monday."})
    assert [x.kind for x in other] == ["publish_path", "set_path"]


def test_calls_go_to_an_outside_number_as_typed(context):
    tasks, title = plan_calls_to(context, MAIN, {"outside": "0151 496 0400"})
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
def test_a_form_that_names_no_one_place_is_refused_beside_its_field(context, form, field):
    with pytest.raises(NotUnderstood) as refused:
        plan_calls_to(context, MAIN, form)
    assert refused.value.field == field


def newcomers_without_spot(context, count):
    """People who have just been added, and a draft that gives each a number."""
    newcomers = [
        holders.add_person(
            context, name=f"Nova {n}", email=f"nova{n}@lanternfield.example", site="wharf-house"
        )
        for n in range(count)
    ]
    refs = [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in newcomers]
    free = [s.number.e164 for s in suggest_numbers(context, refs[0])][:count]
    tasks = [t.AssignNumber(number=n, holder=r) for n, r in zip(free, refs, strict=True)]
    return newcomers, workorders.draft(context, "Newcomers", tasks)


def test_one_judgement_counts_for_all_who_lack_the_same(context):
    newcomers = [
        holders.add_person(
            context,
            name=f"Nova Lind {n}",
            email=f"nova{n}@lanternfield.example",
            site="wharf-house",
        )
        for n in range(3)
    ]
    refs = [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in newcomers]
    free = [s.number.e164 for s in suggest_numbers(context, refs[0])][:3]
    tasks = [t.AssignNumber(number=n, holder=r) for n, r in zip(free, refs, strict=True)]
    order = workorders.draft(context, "Three newcomers", tasks)
    stops = order_views.view_order(context, order.id).report.stops
    lacking = [f for f in stops if any(r.for_all for r in f.remedies)]
    assert {f.task for f in lacking} == {0, 1, 2}
    rule = lacking[0].rule
    place = next(i for i, r in enumerate(lacking[0].remedies) if r.for_all)
    mended = drafts.choose_remedy(context, order.id, 1, rule, place, for_all=True)
    kinds = [x.body.kind for x in mended.tasks]
    assert kinds.count("set_spot") == 3
    assert {x.body.person for x in mended.tasks if x.body.kind == "set_spot"} == {
        p.id for p in newcomers
    }
    left = order_views.view_order(context, order.id).report
    assert not [f for f in left.stops if f.rule == rule]
    for stored in mended.tasks:
        if stored.added_as_remedy_for is not None:
            mends = mended.tasks[stored.added_as_remedy_for].body
            assert mends.holder.id == stored.body.person


def test_one_judgement_may_be_for_one_alone(context):
    newcomers = [
        holders.add_person(
            context,
            name=f"Nova Lind {n}",
            email=f"nova{n}@lanternfield.example",
            site="wharf-house",
        )
        for n in range(2)
    ]
    refs = [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in newcomers]
    free = [s.number.e164 for s in suggest_numbers(context, refs[0])][:2]
    tasks = [t.AssignNumber(number=n, holder=r) for n, r in zip(free, refs, strict=True)]
    order = workorders.draft(context, "Two newcomers", tasks)
    report = order_views.view_order(context, order.id).report
    found = next(f for f in report.stops if any(r.for_all for r in f.remedies))
    place = next(i for i, r in enumerate(found.remedies) if r.for_all)
    mended = drafts.choose_remedy(context, order.id, found.task, found.rule, place)
    assert [x.body.kind for x in mended.tasks].count("set_spot") == 1
