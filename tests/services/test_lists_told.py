"""What lists tell beside names: where calls go now, how far work orders are, seats over time."""

from datetime import UTC, datetime

from sedge.core.workorders import tasks as t
from sedge.services.callpaths.paths_now import paths_now
from sedge.services.licences.seat_history import MONTHS, _month_begins, seat_histories
from sedge.services.workorders import order_running, workorders
from tests.conftest import until_quiet
from tests.services.test_work_orders import OTHER, assigned, ref


def test_each_call_path_says_where_a_call_goes_now(context):
    found = {one.version.id: one for one in paths_now(context)}
    assert found["canal-front-desk"].trace is not None
    assert found["canal-front-desk"].trace.ending.reason
    assert found["canal-front-desk"].trace.way[0][0] in found["canal-front-desk"].path.steps


def test_a_path_that_no_number_follows_has_no_call(context):
    unused = [one for one in paths_now(context) if one.trace is None]
    assert [one.version.id for one in unused] == ["millwheel-gallery-front"]


def test_the_progress_of_a_draft_and_of_one_that_is_done(installation, context):
    person, draft = assigned(context)
    told = workorders.progress_of(context, [draft])[draft.id]
    assert (told.over, told.total, told.waits_for) == (0, len(draft.tasks), "")
    given = t.AssignNumber(number=OTHER, holder=ref(person))
    order = workorders.draft(context, "second", [given])
    order_running.run(context, order.id)
    until_quiet(installation)
    ended = workorders.progress_of(context, [workorders.get(context, order.id)])[order.id]
    assert ended.over == ended.total


def test_no_work_order_has_no_progress(context):
    assert workorders.progress_of(context, []) == {}


def test_the_months_of_a_history_begin_on_the_first_also_over_a_new_year():
    found = _month_begins(datetime(2027, 2, 14, 9, tzinfo=UTC))
    assert len(found) == MONTHS
    assert (found[0].year, found[0].month, found[0].day) == (2026, 3, 1)
    assert (found[-1].year, found[-1].month) == (2027, 2)


def test_the_last_count_of_a_history_is_what_is_granted_now(context):
    from sedge.services.licences import licences

    granted = {p.product.id: p.granted for p in licences.pools(context) if p.granted}
    histories = seat_histories(context)
    assert {k: h.granted[-1] for k, h in histories.items() if h.granted[-1]} == granted
    assert {len(h.granted) for h in histories.values()} == {MONTHS + 1}


def test_paths_beyond_the_longest_list_are_not_said_to_have_no_number(context, monkeypatch):
    monkeypatch.setattr("sedge.services.callpaths.paths_now.MOST", 1)
    first, *others = paths_now(context)
    assert first.followed
    assert {(one.followed, one.trace) for one in others} == {(False, None)}
