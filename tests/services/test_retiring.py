"""Retiring at the desk: one number with all that depends on it, the Hamburg hall, and the yearly
tidy-up."""

from datetime import timedelta

import pytest

from sedge.core.callpaths.tracing.world import EndingKind, World
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Grant, HolderKind, HolderRef, Number, Person
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.retiring import cleanup_review, quarantine, retiring, site_closure
from sedge.services.workorders import order_running, order_views, workorders
from tests.asserting import every
from tests.conftest import until_quiet
from tests.services.test_holders import some_people
from tests.services.test_work_orders import number, ref

HALL = "harbour-loft"


def ran(installation, context, tasks, title, span=timedelta(0)):
    order = workorders.draft(context, title, tasks)
    stops = order_views.view_order(context, order.id).report.stops
    assert not stops, [f.message for f in stops]
    order_running.run(context, order.id)
    until_quiet(installation, span)
    return workorders.get(context, order.id)


def test_a_number_others_show_and_fall_back_to_is_settled_before_it_goes(installation, context):
    one, other = some_people(context, 2)
    with context.reading() as reading:
        mine = next(n for n in reading.records.held_by(Number, [ref(one)]))
    order_running.run_now(
        context,
        "caller ID",
        [
            t.SetCallerId(holder=ref(other), shows="number", caller_id=mine.e164),
            t.SetFallback(number="+441134960301", to=mine.e164),
        ],
    )
    until_quiet(installation)
    view = retiring.depends_on(context, mine.e164)
    assert {
        f"Fallback of {number(context, '+441134960301').national}",
        f"{other.name}’s calls out",
    } <= {d.what for d in view.grave}
    tasks, title = retiring.plan(
        context, mine.e164, then="rest", rest="10", announcement="Please call 0113 496 0190."
    )
    order = ran(installation, context, tasks, title, timedelta(minutes=5))
    assert order.state is OrderState.RUNNING, "it waits for the rest"
    rests = number(context, mine.e164)
    assert (rests.state, rests.announcement) == (State.AGING, "Please call 0113 496 0190.")
    heard = context.outside.telephony.call_in(mine.e164, [])
    assert (heard.ended, "Please call 0113 496 0190." in heard.heard) == ("announced", True)
    assert number(context, "+441134960301").fallback == ""
    until_quiet(installation, timedelta(days=11))
    assert workorders.get(context, order.id).state is OrderState.DONE
    assert number(context, mine.e164).state is State.RELEASED


def test_the_trace_of_a_resting_number_agrees_with_what_is_heard(installation, context):
    from sedge.services.callpaths import calls

    order_running.run_now(
        context,
        "take back",
        [
            t.UnassignNumber(
                number="+441134960101", rest=30, announcement="Nobody is here any more."
            )
        ],
    )
    until_quiet(installation)
    heard = context.outside.telephony.call_in("+441134960101", [])
    assert heard.ended == "announced"
    followed = calls.follow_call(context, "+441134960101", None, World())
    assert followed.trace.ending.kind is EndingKind.ANNOUNCED


def test_a_rest_that_is_ended_early_ends_the_announcement(installation, context):
    order_running.run_now(
        context,
        "take back",
        [t.UnassignNumber(number="+441134960101", rest=30, announcement="Nobody is here.")],
    )
    until_quiet(installation)
    order_running.run_now(
        context, "needed", [t.EndRest(number="+441134960101", reason="needed again")]
    )
    until_quiet(installation)
    assert (
        number(context, "+441134960101").announcement,
        number(context, "+441134960101").state,
    ) == (
        "",
        State.AVAILABLE,
    )
    assert context.outside.telephony.call_in("+441134960101", []).ended == "rejected"


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({"then": "burn"}, "then"),
        ({"then": "rest", "rest": "soon"}, "rest"),
        ({"then": "rest", "announcement": "x" * 301}, "announcement"),
    ],
)
def test_bad_wishes_name_their_field(context, form, field):
    with pytest.raises(NotUnderstood) as refused:
        retiring.plan(context, "+441134960100", **form)
    assert refused.value.field == field


def test_keeping_what_is_free_already_changes_nothing(context):
    with pytest.raises(NotAllowedNow, match="available already"):
        retiring.plan(context, "+441134960160", then="keep")


# ── the hall ──


def test_the_hall_is_closed_with_money_terms_and_seats(installation, context):
    view = site_closure.view_closing(context, HALL)
    assert (len(view.numbers), view.by_state[State.ASSIGNED], len(view.people), view.beyond) == (
        40,
        9,
        6,
        0,
    )
    release, rest, keep = view.sums
    assert release.saves[0].amount > rest.saves[0].amount > keep.saves[0].amount == 0
    assert release.last == view.last_term, "minimum terms are paid to their end"
    assert view.idle == {"Home calling": 6, "Staff seat": 6, "Reception permit": 2}
    tasks, title = site_closure.plan(
        context, HALL, then="rest", announcement=view.announcement, people="leave"
    )
    order = ran(installation, context, tasks, title, timedelta(minutes=30))
    with context.reading() as reading:
        numbers = reading.records.many(Number, [n.e164 for n in view.numbers])
        people = reading.records.many(Person, [p.id for p in view.people])
        grants = reading.records.held_by(
            Grant, [HolderRef(kind=HolderKind.PERSON, id=p.id) for p in people]
        )
    assert every(p.left for p in people)
    assert not [g for g in grants if g.until is None]
    assert {n.state for n in numbers} == {State.AGING, State.RELEASED}
    assert "Harbour Loft is closed" in context.outside.telephony.call_in("+494066969700", []).heard
    until_quiet(installation, timedelta(days=91))
    assert workorders.get(context, order.id).state is OrderState.DONE
    with context.reading() as reading:
        assert {n.state for n in reading.records.many(Number, [n.e164 for n in view.numbers])} == {
            State.RELEASED
        }
    assert site_closure.view_closing(context, HALL).numbers == []
    with pytest.raises(NotAllowedNow, match="Nothing is left"):
        site_closure.plan(context, HALL, then="release")


def test_people_of_a_closing_site_move_with_their_spots(installation, context):
    tasks, _ = site_closure.plan(context, HALL, then="release", people="spree-depot")
    moves = [x for x in tasks if isinstance(x, t.ChangePerson)]
    spots = [x for x in tasks if isinstance(x, t.SetSpot)]
    assert (len(moves), len(spots), {m.site for m in moves}) == (6, 6, {"spree-depot"})
    for wrong in ("nowhere", HALL):
        with pytest.raises(NotUnderstood) as refused:
            site_closure.plan(context, HALL, then="release", people=wrong)
        assert refused.value.field == "people"


# ── the tidy-up ──


def test_the_tidy_up_finds_numbers_by_why_each_once(installation, context):
    one = some_people(context, 1)[0]
    order_running.run_now(
        context,
        "a second one",
        [t.AssignNumber(number="+441134960160", holder=ref(one), role="extra")],
    )
    until_quiet(installation)
    view = cleanup_review.tidy_up(context)
    heaps = {h.key: h for h in view.heaps}
    assert {"uncalled", "double", "idle"} <= set(heaps)
    listed = [row.number.e164 for h in view.heaps for row in h.rows]
    assert len(listed) == len(set(listed))
    assert "+441134960160" in listed
    assert not any(
        row.number.holder and row.number.holder.kind is HolderKind.SITE
        for h in view.heaps
        for row in h.rows
        if h.key == "uncalled"
    )
    assert every(m.amount > 0 for m in view.saves)
    with pytest.raises(NotUnderstood) as refused:
        cleanup_review.tidy_up(context, "3")
    assert refused.value.field == "days"


def test_what_is_chosen_is_retired_by_one_work_order(installation, context):
    view = cleanup_review.tidy_up(context)
    idle = next(h for h in view.heaps if h.key == "idle")
    chosen = [row.number.e164 for row in idle.rows[:3]]
    tasks, title = cleanup_review.plan(context, chosen, then="release")
    assert title == "Tidy up: 3 numbers"
    assert ran(installation, context, tasks, title, timedelta(minutes=5)).state is OrderState.DONE
    assert {number(context, n).state for n in chosen} == {State.RELEASED}
    for numbers, then, field in (([], "rest", "numbers"), (chosen, "burn", "then")):
        with pytest.raises(NotUnderstood) as refused:
            cleanup_review.plan(context, numbers, then=then)
        assert refused.value.field == field


def test_a_silent_telephone_system_leaves_the_rest(installation, context):
    context.outside.control.order_fault({"service": "telephony", "fault": "error", "count": 5})
    view = cleanup_review.tidy_up(context, days="400")  # the call records reach back less
    assert view.silent
    assert "uncalled" not in {h.key for h in view.heaps}
    assert not cleanup_review.tidy_up(context, days="60").silent


# ── days of rest ──


def test_days_of_rest_are_set_by_country_and_kind(installation, context):
    before = {r.country: (r.days, r.toll_free, r.own) for r in quarantine.list_rests(context)}
    assert before["GB"] == (90, 120, False)
    quarantine.set_rest(context, "GB", days="45", toll_free="")
    assert {r.country: (r.days, r.toll_free, r.own) for r in quarantine.list_rests(context)}[
        "GB"
    ] == (
        45,
        120,
        True,
    )
    order_running.run_now(
        context,
        "take back",
        [t.UnassignNumber(number="+441134960101"), t.UnassignNumber(number="+494066969701")],
    )
    until_quiet(installation)
    days = {
        n: (number(context, n).state_until - context.now()).days
        for n in ("+441134960101", "+494066969701")
    }
    assert (days["+441134960101"], days["+494066969701"]) in {(44, 89), (45, 90)}
    assert retiring.depends_on(context, "+441134960102").rest_days == 45
    for wrong, field in (({"days": "soon"}, "days"), ({"toll_free": "4000"}, "toll_free")):
        with pytest.raises(NotUnderstood) as refused:
            quarantine.set_rest(context, "GB", **{"days": "", "toll_free": "", **wrong})
        assert refused.value.field == field
    with pytest.raises(NotUnderstood):
        quarantine.set_rest(context, "XX", days="1", toll_free="1")
    assert quarantine.set_rest(context, "GB", days="", toll_free="")[1].own is False
