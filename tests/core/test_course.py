"""From when the tasks of a work order work, told as stops one after the other."""

from datetime import timedelta
from decimal import Decimal

import pytest

from sedge.core import records as e
from sedge.core.numbers.life import State
from sedge.core.supply.records import FeatureTerms
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check
from sedge.core.workorders.course import Stop, course_of
from sedge.core.workorders.task_base import OutputOf
from tests.conftest import NOW


def minutes(count):
    return NOW + timedelta(minutes=count)


def course(estate, *tasks, begins=NOW, done=None):
    """The stops as the draft of these tasks would show them."""
    report = check(list(tasks), estate.build())
    after = dict(report.order)
    resolved = [task.resolved(tasks) for task in tasks]
    preceding = [after.get(i, ()) for i in range(len(tasks))]
    return course_of(resolved, preceding, report.after, begins, done or {})


def test_what_works_at_once_is_one_stop(estate):
    number, other = estate.number(142), estate.number(143)
    found = course(estate, t.SetAside(number=number), t.SetAside(number=other))
    assert found == [Stop(NOW, (0, 1))]


def test_a_number_works_when_its_licences_do_and_is_called_then(estate):
    person, number = estate.person(), estate.number(142)
    found = course(
        estate,
        t.GrantLicence(holder=person, product="staff"),
        t.GrantLicence(holder=person, product="home"),
        t.AssignNumber(number=number, holder=person),
        t.PlaceTestCall(number=number),
    )
    assert found == [Stop(minutes(10), (0,)), Stop(minutes(15), (1, 2, 3))]


def test_nothing_works_before_the_work_order_begins(estate):
    number = estate.number(142)
    assert course(estate, t.SetAside(number=number), begins=minutes(90)) == [
        Stop(minutes(90), (0,))
    ]


def test_what_a_carrier_decides_has_no_moment_and_comes_last(estate):
    number = estate.given(142, estate.person())
    other = estate.number(143)
    found = course(estate, t.RegisterAddress(number=number), t.SetAside(number=other))
    assert found == [Stop(NOW, (1,)), Stop(None, (0,), "when the carrier has confirmed")]


def test_what_waits_for_a_carrier_comes_after_that(estate):
    person = estate.person()
    line = t.OrderedLine(
        number="+441134960777",
        capacity=e.Capacity.SINGLE,
        setup=estate.gbp("1"),
        monthly=estate.gbp("1"),
    )
    order = t.OrderNumbers(reference="R", account="fellgate-main", site="leeds", lines=(line,))
    assign = t.AssignNumber(number=OutputOf(output_of=0), holder=person)
    found = course(estate, order, assign)
    assert [(stop.at, stop.waits) for stop in found] == [
        (None, "when the carrier delivers"),
        (None, "after that"),
    ]


def test_a_number_that_is_usable_later_waits_for_that(estate):
    later = NOW + timedelta(days=1)
    number = estate.number(142, carrier="fellgate", capacity="any", usable_from=later)
    found = course(estate, t.AssignNumber(number=number, holder=estate.person()))
    assert found == [Stop(later, (0,))]


def test_what_is_put_back_is_told_with_its_moment(estate):
    number = estate.number(142)
    back = minutes(600)
    found = course(
        estate, t.SetAside(number=number), t.PutBackLater(task=0, at=back, of_kind="set_aside")
    )
    assert found == [Stop(NOW, (0,)), Stop(back, (1,))]


def test_what_is_done_works_from_the_moment_that_is_known(estate):
    number, other = estate.number(142), estate.number(143)
    tasks = t.SetAside(number=number), t.SetAside(number=other)
    found = course(estate, *tasks, done={0: minutes(-30)})
    assert found == [Stop(minutes(-30), (0,)), Stop(NOW, (1,))]


def test_one_stop_for_each_minute(estate):
    number, other = estate.number(142), estate.number(143)
    seconds = timedelta(seconds=20)
    tasks = t.SetAside(number=number), t.SetAside(number=other)
    found = course(estate, *tasks, done={0: NOW + seconds, 1: NOW + 2 * seconds})
    assert found == [Stop(NOW + 2 * seconds, (0, 1))]


def test_tasks_that_wait_for_each_other_never_settle(estate):
    number = estate.number(142)
    tasks = [t.SetAside(number=number), t.ReturnNumber(number=number)]
    found = course_of(tasks, [(1,), (0,)], estate.build(), NOW, {})
    assert [(stop.at, stop.tasks) for stop in found] == [(None, (0, 1))]


def test_what_is_about_a_number_that_is_not_there_is_left_open(estate):
    task = t.AssignNumber(number="+441134960999", holder=estate.person())
    (stop,) = course_of([task], [()], estate.build(), NOW, {})
    assert (stop.at, stop.tasks) == (None, (0,))


@pytest.mark.parametrize("rest", [0, 90])
def test_a_number_that_is_taken_back_is_gone_at_once(estate, rest):
    holder = estate.person()
    number = estate.given(142, holder)
    found = course(estate, t.UnassignNumber(number=number, holder=holder, rest=rest))
    assert found == [Stop(NOW, (0,))]
    assert State.ASSIGNED is estate.build().number(number).state


def test_a_feature_works_when_the_carriers_terms_say(estate):
    carrier = estate.records["Carrier/brackwater"]
    terms = FeatureTerms(fee=Decimal("0.20"), works_after_minutes=2)
    estate.put(carrier.copy_with(features={"CNAM": terms}))
    number = estate.given(142, estate.person())
    found = course(estate, t.SetFeature(number=number, feature="CNAM"))
    assert found == [Stop(minutes(2), (0,))]


def test_a_long_chain_of_tasks_is_told(estate):
    count = 3000
    tasks = [t.SetAside(number=estate.number(142))] * count
    chain = [()] + [(i,) for i in range(count - 1)]
    (stop,) = course_of(tasks, chain, estate.build(), NOW, {})
    assert (stop.at, len(stop.tasks)) == (NOW, count)
