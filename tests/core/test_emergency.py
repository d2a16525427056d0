"""Calls for help: who can ring back, what the operator is shown, and that a half-done move is never
quiet."""

from datetime import timedelta

import pytest

from sedge.core import records as e
from sedge.core.callpaths.patterns import Choice, DeskForm, plan_desk
from sedge.core.callpaths.steps import Mailbox, Path, Ring
from sedge.core.numbers.life import State
from sedge.core.safety.emergency import callback_number, emergency_test, rings_people, unregistered
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, with_remedies
from tests.conftest import NOW

SITE = e.HolderRef(kind=e.HolderKind.SITE, id="leeds")


def answer(estate, number, dialled="999"):
    built = estate.build()
    return emergency_test(built.number(number), dialled, built)


def duty_path(estate, *people):
    body = Path(
        first="ring",
        steps={
            "ring": Ring(people=people, exits={"no answer": "mailbox"}),
            "mailbox": Mailbox(recipients=people),
        },
    )
    estate.put(
        e.PathVersion(
            id="duty", name="Duty phones", body=body.model_dump(mode="json"), in_force_from=NOW
        )
    )


def site_main(estate, last=100, **values):
    duty = estate.person("Amara Duty")
    duty_path(estate, duty.id)
    return estate.given(last, SITE, carrier="fellgate", capacity="any", path="duty", **values)


# ── who rings back ──


def test_the_caller_own_number_is_rung_back(estate):
    number = estate.given(142, estate.person(), registered_spot="WHF-001-K")
    assert answer(estate, number).callback == number


def test_where_the_own_phone_does_not_register_the_sites_main_number_is_rung_back(estate):
    number = estate.given(142, estate.person(registered=False), registered_spot="WHF-001-K")
    main = site_main(estate)
    found = answer(estate, number)
    assert (found.callback, found.broken) == (main, [])


def test_another_number_of_the_holder_comes_before_the_sites(estate):
    person = estate.person()
    site_main(estate)
    toll_free = estate.given(142, person, registered_spot="WHF-001-K")
    estate.put(estate.records[f"Number/{toll_free}"].copy_with(trunk=None))
    other = estate.given(150, person, e.Role.EXTRA)
    assert answer(estate, toll_free).callback == other


def test_where_nobody_could_be_rung_back_help_is_stopped(estate):
    number = estate.given(142, estate.person(registered=False), registered_spot="WHF-001-K")
    found = answer(estate, number)
    assert found.callback == ""
    assert any("could not ring back" in link for link in found.broken)


def test_a_menu_is_no_callback_because_an_operator_must_not_choose(estate):
    line = estate.line()
    agent = estate.person()
    choices = (
        Choice(key="1", word="visits", people=(agent.id,)),
        Choice(key="2", word="schools", people=(agent.id,)),
    )
    body = plan_desk(
        DeskForm(
            timezone="Europe/London", greeting="1 or 2", choices=choices, recipients=(agent.id,)
        )
    )
    estate.put(
        e.PathVersion(id="menu", name="Menu", body=body.model_dump(mode="json"), in_force_from=NOW)
    )
    number = estate.given(142, line, capacity="many", path="menu", registered_spot="WHF-001-K")
    built = estate.build()
    assert not rings_people(built.number(number), built)
    assert any("could not ring back" in link for link in answer(estate, number).broken)
    main = site_main(estate)
    assert answer(estate, number).callback == main


def test_a_lift_phone_that_rings_the_duty_desk_is_rung_back_itself(estate):
    lift = estate.line("Lift", kind="alarm phone")
    duty = estate.person("Amara Duty")
    duty_path(estate, duty.id)
    number = estate.given(142, lift, capacity="many", path="duty", registered_spot="WHF-001-K")
    assert answer(estate, number).callback == number


def test_the_main_number_of_another_site_is_never_rung_back(estate):
    number = estate.given(142, estate.person(registered=False), registered_spot="WHF-001-K")
    elsewhere = e.HolderRef(kind=e.HolderKind.SITE, id="berlin")
    duty = estate.person("Amara Duty")
    duty_path(estate, duty.id)
    estate.given(100, elsewhere, carrier="fellgate", capacity="any", path="duty")
    built = estate.build()
    assert callback_number(built.number(number), built) is None


def test_a_number_that_works_only_later_is_not_rung_back(estate):
    assignment = e.Assignment(
        holder=estate.person(), role=e.Role.MAIN, since=NOW, works_from=NOW + timedelta(minutes=10)
    )
    number = estate.number(
        142, State.ASSIGNED, assignment=assignment, spot="WHF-001-K", registered_spot="WHF-001-K"
    )
    built = estate.build()
    assert not rings_people(built.number(number), built)


# ── what the operator is shown ──


def test_a_number_nobody_has_cannot_call_for_help(estate):
    number = estate.number(142)
    found = answer(estate, number)
    assert found.reachable is False
    assert found.broken == [
        (
            "0113 496 0142 is available: no phone has it, so nobody can make an emergency"
            " call from it."
            " Give it to somebody first."
        )
    ]


def test_a_spot_in_another_country_is_a_broken_link(estate):
    elements = e.CivicElements(
        country="DE", city="Berlin", street="Speicherweg", house_number="4", postcode="10999"
    )
    estate.put(
        e.Address(
            id="berlin-address",
            site="leeds",
            elements=elements,
            verdict=e.Verdict.EXACT,
            psap="Leitstelle Berlin",
        ),
        e.Spot(
            id="SPD-001-X", address="berlin-address", site="leeds", name="store", confirmed_at=NOW
        ),
    )
    number = estate.given(142, estate.person(), spot="SPD-001-X", registered_spot="SPD-001-X")
    assert any("it is in Germany" in link for link in answer(estate, number).broken)


@pytest.mark.parametrize(
    ("registered", "words"),
    [(None, "has no address for"), ("WHF-000-M", "still has WHF-000-M for")],
)
def test_what_the_carrier_has_registered_otherwise_is_a_caution(estate, registered, words):
    number = estate.given(142, estate.person(), registered_spot=registered)
    found = answer(estate, number)
    assert found.broken == []
    assert len(found.cautions) == 1
    assert words in found.cautions[0]


def test_a_carrier_that_keeps_no_addresses_needs_none_registered(estate):
    estate.put(estate.records["Carrier/fellgate"].copy_with(registers_addresses=False))
    number = estate.given(142, estate.person(), carrier="fellgate", capacity="any")
    built = estate.build()
    assert unregistered(built.number(number), built) == ""


# ── registering belongs to giving and moving ──


def test_giving_a_number_warns_of_the_address_the_carrier_does_not_have(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.number(142)
    report = check([t.AssignNumber(number=number, holder=person)], estate.build())
    assert [f.rule for f in report.warnings] == ["assignment.address-registered"]
    assert report.warnings[0].remedies[0].tasks == (t.RegisterAddress(number=number),)


def test_the_address_is_registered_after_the_number_is_given_with_the_new_spot(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.number(142, spot="WHF-000-M", registered_spot="WHF-000-M")
    tasks, _ = with_remedies(
        [assign := t.AssignNumber(number=number, holder=person)], check([assign], estate.build())
    )
    report = check(tasks, estate.build())
    assert [tasks[i].kind for i, _ in report.order] == ["assign_number", "register_address"]
    assert report.after.number(number).registered_spot == "WHF-001-K"
    assert report.warnings == []


def test_moving_a_person_warns_for_each_number_the_carrier_keeps_an_address_of(estate):
    person = estate.person()
    estate.put(
        e.Spot(
            id="WHF-002-I",
            address="leeds-address",
            site="leeds",
            name="post room",
            floor="ground floor",
            room="post room",
            confirmed_at=NOW,
        )
    )
    first = estate.given(142, person, registered_spot="WHF-001-K")
    second = estate.given(143, person, e.Role.EXTRA, registered_spot="WHF-001-K")
    move = t.SetSpot(person=person.id, spot="WHF-002-I")
    warning = check([move], estate.build()).warnings[0]
    assert warning.rule == "spot.registered-too"
    assert set(warning.remedies[0].tasks) == {
        t.RegisterAddress(number=first),
        t.RegisterAddress(number=second),
    }
    mended, _ = with_remedies([move], check([move], estate.build()))
    report = check(mended, estate.build())
    assert report.warnings == []
    assert mended[report.order[0][0]] == move
    assert {report.after.number(n).registered_spot for n in (first, second)} == {"WHF-002-I"}


def test_a_number_that_moved_with_nobody_in_it_needs_no_registration(estate):
    number = estate.number(142)
    assert check([t.SetSpot(number=number, spot="WHF-001-K")], estate.build()).warnings == []


def test_registering_at_a_carrier_that_keeps_none_is_a_stop(estate):
    estate.put(estate.records["Carrier/fellgate"].copy_with(registers_addresses=False))
    number = estate.given(142, estate.person(), carrier="fellgate", capacity="any")
    assert [f.rule for f in check([t.RegisterAddress(number=number)], estate.build()).stops] == [
        "address.can-be-registered"
    ]


def test_undo_takes_back_the_move_but_not_what_the_carrier_was_told(estate):
    from sedge.core.workorders.tasks import PutBack, Snapshot

    person = estate.person()
    number = estate.number(142)
    world = estate.build()
    before = world.number(number)
    world.absorb(t.AssignNumber(number=number, holder=person).apply(world))
    given = world.number(number)
    world.absorb(t.RegisterAddress(number=number).apply(world))
    snapshot = Snapshot(
        subject=e.Subject.NUMBER,
        id=number,
        before=before.model_dump(mode="json"),
        after=given.model_dump(mode="json"),
    )
    world.absorb(PutBack(of="assign", snapshots=(snapshot,)).apply(world))
    restored = world.number(number)
    assert restored.state is State.AVAILABLE
    assert restored.registered_spot == "WHF-001-K"
