"""Drafts: edited, ordered, timed, temporary, commented, kept as templates; two administrators at
once."""

from datetime import timedelta

import pytest

from sedge.core.changes import changed
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Person, Subject
from sedge.core.supply.offers import Wish
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState, TaskState
from sedge.demo.seed import MEMBERS
from sedge.services.holders import site_management
from sedge.services.supply import ordering, stock_search, supply
from sedge.services.workorders import (
    drafts,
    guided_workflows,
    order_running,
    order_templates,
    order_views,
    workorders,
)
from sedge.services.workorders.checking import check_catalogue
from tests.asserting import every
from tests.conftest import until_quiet
from tests.services.test_work_orders import OTHER, newcomer, number, ref

SPARE = "+441134960162"


def two_set_aside(context):
    return workorders.draft(
        context,
        "test lines",
        [t.SetAside(number=OTHER, reason="test"), t.SetAside(number=SPARE, reason="test")],
    )


def test_tasks_are_moved_taken_out_and_added(context):
    order = two_set_aside(context)
    moved = drafts.move_task(context, order.id, 1, 0)
    assert [x.body.number for x in moved.tasks] == [SPARE, OTHER]
    drafts.add_tasks(context, order.id, [t.LabelNumbers(numbers=(OTHER,), label="spare")])
    drafts.remove_task(context, order.id, 0)
    assert [x.body.kind for x in order_views.view_order(context, order.id).order.tasks] == [
        "set_aside",
        "label_numbers",
    ]


def test_a_task_can_not_be_moved_before_what_it_needs(context):
    person = newcomer(context)
    order = workorders.draft(
        context,
        "x",
        [t.AssignNumber(number=OTHER, holder=ref(person)), t.PlaceTestCall(number=OTHER)],
    )
    with pytest.raises(NotAllowedNow, match="before the other"):
        drafts.move_task(context, order.id, 1, 0)


def test_a_temporary_change_is_put_back_by_a_work_order_of_its_own(installation, context):
    order = two_set_aside(context)
    until = context.now() + timedelta(days=3)
    planned = drafts.make_temporary(context, order.id, 0, until)
    assert [x.body.kind for x in planned.tasks] == ["set_aside", "set_aside", "put_back_later"]
    order_running.run(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert number(context, OTHER).state is State.ADMINISTRATIVE
    back = next(w for w in workorders.list_orders(context) if w.state is OrderState.SCHEDULED)
    assert (back.run_at, back.title.startswith("Put back")) == (until, True)
    until_quiet(installation, timedelta(days=3, minutes=5))
    assert number(context, OTHER).state is State.AVAILABLE
    assert number(context, SPARE).state is State.ADMINISTRATIVE, "only what was temporary"


def test_temporary_is_taken_back_and_follows_its_task_when_others_go(context):
    order = two_set_aside(context)
    drafts.make_temporary(context, order.id, 1, context.now() + timedelta(days=3))
    after = drafts.remove_task(context, order.id, 0)
    assert [(x.body.kind, getattr(x.body, "task", None)) for x in after.tasks] == [
        ("set_aside", None),
        ("put_back_later", 0),
    ]
    assert len(drafts.make_temporary(context, order.id, 0, None).tasks) == 1
    with pytest.raises(NotUnderstood, match="still to come"):
        drafts.make_temporary(context, order.id, 0, context.now())


def test_it_begins_at_its_moment_and_can_be_changed_once_more_before(installation, context):
    order = two_set_aside(context)
    drafts.set_when(context, order.id, run_at=context.now() + timedelta(hours=5))
    assert order_running.run(context, order.id).state is OrderState.SCHEDULED
    assert drafts.back_to_draft(context, order.id).state is OrderState.DRAFT
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(hours=4))
    assert number(context, OTHER).state is State.AVAILABLE
    until_quiet(installation, timedelta(hours=2))
    assert number(context, OTHER).state is State.ADMINISTRATIVE
    with pytest.raises(NotUnderstood):
        drafts.set_when(
            context, two_set_aside(context).id, run_at=context.now() - timedelta(hours=1)
        )


def test_it_begins_when_an_order_has_arrived_and_is_checked_as_if_it_had(installation, context):
    numbers = [
        n.e164
        for n in (
            stock_search.one(context, Wish("GB", area="Leeds", quantity=1), "brackwater")
            .offers[0]
            .numbers
        )
    ]
    ordering.order(
        context, reference="AWAITED", account="brackwater-main", site="wharf-house", numbers=numbers
    )
    until_quiet(installation)
    waiting = next(o for o in supply.open_orders(context) if o.reference == "AWAITED")
    number_ = waiting.lines[0].e164
    person = newcomer(context)
    order = workorders.draft(
        context, "when it is here", [t.AssignNumber(number=number_, holder=ref(person))]
    )
    assert any(
        "on order" in f.message for f in order_views.view_order(context, order.id).report.stops
    )
    drafts.set_when(context, order.id, awaits=waiting.id)
    drafts.add_remedies(context, order.id)
    view = order_views.view_order(context, order.id)
    assert view.runnable, [f.message for f in view.report.stops]
    assert order_running.run(context, order.id).state is OrderState.SCHEDULED
    until_quiet(installation, timedelta(days=2))
    assert number(context, number_).holder == ref(person)
    with pytest.raises(NotUnderstood, match="waited for by nobody"):
        drafts.set_when(context, two_set_aside(context).id, awaits=waiting.id)


def test_people_say_something_of_a_work_order_and_nothing_is_refused_kindly(context):
    order = two_set_aside(context)
    drafts.comment(context, order.id, "  Wait for Marta.  ")
    assert [(c.actor, c.text) for c in drafts.comments(context, order.id)] == [
        (MEMBERS[0].name, "Wait for Marta.")
    ]
    for text in ("", "x" * 2001):
        with pytest.raises(NotUnderstood):
            drafts.comment(context, order.id, text)


def test_a_duplicate_is_a_new_draft_and_an_undo_is_none(installation, context):
    order = two_set_aside(context)
    order_running.run(context, order.id)
    until_quiet(installation)
    again = drafts.duplicate(context, order.id)
    assert (again.state, len(again.tasks)) == (OrderState.DRAFT, 2)
    back = order_running.undo(context, order.id)
    with pytest.raises(NotAllowedNow):
        drafts.duplicate(context, back.id)


def test_a_template_has_slots_for_what_it_names_and_says_when_one_refers_to_nothing(
    installation, context
):
    person, other = newcomer(context), newcomer(context, 1)
    order = workorders.draft(
        context,
        "joiner",
        [t.AssignNumber(number=OTHER, holder=ref(person)), t.PlaceTestCall(number=OTHER)],
    )
    kept = order_templates.keep_as_template(context, order.id, "Our joiner")
    assert [(kind, name) for kind, _, name in kept.slots] == [
        ("number", "0113 496 0160"),
        ("person", person.name),
    ]
    used = order_templates.from_template(context, kept.id, {0: "0113-496 0162", 1: other.id})
    assert [x.body.e164 for x in used.tasks] == [SPARE, SPARE]
    assert used.tasks[0].body.holder == ref(other)
    assert order_templates.from_template(context, kept.id, {1: other.email.upper()}).tasks[
        0
    ].body.holder == ref(other)
    with pytest.raises(NotUnderstood, match="Nobody here is called that") as raised:
        order_templates.from_template(context, kept.id, {1: "person-nobody"})
    assert raised.value.field == "slot-1"
    licence = workorders.draft(
        context, "licence", [t.GrantLicence(holder=ref(person), product="staff-seat")]
    )
    seat = order_templates.keep_as_template(context, licence.id, "A licence")
    where = [kind for kind, _, _ in seat.slots]
    offered = order_templates.choices_of(context, seat)
    assert every(
        (kind in {"person", "number"}) == (options == [])
        for kind, options in zip(where, offered, strict=True)
    )
    with pytest.raises(NotUnderstood, match="called Our joiner already"):
        order_templates.keep_as_template(context, order.id, "Our joiner")
    order_templates.throw_away_template(context, kept.id)
    assert [x.name for x in order_templates.templates(context)] == ["A licence"]


def test_two_who_plan_the_same_see_each_other_and_only_one_wins(installation, context):
    leila = installation.context(MEMBERS[1])
    mine = workorders.draft(
        context, "mine", [t.AssignNumber(number=OTHER, holder=ref(newcomer(context)))]
    )
    theirs = workorders.draft(
        leila, "theirs", [t.AssignNumber(number=OTHER, holder=ref(newcomer(context, 1)))]
    )
    assert [(o.no, o.things) for o in order_views.view_order(context, mine.id).overlaps] == [
        (theirs.no, ["0113 496 0160"])
    ]
    order_running.run(context, mine.id)
    until_quiet(installation)
    with pytest.raises(NotRunnable, match="already"):
        order_running.run(leila, theirs.id)
    assert number(context, OTHER).holder == mine.tasks[0].body.holder


def test_a_draft_that_somebody_else_changed_meanwhile_is_not_overwritten(context):
    order = two_set_aside(context)
    seen = workorders.get(context, order.id)
    drafts.move_task(context, order.id, 1, 0)
    with pytest.raises(ChangedMeanwhile):
        drafts.change_tasks(context, seen, [seen.tasks[0].body])


def test_going_on_without_a_task_lets_what_came_after_it_run(installation, context):
    person = newcomer(context)
    installation.outside.control.set_trunk("leeds-a", up=False)
    order = workorders.draft(
        context,
        "x",
        [
            t.AssignNumber(number=OTHER, holder=ref(person)),
            t.PlaceTestCall(number=OTHER),
            t.LabelNumbers(numbers=(OTHER,), label="Ours"),
        ],
    )
    drafts.add_remedies(context, order.id)
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=40))
    failed = order_views.view_order(context, order.id).order
    assert failed.state is OrderState.FAILED
    position = next(x.position for x in failed.tasks if x.state is TaskState.FAILED)
    order_running.skip_task(context, order.id, position)
    until_quiet(installation)
    done = order_views.view_order(context, order.id).order
    assert (done.state, done.tasks[position].state) == (OrderState.DONE, TaskState.LEFT_OUT)


def test_a_warning_can_be_made_a_stop_and_back(context):
    order = workorders.draft(context, "x", [t.ReleaseNumber(number=OTHER)])
    assert order_views.view_order(context, order.id).runnable
    check_catalogue.raise_rule(context, "life.can-be-released", to_stop=True)
    assert not order_views.view_order(context, order.id).runnable
    check_catalogue.raise_rule(context, "life.can-be-released", to_stop=False)
    assert order_views.view_order(context, order.id).runnable


def test_the_nightly_checks_find_what_a_work_order_would_have_stopped(installation, context):
    check_catalogue.check_everything(context)
    known = {r.name: r.stops + r.warnings for r in check_catalogue.catalogue(context)}
    assert known["assignment.on-trunk-list"] == 1
    holder = number(context, "+441134960100").holder
    with context.writing() as writing:
        person = writing.records.the(Person, holder.id)
        writing.save(
            [changed(Subject.PERSON, person, person.copy_with(rights=()), "person.rights-set")]
        )
    check_catalogue.check_everything(context)
    found, _ = check_catalogue.findings(context, "assignment.calling-rights")
    assert [f.name for f in found] == ["0113 496 0100", "0113 496 0300"], "both numbers of theirs"
    mended = check_catalogue.mend(context, "assignment.calling-rights")
    assert [x.body.kind for x in mended.tasks] == ["set_calling_rights"]


def test_the_usual_work_becomes_work_orders_that_run(installation, context):
    tasks, title = guided_workflows.plan(
        context,
        "joiner",
        {
            "name": "Tamsin Quill",
            "email": "tamsin.quill@lanternfield.example",
            "site": "canal-museum",
            "extension": "199",
            "spot": "CNL-001-E",
            "number": guided_workflows.FIRST_FREE,
            "prove": "1",
        }
        | _spot(context, "canal-museum"),
    )
    order = workorders.draft(context, title, tasks)
    drafts.add_remedies(context, order.id)
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=40))
    done = order_views.view_order(context, order.id).order
    assert done.state is OrderState.DONE, [(x.body.kind, x.error) for x in done.tasks]
    person = tasks[0].id
    tasks, title = guided_workflows.plan(context, "leaver", {"person": person})
    order = workorders.draft(context, title, tasks)
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=5))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    with pytest.raises(NotUnderstood, match="has left already"):
        guided_workflows.plan(context, "leaver", {"person": person})


def _spot(context, site):
    return {"spot": next(s.id for s in site_management.spots_of(context, site) if not s.whole)}


def test_two_people_exchange_their_numbers(installation, context):
    one, two = number(context, "+441134960100").holder, number(context, "+441134960101").holder
    tasks, title = guided_workflows.plan(
        context, "exchange", {"person": one.id, "other": f"person:{two.id}"}
    )
    order = order_running.run_now(context, title, tasks)
    until_quiet(installation, timedelta(minutes=40))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert (number(context, "+441134960100").holder, number(context, "+441134960101").holder) == (
        two,
        one,
    )
    back = order_running.undo(context, order.id)
    until_quiet(installation, timedelta(minutes=5))
    assert [x.error for x in workorders.get(context, back.id).tasks if x.error] == []
    assert number(context, "+441134960100").holder == one


@pytest.mark.parametrize(
    ("key", "form", "field"),
    [
        ("joiner", {}, "name"),
        ("joiner", {"name": "A", "email": "x"}, "email"),
        ("joiner", {"name": "A", "email": "a@b.example"}, "site"),
        (
            "joiner",
            {"name": "A", "email": "a@b.example", "site": "wharf-house", "extension": "12a"},
            "extension",
        ),
        ("leaver", {"person": "nobody"}, "person"),
        ("exchange", {"person": "person-ifeoma-okafor", "other": "person-ifeoma-okafor"}, "other"),
        ("season", {}, "until"),
        ("season", {"until": "soon"}, "until"),
        ("nothing", {}, "template"),
    ],
)
def test_what_is_missing_is_named_by_its_field(context, key, form, field):
    with pytest.raises(NotUnderstood) as raised:
        guided_workflows.plan(context, key, form)
    assert raised.value.field == field
