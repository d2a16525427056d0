"""Work orders at the desk, on the demo's data, with stand-ins over real HTTP."""

from dataclasses import replace
from datetime import timedelta

import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.errors import ChangedMeanwhile, Forbidden, NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.facts import money, to_canonical_json
from sedge.core.numbers.life import State
from sedge.core.records import HolderKind, HolderRef, Number, Person, Subscription
from sedge.core.spend.costs import CostKind
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState, TaskState
from sedge.demo.seed import MEMBERS
from sedge.services import simulation_clock
from sedge.services.apply_now import apply_at_once
from sedge.services.ledger import ledger
from sedge.services.spend import costs, order_costs
from sedge.services.workorders import drafts, order_running, runner, workorders
from sedge.store.schema import tables
from tests.conftest import until_quiet

FREE, OTHER = "+441134960311", "+441134960160"


def newcomer(context, place=0):
    """People in the demo who have neither number nor licence but a spot."""
    with context.reading() as reading:
        people = [
            p for p in reading.records.where(Person, order_by=tables.person.c.extension) if p.spot
        ]
        held = {n.holder.id for n in reading.records.held_by(Number, [ref(p) for p in people])}
    return [p for p in people if p.id not in held][place]


def ref(person):
    return HolderRef(kind=HolderKind.PERSON, id=person.id)


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def snapshot(context):
    """The whole estate but for versions, ledger, mails, work orders and what the carrier was
    told."""
    with context.reading() as reading:
        from sedge.core.records import Grant, Subscription

        records = [r for kind in (Number, Person, Subscription) for r in reading.records.all(kind)]
        records += [g for g in reading.records.all(Grant) if g.until is None]
    plain = [r.copy_with(registered_spot=None) if isinstance(r, Number) else r for r in records]
    return sorted(to_canonical_json(r.copy_with(version=0)) for r in plain)


def assigned(context, e164=FREE, place=0):
    person = newcomer(context, place)
    order = workorders.draft(context, "joiner", [t.AssignNumber(number=e164, holder=ref(person))])
    return person, order


def test_a_joiner_gets_a_number_with_everything_it_needs(installation, context):
    person, order = assigned(context)
    assert not order_costs.view_order(context, order.id).runnable
    drafts.add_remedies(context, order.id)
    assert order_costs.view_order(context, order.id).runnable
    order_running.run(context, order.id)
    until_quiet(installation)
    waiting = order_costs.view_order(context, order.id)
    assert waiting.order.state is OrderState.RUNNING
    assert [x.stored.waits_for for x in waiting.tasks if x.stored.state is TaskState.WAITING] == [
        "Home calling to work"
    ]
    until_quiet(installation, timedelta(minutes=20))
    done = order_costs.view_order(context, order.id)
    assert done.order.state is OrderState.DONE
    assert number(context, FREE).holder == ref(person)
    mails = [
        m
        for m in installation.outside.mail.mailbox()
        if "joiner" in m["subject"] or m["to"] == person.email
    ]
    assert {m["to"] for m in mails} == {person.email, MEMBERS[0].email}


def test_a_stopped_work_order_does_not_run(context):
    _, order = assigned(context)
    with pytest.raises(NotRunnable) as raised:
        order_running.run(context, order.id)
    assert raised.value.facts["stops"]
    assert number(context, FREE).state is State.AVAILABLE


def test_undo_gives_the_estate_as_before(installation, context):
    before = snapshot(context)
    _, order = assigned(context)
    drafts.add_remedies(context, order.id)
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=20))
    assert snapshot(context) != before
    back = order_running.undo(context, order.id)
    until_quiet(installation)
    assert order_costs.view_order(context, back.id).order.state is OrderState.DONE
    assert order_costs.view_order(context, order.id).order.state is OrderState.UNDONE
    assert snapshot(context) == before
    assert (
        order_running.undo(context, order.id).id == back.id
        if order_costs.view_order(context, order.id).order.state is OrderState.DONE
        else True
    )


def test_undo_says_who_changed_what_since_and_changes_nothing(installation, context):
    _, order = assigned(context, OTHER)
    order_running.run(context, order.id)
    until_quiet(installation)
    apply_at_once(context, [t.LabelNumbers(numbers=(OTHER,), label="mine")])
    with pytest.raises(NotRunnable, match="changed since"):
        order_running.undo(context, order.id)
    assert number(context, OTHER).state is State.ASSIGNED


def test_running_twice_is_the_same_as_running_once(installation, context):
    _, order = assigned(context, OTHER)
    assert order_running.run(context, order.id).state is order_running.run(context, order.id).state
    until_quiet(installation)
    assert (
        len(
            [
                e
                for e in ledger.read(context, key=OTHER, limit=50).entries
                if e.action == "number.assigned"
            ]
        )
        == 1
    )


def test_two_people_assigning_one_number_the_second_is_told(installation, context):
    other_context = installation.context(MEMBERS[1])
    first, one = assigned(context, OTHER)
    second, two = assigned(other_context, OTHER, place=1)
    assert first != second
    order_running.run(context, one.id)
    order_running.run(other_context, two.id)
    until_quiet(installation)
    assert order_costs.view_order(context, one.id).order.state is OrderState.DONE
    lost = order_costs.view_order(context, two.id)
    assert lost.order.state is OrderState.FAILED
    assert first.name in lost.tasks[0].stored.error
    assert number(context, OTHER).holder == ref(first)


def test_a_change_planned_on_an_old_version_is_refused_and_names_who_was_faster(
    installation, context
):
    from sedge.core.changes import changed
    from sedge.core.records import Subject

    old = number(context, OTHER)
    with installation.context(MEMBERS[1]).writing() as writing:
        writing.save(
            [changed(Subject.NUMBER, old, old.copy_with(label="theirs"), "number.labelled")]
        )
    with pytest.raises(ChangedMeanwhile, match=MEMBERS[1].name), context.writing() as writing:
        writing.save([changed(Subject.NUMBER, old, old.copy_with(label="ours"), "number.labelled")])
    assert number(context, OTHER).label == "theirs"


def test_without_the_guard_the_first_change_would_be_lost(installation, context):
    """The twin of the test above: read and write in two transactions without comparing versions
    loses one label."""
    from sqlalchemy import update

    old = number(context, OTHER)
    for label in ("theirs", "ours"):
        with context.writing() as writing:
            body = to_canonical_json(old.copy_with(label=label))
            writing.connection.execute(
                update(tables.life).where(tables.life.c.id == old.id).values(body=body)
            )
    assert number(context, OTHER).label == "ours"


def test_the_schema_keeps_one_main_number_per_holder(context):
    with context.reading() as reading:
        holder = reading.records.the(Number, "+441134960100").holder
    with pytest.raises(NotAllowedNow) as raised:
        apply_at_once(context, [t.AssignNumber(number=OTHER, holder=holder)])
    assert raised.value.reason == "role-taken"


def test_the_schema_never_gives_out_more_seats_than_were_bought(context):
    from sqlalchemy import update

    with context.writing() as writing, pytest.raises(Exception, match="seats_enough"):
        writing.connection.execute(
            update(tables.subscription).values(used=tables.subscription.c.seats + 1)
        )


def test_a_failed_task_can_be_tried_again(installation, context):
    _, order = assigned(context, OTHER)
    installation.outside.control.order_fault(
        {"service": "telephony", "fault": "reject", "count": 1}
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    failed = order_costs.view_order(context, order.id)
    assert failed.order.state is OrderState.FAILED
    assert "refused" in failed.tasks[0].stored.error
    order_running.try_again(context, order.id)
    until_quiet(installation)
    assert order_costs.view_order(context, order.id).order.state is OrderState.DONE


def test_a_silent_service_is_asked_again_with_growing_pauses(installation, context):
    _, order = assigned(context, OTHER)
    installation.outside.control.order_fault({"service": "telephony", "fault": "error", "count": 3})
    order_running.run(context, order.id)
    runner.tick(installation)
    waiting = order_costs.view_order(context, order.id).tasks[0].stored
    assert waiting.state is TaskState.WAITING
    assert "does not answer" in waiting.waits_for
    until_quiet(installation, timedelta(minutes=2))
    assert order_costs.view_order(context, order.id).order.state is OrderState.DONE


def test_a_work_order_can_be_stopped_and_what_waits_is_skipped(installation, context):
    _, order = assigned(context)
    drafts.add_remedies(context, order.id)
    order_running.run(context, order.id)
    runner.tick(installation)
    order_running.stop_order(context, order.id)
    until_quiet(installation, timedelta(hours=1))
    stopped = order_costs.view_order(context, order.id)
    assert stopped.order.state is OrderState.STOPPED
    assert [x.stored.state for x in stopped.tasks][-1] is TaskState.SKIPPED
    assert number(context, FREE).state is State.AVAILABLE


def test_a_work_order_runs_at_its_moment(installation, context):
    person = newcomer(context)
    moment = context.now() + timedelta(days=3)
    order = workorders.draft(
        context, "first day", [t.AssignNumber(number=OTHER, holder=ref(person))], run_at=moment
    )
    assert order_running.run(context, order.id).state is OrderState.SCHEDULED
    until_quiet(installation, timedelta(days=2))
    assert number(context, OTHER).state is State.AVAILABLE
    until_quiet(installation, timedelta(days=1, minutes=1))
    assert number(context, OTHER).holder == ref(person)


def test_rest_and_reservation_lapse_by_themselves(installation, context):
    apply_at_once(
        context,
        [t.ReserveNumber(number=OTHER, until=context.now() + timedelta(days=2), reason="perhaps")],
    )
    until_quiet(installation, timedelta(days=1))
    assert number(context, OTHER).state is State.RESERVED
    until_quiet(installation, timedelta(days=1, minutes=1))
    assert number(context, OTHER).state is State.AVAILABLE


def test_a_chosen_remedy_is_applied_to_its_task(installation, context):
    from sedge.store.repositories.records import is_open

    with context.reading() as reading:
        aging = reading.records.where(Number, tables.life.c.state == "aging", is_open(), limit=1)[0]
    person = newcomer(context)
    order = workorders.draft(
        context, "again", [t.AssignNumber(number=aging.e164, holder=ref(person))]
    )
    finding = next(
        f
        for f in order_costs.view_order(context, order.id).report.stops
        if f.rule == "assignment.number-is-free"
    )
    end = next(i for i, r in enumerate(finding.remedies) if isinstance(r.tasks[0], t.EndRest))
    drafts.choose_remedy(context, order.id, 0, finding.rule, end, reason="needed today")
    view = order_costs.view_order(context, order.id)
    assert [x.stored.body.kind for x in view.tasks] == ["end_rest", "assign_number"]
    assert view.tasks[0].stored.body.reason == "needed today"
    assert view.runnable


def test_tasks_can_be_added_and_taken_out_of_a_draft(context):
    _, order = assigned(context, OTHER)
    drafts.add_task(context, order.id, {"kind": "place_test_call", "number": "0113 496 0160"})
    assert [x.stored.body.kind for x in order_costs.view_order(context, order.id).tasks] == [
        "assign_number",
        "place_test_call",
    ]
    drafts.remove_task(context, order.id, 0)
    assert [x.stored.body.kind for x in order_costs.view_order(context, order.id).tasks] == [
        "place_test_call"
    ]
    with pytest.raises(NotAllowedNow):
        drafts.remove_task(context, order.id, 0)


@pytest.mark.parametrize(
    ("raw", "field"),
    [
        ([], "tasks"),
        ("x", "tasks"),
        ([{"kind": "nonsense"}], "tasks.0"),
        (
            [{"kind": "assign_number", "number": "0113", "holder": {"kind": "person", "id": "x"}}],
            "tasks.0.number",
        ),
        ([{"kind": "end_rest", "number": "0113 496 0160", "reason": ""}], "tasks.0.reason"),
        ([5], "tasks.0"),
        ([{"kind": "put_back", "of": "x", "snapshots": []}], "tasks.0.kind"),
    ],
)
def test_bad_tasks_name_their_field(context, raw, field):
    with pytest.raises(NotUnderstood) as raised:
        workorders.read_tasks(context, raw)
    assert raised.value.field == field


def test_a_site_manager_plans_for_their_own_sites_only(installation, context):
    manager = installation.context(MEMBERS[5])
    with context.reading() as reading:
        theirs, others = (
            newcomer(context),
            next(p for p in reading.records.all(Person) if p.site == "canal-museum"),
        )
    workorders.draft(manager, "ours", [t.AssignNumber(number=OTHER, holder=ref(theirs))])
    with pytest.raises(Forbidden):
        workorders.draft(manager, "theirs", [t.AssignNumber(number=OTHER, holder=ref(others))])


def test_a_help_desk_does_not_plan(installation, context):
    with pytest.raises(Forbidden):
        workorders.draft(installation.context(MEMBERS[2]), "no", [t.SetAside(number=OTHER)])


def test_the_system_acts_under_its_own_name(installation, context):
    assert replace(context).as_system().actor == "Sedge"
    before = simulation_clock.stored_offset(installation)
    simulation_clock.advance(installation, timedelta(minutes=7))
    moved = (
        simulation_clock.stored_offset(installation) - before
    )  # less the real time it took to get there
    assert timedelta(minutes=6, seconds=30) < moved <= timedelta(minutes=7)


def test_the_ledger_holds_after_all_that(installation, context):
    _, order = assigned(context)
    drafts.add_remedies(context, order.id)
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(hours=1))
    count, broken = ledger.verify(context)
    assert (count > 500, broken) == (True, None)


def bought_and_granted(context):
    """A seat more than there are, for a newcomer with a number."""
    _, order = assigned(context)
    drafts.add_remedies(context, order.id)
    drafts.add_task(context, order.id, t.BuySeats(product="staff-seat", seats=2))
    return order


def released(context):
    return workorders.draft(context, "x", [t.ReleaseNumber(number="+441134960312")])


def with_texts(context):
    return workorders.draft(context, "x", [t.SetFeature(number="+441134960142", feature="texts")])


@pytest.mark.parametrize(
    ("drafted", "sign"), [(bought_and_granted, 1), (assigned, 0), (released, -1), (with_texts, 1)]
)
def test_what_a_work_order_costs_each_month_is_what_spend_says_afterwards(
    installation, context, drafted, sign
):
    made = drafted(context)
    order = made[1] if isinstance(made, tuple) else made
    drafts.add_remedies(context, order.id)
    before = costs.fixed_monthly(context)["GBP"]
    view = order_costs.view_order(context, order.id)
    [(now, then)] = view.monthly_before_and_after or [(before, before)]
    assert now == before
    assert (then - now).amount.compare(0) == sign
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(hours=3))
    assert costs.fixed_monthly(context)["GBP"] == then
    assert order_costs.view_order(context, order.id).monthly_before_and_after == []


def test_a_seat_at_a_site_that_pays_in_euros_costs_euros(installation, context):
    """Taken back in Hamburg, it is one of the spare ones, which are paid for in pounds."""
    holder = HolderRef(kind=HolderKind.PERSON, id="person-enno-petersen")
    tasks = [
        t.UnassignNumber(number="+494066969706"),
        t.RevokeLicence(holder=holder, product="home-calling"),
        t.RevokeLicence(holder=holder, product="staff-seat"),
    ]
    order = workorders.draft(context, "x", tasks)
    before = costs.fixed_monthly(context)
    view = order_costs.view_order(context, order.id)
    assert {c: str(sums.amount) for c, sums in view.costs.monthly.items()} == {
        "EUR": "-11.10",  # 3.60 and 7.50
        "GBP": "9.50",  # 3.10 and 6.40
    }
    assert view.costs.stays_paid == {}
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(hours=3))
    after = costs.fixed_monthly(context)
    assert after["GBP"] - before["GBP"] == money("9.50", "GBP")
    assert after["EUR"] - before["EUR"] == money("-11.10", "EUR")


def test_cancelled_seats_cost_until_their_term_is_over(installation, context):
    with context.reading() as reading:
        seats = next(s for s in reading.records.all(Subscription) if s.renews_on and s.seats)
    order = workorders.draft(context, "x", [t.CancelSeats(subscription=seats.id, seats=1)])
    view = order_costs.view_order(context, order.id)
    [(begins, less)] = view.costs.later
    assert begins == seats.renews_on
    assert view.costs.monthly == {}
    ends = costs.Month.of(begins)
    months = [ends.later(-1), ends.later(1)]

    def seats_cost():
        return [
            sum(x.amount for x in costs.lines_of(context, m) if x.kind is CostKind.SEATS)
            for m in months
        ]

    before, gone_on = seats_cost()
    order_running.run(context, order.id)
    until_quiet(installation)
    assert seats_cost() == [before, gone_on + less.amount]


def test_a_seat_that_is_there_costs_nothing_more_and_one_that_comes_free_goes_on(context):
    person, order = assigned(context)
    drafts.add_remedies(context, order.id)
    found = order_costs.view_order(context, order.id).costs
    assert found.monthly == {}
    assert found.paid_already["GBP"].amount > 0
    back = workorders.draft(
        context, "x", [t.RevokeLicence(holder=ref(person), product="staff-seat")]
    )
    assert order_costs.view_order(context, back.id).costs.monthly == {}


def test_who_sees_no_money_is_told_nothing_of_what_all_costs(installation, context):
    _, order = assigned(context)
    drafts.add_remedies(context, order.id)
    helper = next(m for m in MEMBERS if m.role is AccessRole.HELP_DESK)
    assert order_costs.view_order(installation.context(helper), order.id).monthly_now == {}
