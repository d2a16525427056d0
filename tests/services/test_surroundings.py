"""What names numbers, asked for all of them at once: the same as one by one, in as many queries for
a thousand as for one."""

from contextlib import contextmanager
from datetime import timedelta

import pytest
from sqlalchemy import event

from sedge.core.changes import changed
from sedge.core.records import CallerId, HolderKind, HolderRef, Number, Person, Subject
from sedge.core.workorders import tasks as t
from sedge.services.retiring.usage_index import MOST_TOLD, around
from sedge.services.workorders import order_running, order_views, workorders
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables
from tests.conftest import until_quiet

MAIN, NEW = "+441134960192", "+441134960160"


def some_numbers(context, limit):
    with context.reading() as reading:
        return reading.records.where(Number, is_open(), order_by=tables.life.c.number, limit=limit)


@contextmanager
def counted(connection):
    """The statements that go over a connection meanwhile."""
    said = []

    def hear(_connection, _cursor, statement, *_):
        said.append(statement)

    event.listen(connection, "before_cursor_execute", hear)
    yield said
    event.remove(connection, "before_cursor_execute", hear)


def test_all_at_once_is_as_one_by_one(context):
    numbers = some_numbers(context, 400)
    with context.reading() as reading:
        together = around(reading, numbers)
        for number in numbers[::7]:
            assert together[number.e164] == around(reading, [number])[number.e164]
    assert (
        sum(len(a.naming) + len(a.orders) + len(a.showing) + a.followers for a in together.values())
        > 0
    ), "it found something"


@pytest.mark.parametrize("count", [1, 40, 400])
def test_the_number_of_queries_does_not_grow(context, count):
    numbers = some_numbers(context, count)
    with context.reading() as reading, counted(reading.connection) as said:
        around(reading, numbers)
    assert len(said) <= 14


def test_nothing_is_asked_of_nothing(context):
    with context.reading() as reading:
        assert around(reading, []) == {}


def test_of_many_that_show_a_number_some_are_named_and_the_rest_counted(context):
    with context.reading() as reading:
        people = reading.records.where(
            Person, tables.person.c.departed.is_(False), limit=MOST_TOLD + 6
        )
    with context.writing(reason="one number for all") as writing:
        shown = CallerId(shows="number", number=MAIN)
        writing.save(
            [
                changed(Subject.PERSON, p, p.copy_with(caller_id=shown), "person.caller-id")
                for p in people
            ]
        )
    with context.reading() as reading:
        about = around(reading, reading.records.many(Number, [MAIN]))[MAIN]
    assert (sum(isinstance(x, Person) for x in about.showing), about.more["showing"]) == (
        MOST_TOLD,
        6,
    )


def test_a_main_number_is_not_taken_back_while_somebody_has_no_other(installation, context):
    site = HolderRef(kind=HolderKind.SITE, id="wharf-house")
    order = workorders.draft(
        context, "the front desk closes", [t.UnassignNumber(number=MAIN, holder=site)]
    )
    (stop,) = order_views.view_order(context, order.id).report.stops
    assert stop.rule == "life.help-rings-back"
    assert "have no other number to be rung back on" in stop.message
    with context.reading() as reading:
        about = around(reading, reading.records.many(Number, [MAIN]))[MAIN]
    assert about.without_own > 2
    assert f"and {about.without_own - 2:,} more at Wharf House" in stop.message


def replaced(context, with_path):
    """A work order that gives the site another main number and takes the old one back, typed in
    that wrong order."""
    site = HolderRef(kind=HolderKind.SITE, id="wharf-house")
    with context.reading() as reading:
        main = reading.records.the(Number, MAIN)
    path = [t.SetPath(number=NEW, path=main.path)] if with_path else []
    back = t.UnassignNumber(number=MAIN, holder=site, rest=0)
    return workorders.draft(
        context,
        "another main number",
        [back, t.AssignNumber(number=NEW, holder=site, spot=main.spot), *path],
    )


def test_a_main_number_is_replaced_by_one_work_order(installation, context):
    order = replaced(context, with_path=True)
    assert order_views.view_order(context, order.id).report.runnable, [
        f.message for f in order_views.view_order(context, order.id).report.stops
    ]
    order_running.run(context, order.id)
    until_quiet(installation)
    assert [x.error for x in workorders.get(context, order.id).tasks if x.error] == []
    assert workorders.get(context, order.id).state.value == "done"
    with context.reading() as reading:
        given = reading.records.many(Number, [NEW, MAIN])
    assert {n.e164: n.state.value for n in given} == {NEW: "assigned", MAIN: "available"}


def test_a_main_number_that_rings_nobody_is_no_other(context):
    stops = {
        f.rule
        for f in order_views.view_order(context, replaced(context, with_path=False).id).report.stops
    }
    assert "life.help-rings-back" in stops


def test_a_number_that_can_be_used_from_tomorrow_is_no_other_today(context):
    with context.writing(reason="usable the day after") as writing:
        new = writing.records.the(Number, NEW)
        later = new.copy_with(usable_from=context.now() + timedelta(days=1))
        writing.save([changed(Subject.NUMBER, new, later, "number.usable-later")])
    stops = {
        f.rule
        for f in order_views.view_order(context, replaced(context, with_path=True).id).report.stops
    }
    assert "life.help-rings-back" in stops
