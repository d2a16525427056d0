"""A call path that nobody needs any more is retired, and is offered nowhere until it is published
again."""

import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.callpaths.steps import Announce, OtherPath, Path
from sedge.core.errors import Forbidden, NotFound, NotRunnable
from sedge.core.records import Number, PathVersion
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, judge
from sedge.core.workorders.findings import Level
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services.apply_now import apply_at_once
from sedge.services.callpaths import path_choices, paths, paths_now
from sedge.services.callpaths.routing_calls import plan_calls_to
from sedge.services.numbers.numbers import find
from sedge.services.workorders import order_running, order_views, workorders
from sedge.store.repositories import ledger
from tests.conftest import NOW, until_quiet

MAIN = "+441134960100"
SAYS = Path(first="says", steps={"says": Announce(title="Says", text="We are closed today.")})


def path_of(context, key):
    with context.reading() as reading:
        return reading.records.the(PathVersion, key)


def number(context, e164=MAIN):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


def offered(context):
    """Where a path can be chosen, or is listed."""
    choices = path_choices.choices(context, "canal-museum", None)
    return [
        {p.id for p in paths.list_paths(context)},
        {p.version.id for p in paths_now.paths_now(context)},
        {key for key, _ in choices.paths},
    ]


@pytest.fixture
def spare(context):
    """A published path that no number follows."""
    task = t.PublishPath(path="spare", name="Spare path", body=SAYS, based_on=0)
    apply_at_once(context, [task])
    return "spare"


def test_a_path_that_nobody_follows_is_retired_and_offered_nowhere(installation, context, spare):
    assert [spare in where for where in offered(context)] == [True] * 3
    order = order_running.run(context, paths.retire(context, spare).id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    gone = path_of(context, spare)
    assert (gone.retired, gone.number) == (True, 2)
    assert [spare in where for where in offered(context)] == [False] * 3
    with context.reading() as reading:
        last = ledger.last_sequence(reading.connection)
        told = [e.action for e in ledger.entries_after(reading.connection, last - 6, 6)]
    assert "path.retired" in told


def test_undone_it_is_there_again(installation, context, spare):
    order = order_running.run(context, paths.retire(context, spare).id)
    until_quiet(installation)
    order_running.undo(context, order.id)
    until_quiet(installation)
    again = path_of(context, spare)
    assert (again.retired, again.number, again.body) == (False, 3, path_of(context, spare).body)
    assert [spare in where for where in offered(context)] == [True] * 3


def test_published_again_it_is_in_service(context, spare):
    apply_at_once(context, [t.RetirePath(path=spare)])
    apply_at_once(context, [t.PublishPath(path=spare, name="Spare path", body=SAYS, based_on=2)])
    again = path_of(context, spare)
    assert (again.retired, again.number) == (False, 3)


def test_the_telephone_system_forgets_it(installation, context, spare, monkeypatch):
    forgotten = []
    telephony = installation.outside.telephony
    monkeypatch.setattr(telephony, "remove_path", forgotten.append)
    order_running.run(context, paths.retire(context, spare).id)
    until_quiet(installation)
    assert forgotten == [spare]


def test_the_telephone_system_answers_to_what_it_does_not_know(installation):
    installation.outside.telephony.put_path("once", {"first": "", "steps": {}})
    installation.outside.telephony.remove_path("once")
    installation.outside.telephony.remove_path("once")


def test_calls_that_were_routed_and_undone_leave_no_path_in_service(installation, context):
    before = number(context).path
    tasks, title = plan_calls_to(context, MAIN, {"message": "The museum is closed today."})
    made = order_running.run(context, workorders.draft(context, title, tasks).id)
    until_quiet(installation)
    key = tasks[0].path
    assert number(context).path == key
    order_running.undo(context, made.id)
    until_quiet(installation)
    assert number(context).path == before
    assert path_of(context, key).retired
    again, _ = plan_calls_to(context, MAIN, {"message": "The museum is closed today."})
    assert [task.kind for task in again] == ["publish_path", "set_path"]


def test_what_others_follow_by_now_stays_when_its_making_is_undone(installation, context):
    tasks, title = plan_calls_to(context, MAIN, {"message": "The museum is closed today."})
    made = order_running.run(context, workorders.draft(context, title, tasks).id)
    until_quiet(installation)
    other = "+441134960200"
    apply_at_once(context, [t.SetPath(number=other, path=tasks[0].path)])
    with pytest.raises(NotRunnable, match="0113 496 0200 leads to call path .* by now"):
        order_running.undo(context, made.id)
    assert not path_of(context, tasks[0].path).retired
    assert number(context, other).path == tasks[0].path


def test_it_is_no_longer_found(context, spare):
    assert spare in str(find(context, "spare path").groups)
    apply_at_once(context, [t.RetirePath(path=spare)])
    assert spare not in str(find(context, "spare path").groups)


def test_a_group_that_was_taken_away_is_no_longer_found_either(context):
    made = t.SetGroup(group="night-shift", name="Owls", members=("person-ifeoma-okafor",))
    apply_at_once(context, [made])
    assert "night-shift" in str(find(context, "owls").groups)
    apply_at_once(context, [made.copy_with(removed=True)])
    assert "night-shift" not in str(find(context, "owls").groups)


def test_only_who_may_change_the_estate_retires_one(installation, spare):
    looker = next(m for m in MEMBERS if m.role is AccessRole.OBSERVER)
    with pytest.raises(Forbidden):
        paths.retire(installation.context(looker), spare)


def test_one_that_is_not_there_can_not_be_retired(context):
    with pytest.raises(NotFound):
        paths.retire(context, "no-such-path")


# ── what is checked ──


def findings(estate, task):
    return {f.rule: f for f in judge(task, estate.build())}


def version(key="old", *, name="Old path", retired=False, body=SAYS):
    return PathVersion(
        id=key,
        name=name,
        body=body.model_dump(mode="json"),
        in_force_from=NOW,
        retired=retired,
    )


def test_numbers_that_follow_it_are_named(estate):
    estate.put(version())
    holder = estate.person()
    for last in (142, 143, 144):
        estate.given(last, holder, path="old")
    finding = findings(estate, t.RetirePath(path="old"))["path.still-needed"]
    assert finding.level is Level.STOP
    assert finding.message == (
        "Calls to 0113 496 0142 and 2 more follow Old path. Set another call path for them first."
    )


def test_they_can_be_given_another_path_at_once_and_then_it_goes(estate):
    estate.put(version(), version("new", name="New path"))
    number = estate.given(142, estate.person(), path="old")
    task = t.RetirePath(path="old")
    remedy = findings(estate, task)["path.still-needed"].remedies[0]
    assert (remedy.words, remedy.automatic) == ("Let them follow “New path”", False)
    assert remedy.tasks == (t.SetPath(number=number, path="new"),)
    report = check([*remedy.tasks, task], estate.build())
    assert [f.rule for f in report.stops] == []


def test_without_another_path_it_leads_to_its_page(estate):
    estate.put(version())
    estate.given(142, estate.person(), path="old")
    remedy = findings(estate, t.RetirePath(path="old"))["path.still-needed"].remedies[0]
    assert remedy.words == "Open Old path"


def test_a_path_that_goes_on_in_it_is_named(estate):
    estate.put(version())
    on = Path(first="on", steps={"on": OtherPath(title="On", path="old")})
    estate.put(version("day", name="Day path", body=on))
    finding = findings(estate, t.RetirePath(path="old"))["path.still-needed"]
    assert finding.message == "Calls of Day path go on in Old path. Lead them elsewhere first."
    assert finding.remedies[0].words == "Open Day path"


def test_a_retired_path_that_went_on_in_it_does_not_hold_it(estate):
    estate.put(version())
    on = Path(first="on", steps={"on": OtherPath(title="On", path="old")})
    estate.put(version("day", name="Day path", body=on, retired=True))
    assert findings(estate, t.RetirePath(path="old"))["path.still-needed"].is_pass


def test_it_is_retired_once(estate):
    estate.put(version(retired=True))
    finding = findings(estate, t.RetirePath(path="old"))["path.still-needed"]
    assert (finding.level, finding.message) == (Level.STOP, "Old path is retired already.")


@pytest.mark.parametrize(("retired", "level"), [(True, Level.STOP), (False, Level.PASS)])
def test_a_number_follows_only_what_is_in_service(estate, retired, level):
    estate.put(version(retired=retired))
    number = estate.given(142, estate.person())
    finding = findings(estate, t.SetPath(number=number, path="old"))["path.in-service"]
    assert finding.level is level


def test_another_path_does_not_go_on_in_a_retired_one(estate):
    estate.put(version(retired=True))
    on = Path(first="on", steps={"on": OtherPath(title="On", path="old")})
    task = t.PublishPath(path="day", name="Day path", body=on)
    finding = findings(estate, task)["path.people-are-here"]
    assert finding.level is Level.STOP
    assert finding.message.startswith("Old path can't answer")


def test_the_retired_version_is_a_new_one(estate):
    estate.put(version())
    built = estate.build()
    (change,) = t.RetirePath(path="old").apply(built)
    assert (change.after.retired, change.after.number) == (True, 2)
    assert change.after.in_force_from == built.now
