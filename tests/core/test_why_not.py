"""Why not: the shortest set of tasks, compared with trying all sets; and what is said where no
tasks help."""

from itertools import combinations

import pytest

from sedge.core import records as e
from sedge.core.numbers.life import State
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check
from sedge.core.workorders.eligibility import why_not
from tests.conftest import NOW


def ready(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    return person


def lacking_licences(estate):
    return estate.person(), estate.number(142)


def lacking_seats(estate):
    person = estate.person()
    estate.put(estate.records["Subscription/home-sub"].copy_with(seats=0))
    return person, estate.number(142)


def lacking_trunk(estate):
    return ready(estate), estate.number(142, trunk=None)


def lacking_rights(estate):
    person = estate.person(rights=())
    estate.granted(person, "staff", "home")
    return person, estate.number(142)


def resting(estate):
    return ready(estate), estate.number(142, State.AGING)


def lacking_spot(estate):
    person = estate.person(spot=None)
    estate.granted(person, "staff", "home")
    return person, estate.number(142)


def lacking_all(estate):
    estate.put(estate.records["Subscription/staff-sub"].copy_with(seats=0))
    return estate.person(rights=(), spot=None), estate.number(142, State.AGING, trunk=None)


SCENES = (
    lacking_licences,
    lacking_seats,
    lacking_trunk,
    lacking_rights,
    resting,
    lacking_spot,
    lacking_all,
)


def all_that_might_help(person, number):
    return [
        t.GrantLicence(holder=person, product="staff"),
        t.GrantLicence(holder=person, product="home"),
        t.BuySeats(product="staff", seats=1),
        t.BuySeats(product="home", seats=1),
        t.ListOnTrunk(number=number, trunk="brackwater-leeds"),
        t.EndRest(number=number, reason="needed again at once"),
        t.SetCallingRights(
            holder=person,
            rights=(e.Right.INTERNAL, e.Right.EMERGENCY, e.Right.NATIONAL, e.Right.MOBILE),
        ),
        t.SetSpot(person=person.id, spot="WHF-001-K"),
    ]


def fewest_by_trying(person, number, world):
    task = t.AssignNumber(number=number, holder=person)
    placed = task.copy_with(spot="WHF-001-K")
    for size in range(9):
        for more in combinations(all_that_might_help(person, number), size):
            if any(check([*more, last], world).runnable for last in (task, placed)):
                return size + 1
    return None


@pytest.mark.parametrize("scene", SCENES, ids=lambda s: s.__name__)
def test_the_way_found_is_the_shortest_of_all(estate, scene):
    person, number = scene(estate)
    world = estate.build()
    found = why_not(t.AssignNumber(number=number, holder=person), world)
    assert found.tasks is not None
    assert check(found.tasks, world).runnable
    for_the_person = [
        x for x in found.tasks if isinstance(x, t.SetSpot) and x.person
    ]  # theirs for every phone, not this number's alone
    assert len(found.tasks) - len(for_the_person) == fewest_by_trying(person, number, world)
    assert not found.works_already


def test_what_works_needs_nothing_more(estate):
    person = ready(estate)
    found = why_not(t.AssignNumber(number=estate.number(142), holder=person), estate.build())
    assert found.works_already
    assert found.findings


def test_another_number_is_as_short_as_any_and_taken_where_it_saves_tasks(estate):
    person = ready(estate)
    estate.number(150)
    found = why_not(
        t.AssignNumber(number=estate.number(142, State.AGING), holder=person), estate.build()
    )
    assert [type(x) for x in found.tasks] == [t.AssignNumber]
    assert found.tasks[0].number == "+441134960150"


def test_where_no_tasks_help_it_says_what_must_be_made_first(estate):
    line = estate.line()
    estate.granted(line, "permit")
    for key in [k for k in estate.records if k.startswith("Spot/")]:
        estate.put(estate.records[key].copy_with(floor="", room=""))
    found = why_not(
        t.AssignNumber(number=estate.number(142, capacity="many"), holder=line), estate.build()
    )
    assert found.tasks is None
    assert [r.leads_to.what for r in found.elsewhere] == ["spots"]


def test_somebody_who_has_left_gets_nothing_and_no_way_is_made_up(estate):
    person = estate.person(left=True)
    estate.granted(person, "staff", "home", works_from=NOW)
    found = why_not(t.AssignNumber(number=estate.number(142), holder=person), estate.build())
    assert found.tasks is None
    assert any("has left" in f.message for f in found.findings)
