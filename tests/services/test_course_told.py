"""The page of a work order says from when what works, before it is run and while it runs."""

import re

import pytest

from sedge.core.records import HolderKind, HolderRef
from sedge.core.workorders import tasks as t
from sedge.services.workorders import order_running, order_views, runner, workorders
from sedge.web.workorders.views import order_page
from tests.conftest import in_one_line

IFEOMA = HolderRef(kind=HolderKind.PERSON, id="person-ifeoma-haddad")
NUMBER = "+441134960311"
JOINER = [
    t.GrantLicence(holder=IFEOMA, product="staff-seat"),
    t.GrantLicence(holder=IFEOMA, product="home-calling"),
    t.AssignNumber(number=NUMBER, holder=IFEOMA),
    t.PlaceTestCall(number=NUMBER),
]


@pytest.fixture
def draft(context):
    return workorders.draft(context, "A joiner", JOINER)


def stops(context, key):
    view = order_views.view_order(context, key)
    return [
        (stop.at and round((stop.at - context.now()).total_seconds() / 60), stop.tasks)
        for stop in view.course
    ]


def test_a_draft_that_may_be_run_tells_it(context, draft):
    view = order_views.view_order(context, draft.id)
    assert view.report.runnable
    assert stops(context, draft.id) == [(10, (0,)), (15, (1, 2, 3))]


def test_one_that_is_stopped_tells_nothing_yet(context):
    made = workorders.draft(context, "A joiner", [t.AssignNumber(number=NUMBER, holder=IFEOMA)])
    view = order_views.view_order(context, made.id)
    assert not view.report.runnable
    assert view.course == ()


def test_where_all_works_at_once_there_is_nothing_to_tell(context):
    made = workorders.draft(context, "Aside", [t.SetAside(number=NUMBER)])
    assert order_views.view_order(context, made.id).course == ()


def test_while_it_runs_what_is_done_keeps_its_moment(installation, context, draft):
    order_running.run(context, draft.id)
    for _ in range(5):
        runner.tick(installation)
    assert stops(context, draft.id) == [(10, (0,)), (15, (1, 2, 3))]


def test_the_page_shows_the_last_task_of_each_stop(context, draft):
    page = order_page(order_views.view_order(context, draft.id), context.now())
    assert [(stop.words, stop.others, stop.is_past) for stop in page.course] == [
        ("Grant Staff seat to Ifeoma Haddad", 0, False),
        ("Place a test call in to 0113 496 0311", 2, False),
    ]


def test_it_is_a_list_that_says_what_it_is(client, context, draft):
    client.post("/sign-in", data={"who": context.who.sign_in})
    page = in_one_line(client.get(f"/work-orders/{draft.no}").text)
    listed = re.search(r'<ol class="from-when" aria-label="From when it works">(.*?)</ol>', page)[1]
    assert listed.count("<li") == 2
    assert "Grant Staff seat to Ifeoma Haddad" in listed
    assert "and 2 more" in listed
