"""Whoever calls for help must be rung back: a site's main number stays while somebody there has no
other, however the work order is put."""

from datetime import timedelta

import pytest

from sedge.core import records as e
from sedge.core.numbers.life import State
from sedge.core.safety.callback import left_without
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, judge_amid
from sedge.core.workorders.plan import arrange
from tests.conftest import NOW

SITE = e.HolderRef(kind=e.HolderKind.SITE, id="leeds")
RULE = "life.help-rings-back"


@pytest.fixture
def leeds(estate):
    """A main number that rings the guard, who has a number; Owen Lark has none."""
    guard = estate.person("Hal Guard")
    estate.person("Owen Lark")
    ring = {
        "first": "ring",
        "steps": {"ring": {"kind": "ring", "people": ["hal-guard"], "exits": {}}},
    }
    estate.put(e.PathVersion(id="desk", name="Desk", body=ring, in_force_from=NOW))
    estate.given(142, guard, carrier="fellgate")
    estate.main = estate.given(190, SITE, carrier="fellgate", path="desk")
    estate.guard = guard
    return estate


def told(leeds, *tasks):
    return next((f for f in check(tasks, leeds.build()).findings if f.rule == RULE), None)


def back(number, holder=None):
    return t.UnassignNumber(number=number, holder=holder, rest=0)


def test_a_main_number_stays_while_somebody_has_no_other(leeds):
    finding = told(leeds, back(leeds.main, SITE))
    assert (finding.level, finding.remedies[0].leads_to.what) == ("stop", "site")
    assert (
        finding.message
        == "Without 0113 496 0190, Owen Lark at Wharf House has no other number to be rung back on"
        " after an emergency call."
    )


def test_it_may_go_when_everybody_has_their_own(leeds):
    leeds.given(143, e.HolderRef(kind=e.HolderKind.PERSON, id="owen-lark"), carrier="fellgate")
    assert told(leeds, back(leeds.main, SITE)).level == "pass"


def test_what_the_same_work_order_takes_from_people_counts(leeds):
    owen = e.HolderRef(kind=e.HolderKind.PERSON, id="owen-lark")
    own = leeds.given(143, owen, carrier="fellgate")
    for tasks in (
        [back(leeds.main, SITE), back(own, owen)],
        [back(own, owen), back(leeds.main, SITE)],
    ):
        assert told(leeds, *tasks).level == "stop"


def test_who_leaves_by_the_same_work_order_needs_no_number(leeds):
    gone = [t.ChangePerson(person="owen-lark", left=True)]
    assert told(leeds, back(leeds.main, SITE), *gone).level == "pass"
    assert (
        told(leeds, back(leeds.main, SITE), t.ChangePerson(person="hal-guard", left=True)).level
        == "stop"
    )


def test_another_main_number_by_the_same_work_order_is_enough_if_it_rings_somebody(leeds):
    other = leeds.number(191, carrier="fellgate", spot="WHF-001-K")
    given = t.AssignNumber(number=other, holder=SITE, role=e.Role.MAIN)
    follows = t.SetPath(number=other, path="desk")
    assert told(leeds, back(leeds.main, SITE), given, follows).level == "pass"
    assert (
        told(leeds, back(leeds.main, SITE), given).level == "stop"
    )  # one without a path rings nobody


def test_other_numbers_are_no_concern_of_it(leeds):
    extra = leeds.given(192, SITE, e.Role.EXTRA, carrier="fellgate", path="desk")
    assert told(leeds, back(extra, SITE)) is None
    assert told(leeds, back("+441134960142", leeds.guard)) is None


def test_who_has_left_or_is_elsewhere_is_not_counted(leeds):
    leeds.put(leeds.records["Person/owen-lark"].copy_with(left=True))
    world = leeds.build(NOW + timedelta(hours=1))
    assert left_without(world.the(e.Site, "leeds"), world, going={leeds.main}) == []


def test_the_old_main_number_goes_when_all_that_the_new_one_waits_for_is_done(leeds):
    other = leeds.number(191, State.RESERVED, carrier="fellgate", spot="WHF-001-K")
    given = [
        t.AssignNumber(number=other, holder=SITE, role=e.Role.MAIN),
        t.SetPath(number=other, path="desk"),
    ]
    tasks = [
        back(leeds.main, SITE),
        *given,
        t.UnreserveNumber(number=other),
        t.ChangePerson(person="owen-lark", left=True),
    ]
    assert [position for position, _ in arrange(tasks, {})] == [3, 4, 0, 1, 2]
    same = [
        back(leeds.main, SITE),
        t.AssignNumber(number=leeds.main, holder=SITE, role=e.Role.EXTRA),
    ]
    assert [position for position, _ in arrange(same, {})] == [0, 1]


def test_a_task_about_to_run_sees_the_rest_of_its_work_order(leeds):
    gone = t.ChangePerson(person="owen-lark", left=True)
    assert {f.rule: f.level for f in judge_amid(back(leeds.main, SITE), [gone], leeds.build())}[
        RULE
    ] == "pass"
    assert {f.rule: f.level for f in judge_amid(back(leeds.main, SITE), [], leeds.build())}[
        RULE
    ] == "stop"
