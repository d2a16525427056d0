"""People who change, move and leave; groups; temporary changes: what is refused, and that the
remedies lead out."""

from datetime import timedelta

from sedge.core import records as e
from sedge.core.callpaths.steps import Mailbox, Path, Queue, Ring, with_people
from sedge.core.callpaths.tracing.trace import World, trace_inbound
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, with_remedies
from sedge.core.workorders.findings import Level
from tests.conftest import NOW

STEPS = {"exits": {"no answer": "box", "busy": "box", "nobody reachable": "box"}}


def stops(tasks, world):
    return {f.rule: f for f in check(tasks, world).stops}


def warnings(tasks, world):
    return {f.rule: f for f in check(tasks, world).warnings}


def path_with(estate, **step):
    body = Path(
        first="q",
        steps={
            "q": Queue(
                **step, exits={"full": "box", "waited too long": "box", "nobody signed in": "box"}
            ),
            "box": Mailbox(recipients=("keeper",)),
        },
    )
    estate.person("Keeper")
    estate.put(
        e.PathVersion(
            id="desk", name="Front desk", body=body.model_dump(mode="json"), in_force_from=NOW
        )
    )


def test_who_leaves_gives_everything_back_first_and_the_remedy_does_it(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    estate.given(142, person)
    world = estate.build()
    tasks = [t.ChangePerson(person=person.id, left=True)]
    assert "person.holds-nothing" in stops(tasks, world)
    mended, _ = with_remedies(tasks, check(tasks, world))
    report = check(mended, world)
    assert report.runnable
    kinds = [mended[i].kind for i, _ in report.order]
    assert kinds == ["unassign_number", "revoke_licence", "revoke_licence", "change_person"]
    assert report.after.the(e.Person, person.id).left


def test_the_only_member_of_a_queue_can_not_leave_before_somebody_else_stands_there(estate):
    person = estate.person()
    path_with(estate, people=(person.id,))
    found = stops([t.ChangePerson(person=person.id, left=True)], estate.build())[
        "person.not-alone-in-a-path"
    ]
    assert "Front desk" in found.message
    assert found.remedies[0].leads_to.what == "path"


def test_one_of_several_in_a_queue_may_leave_with_a_word(estate):
    person, other = estate.person(), estate.person("Amara Okoye")
    path_with(estate, people=(person.id, other.id))
    assert (
        warnings([t.ChangePerson(person=person.id, left=True)], estate.build())[
            "person.not-alone-in-a-path"
        ].level
        is Level.WARN
    )


def test_a_group_of_one_is_as_good_as_naming_them(estate):
    person = estate.person()
    estate.put(e.Group(id="g", name="Desk", members=(person.id,)))
    path_with(estate, groups=("g",))
    assert "person.not-alone-in-a-path" in stops(
        [t.ChangePerson(person=person.id, left=True)], estate.build()
    )


def test_an_extension_held_twice_at_a_site_is_a_warning_that_names_who_has_it(estate):
    estate.person("Amara Okoye", extension="142")
    person = estate.person()
    found = warnings([t.ChangePerson(person=person.id, extension="142")], estate.build())[
        "person.extension-free"
    ]
    assert "Amara Okoye has extension 142" in found.message


def test_a_mail_address_belongs_to_one(estate):
    estate.person("Amara Okoye")
    person = estate.person()
    assert "person.address-free" in stops(
        [t.ChangePerson(person=person.id, email="AMARA-okoye@example.test")], estate.build()
    )


def second_site(estate):
    estate.put(
        estate.records["Site/leeds"].copy_with(
            id="york", name="York House", code="YRK", address="york-address", spot=None
        ),
        estate.records["Address/leeds-address"].copy_with(id="york-address", site="york"),
        e.Spot(
            id="YRK-001-A",
            address="york-address",
            site="york",
            name="1st floor, office",
            floor="1st floor",
            room="office",
            confirmed_at=NOW,
        ),
    )


def test_who_moves_with_a_number_needs_a_spot_there_in_the_same_work_order(estate):
    second_site(estate)
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.given(142, person)
    world = estate.build()
    move = t.ChangePerson(person=person.id, site="york")
    assert "person.spot-after-move" in stops([move], world)
    report = check([move, t.SetSpot(person=person.id, spot="YRK-001-A")], world)
    assert report.runnable
    assert report.after.number(number).spot == "YRK-001-A", (
        "the number's place follows, or help goes to where they were"
    )


def test_who_moves_without_a_number_is_warned_only(estate):
    second_site(estate)
    person = estate.person()
    assert "person.spot-after-move" in warnings(
        [t.ChangePerson(person=person.id, site="york")], estate.build()
    )


def test_a_group_takes_nobody_who_has_left_and_is_not_taken_away_under_a_path(estate):
    gone = estate.person("Piet Aalders", left=True)
    estate.put(e.Group(id="g", name="Desk", members=()))
    path_with(estate, groups=("g",))
    world = estate.build()
    assert "group.members-are-here" in stops(
        [t.SetGroup(group="g", name="Desk", members=(gone.id,))], world
    )
    assert "group.not-needed" in stops([t.SetGroup(group="g", name="Desk", removed=True)], world)
    assert "group.members-are-here" in warnings([t.SetGroup(group="new", name="Nobody")], world)


def test_a_temporary_change_ends_later_and_is_not_for_good(estate):
    world = estate.build()
    number = estate.number(142)
    world = estate.build()
    later = NOW + timedelta(days=30)
    assert check(
        [t.SetAside(number=number, reason="test"), t.PutBackLater(task=0, at=later)], world
    ).runnable
    assert "temporary.ends-later" in stops(
        [t.SetAside(number=number), t.PutBackLater(task=0, at=NOW)], world
    )
    assert "temporary.can-be-put-back" in stops(
        [t.ReleaseNumber(number=number), t.PutBackLater(task=0, at=later)], world
    )


def test_a_call_rings_the_members_of_a_group_and_of_a_service_lines(estate):
    one, two = estate.person("Ada"), estate.person("Bea")
    estate.put(e.Group(id="g", name="Desk", members=(one.id, two.id)))
    body = Path(
        first="r",
        steps={"r": Ring(title="R", groups=("g",), **STEPS), "box": Mailbox(groups=("g",))},
    ).model_dump(mode="json")
    estate.put(e.PathVersion(id="p", name="P", body=body, in_force_from=NOW))
    line = estate.line()
    number = estate.given(142, line, path="p")
    trace = trace_inbound(number, NOW, World(), estate.build())
    assert trace.rang == ["desk phone of Ada", "desk phone of Bea"]
    quiet = trace_inbound(number, NOW, World(nobody_answers=True), estate.build())
    assert "Ada, Bea" in quiet.ending.reason


def test_groups_become_their_members_each_once_for_a_telephone_system_that_knows_none():
    body = Path(
        first="r",
        steps={"r": Ring(people=("a",), groups=("g", "h"), exits={}), "b": Mailbox(groups=("g",))},
    ).model_dump(mode="json")
    plain = with_people(body, {"g": ("a", "b"), "h": ("c",)})
    assert plain["steps"]["r"]["people"] == ["a", "b", "c"]
    assert plain["steps"]["b"]["recipients"] == ["a", "b"]
    assert not plain["steps"]["r"]["groups"]


def test_a_downstream_system_gets_the_call_whole(estate):
    estate.put(e.Downstream(id="alarm", name="Alarm server", site="leeds", host="alarms.example"))
    number = estate.given(142, e.HolderRef(kind=e.HolderKind.DOWNSTREAM, id="alarm"))
    trace = trace_inbound(number, NOW, World(), estate.build())
    assert (trace.ending.kind, trace.rang) == ("forwarded", [])
    assert "alarms.example" in trace.happenings[-1].text


def test_two_exchange_numbers_without_a_moment_in_which_somebody_has_two(estate):
    one, two = estate.person("Ada"), estate.person("Bea")
    for ref in (one, two):
        estate.granted(ref, "staff", "home")
    a, b = estate.given(142, one), estate.given(143, two)
    tasks = [
        t.AssignNumber(number=a, holder=two),
        t.AssignNumber(number=b, holder=one),
        t.UnassignNumber(number=a, holder=one, rest=0),
        t.UnassignNumber(number=b, holder=two, rest=0),
    ]
    report = check(tasks, estate.build())
    assert report.runnable
    assert [tasks[i].kind for i, _ in report.order] == ["unassign_number"] * 2 + [
        "assign_number"
    ] * 2
    assert report.after.number(a).holder == two
    assert "life.can-be-taken-back" in stops(
        [t.UnassignNumber(number=a, holder=two)], estate.build()
    )
