"""The rules of a work order: each in the trade's words, with its whole result."""

from datetime import timedelta

import pytest

from sedge.core.numbers import rules
from sedge.core.numbers.life import State
from sedge.core.records import Capacity, PathVersion, Role, Spot
from sedge.core.safety import rules as safety_rules
from sedge.core.supply import rules as supply_rules
from sedge.core.supply.tasks import OrderedLine
from sedge.core.workorders import tasks as t
from sedge.core.workorders.checks import check, totals, with_remedies
from sedge.core.workorders.findings import Level
from sedge.core.workorders.rules.catalogue import RULES
from sedge.core.workorders.task_base import OutputOf
from tests.conftest import NOW


def stops(tasks, world):
    return {f.rule: f for f in check(tasks, world).stops}


def test_a_menu_cannot_hold_a_single_call_number(estate):
    menu = estate.line("Bookings")
    estate.number(142)
    estate.number(180, capacity="many")
    finding = rules.capacity_suits_holder(
        t.AssignNumber(number="+441134960142", holder=menu), estate.build()
    )
    assert finding.level is Level.STOP
    assert finding.remedies[0].tasks == (t.AssignNumber(number="+441134960180", holder=menu),)
    assert finding.remedies[0].replaces


def test_a_number_for_many_callers_on_a_person_is_only_a_warning(estate):
    person = estate.person()
    estate.number(142, capacity="many")
    assert (
        rules.capacity_suits_holder(
            t.AssignNumber(number="+441134960142", holder=person), estate.build()
        ).level
        is Level.WARN
    )


def test_a_bundled_carrier_asks_a_person_for_both_licences(estate):
    person = estate.person()
    number = estate.number(142)
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.holder-may-call-here"
    ]
    assert finding.remedies[0].tasks == (
        t.GrantLicence(holder=person, product="staff"),
        t.GrantLicence(holder=person, product="home"),
    )
    assert "£3.10 a month" in finding.message
    assert "£6.40 a month" in finding.message


def test_an_own_trunk_asks_for_no_licence(estate):
    person = estate.person()
    number = estate.number(142, carrier="fellgate", capacity="any")
    assert check([t.AssignNumber(number=number, holder=person)], estate.build()).stops == []


def test_remedies_are_added_in_the_order_in_which_they_must_run(estate):
    person = estate.person()
    number = estate.number(142, trunk=None)
    tasks, marks = (
        [t.AssignNumber(number=number, holder=person), t.PlaceTestCall(number=number)],
        [],
    )
    for _ in range(3):
        tasks, marks = with_remedies(tasks, check(tasks, estate.build()))
    report = check(tasks, estate.build())
    assert report.stops == []
    assert [tasks[i].kind for i, _ in report.order] == [
        "grant_licence",
        "grant_licence",
        "list_on_trunk",
        "assign_number",
        "register_address",
        "place_test_call",
    ]
    assert [tasks[i].product for i, _ in report.order[:2]] == ["staff", "home"]


def test_a_seat_that_is_missing_is_bought_first(estate):
    person = estate.person()
    number = estate.number(142)
    estate.put(estate.records["Subscription/home-sub"].copy_with(used=5))
    tasks = [t.AssignNumber(number=number, holder=person)]
    for _ in range(4):
        tasks, _ = with_remedies(tasks, check(tasks, estate.build()))
    report = check(tasks, estate.build())
    assert report.runnable if hasattr(report, "runnable") else not report.stops
    kinds = [tasks[i].kind for i, _ in report.order]
    assert kinds.index("buy_seats") < [i for i, k in enumerate(kinds) if k == "grant_licence"][-1]


def test_a_seat_granted_and_bought_is_priced_once(estate):
    person = estate.person()
    tasks = [t.BuySeats(product="home", seats=1), t.GrantLicence(holder=person, product="home")]
    assert str(totals(tasks, estate.build()).monthly["GBP"].amount) == "6.40"


@pytest.mark.parametrize(
    ("bought", "granted", "revoked", "monthly", "already", "stays"),
    [
        (1, 1, 0, "6.40", "", ""),
        (0, 1, 0, "", "6.40", ""),
        (0, 0, 1, "", "", "6.40"),
        (3, 1, 0, "19.20", "", ""),  # two are left, and were just bought
        (1, 2, 0, "6.40", "6.40", ""),
        (0, 1, 1, "", "", ""),
    ],
)
def test_a_seat_is_paid_for_from_when_it_is_bought(
    estate, bought, granted, revoked, monthly, already, stays
):
    people = [estate.person(f"Person {n}") for n in range(granted + revoked)]
    tasks = [
        *([t.BuySeats(product="home", seats=bought)] if bought else []),
        *[t.GrantLicence(holder=p, product="home") for p in people[:granted]],
        *[t.RevokeLicence(holder=p, product="home") for p in people[granted:]],
    ]
    found = totals(tasks, estate.build())
    sides = (found.monthly, found.paid_already, found.stays_paid)
    assert [str(side["GBP"].amount) if side else "" for side in sides] == [monthly, already, stays]


def test_a_seat_on_trial_is_not_paid_for(estate):
    person = estate.person()
    trial = estate.records["Subscription/home-sub"].copy_with(trial_ends=NOW)
    estate.put(trial)
    found = totals([t.GrantLicence(holder=person, product="home")], estate.build())
    assert (found.monthly, found.paid_already) == ({}, {})


def test_a_licence_without_its_prerequisite_is_a_stop_with_both_prices(estate):
    person = estate.person()
    finding = stops([t.GrantLicence(holder=person, product="home")], estate.build())[
        "licence.prerequisites"
    ]
    assert finding.remedies[0].tasks == (t.GrantLicence(holder=person, product="staff"),)
    assert "3.10" in finding.message
    assert "6.40" in finding.message


def test_a_free_permit_that_runs_out_says_what_earns_more(estate):
    line = estate.line()
    estate.put(estate.records["Subscription/permit-sub"].copy_with(used=2))
    assert (
        "15 seats"
        in stops([t.GrantLicence(holder=line, product="permit")], estate.build())[
            "licence.seat-left"
        ].message
    )


def test_nobody_is_given_a_number_without_a_spot(estate):
    person = estate.person(spot=None)
    number = estate.number(142)
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.dispatchable-spot"
    ]
    assert [(type(r.tasks[0]), r.tasks[0].spot, r.automatic) for r in finding.remedies] == [
        (t.SetSpot, "WHF-001-K", True)
    ], "the only one there is"
    assert finding.remedies[0].tasks[0].person == person.id, "theirs too, not the number's alone"


def test_where_somebody_sits_is_never_guessed_among_several(estate):
    estate.put(
        Spot(
            id="WHF-002-W",
            address="leeds-address",
            site="leeds",
            name="shop",
            floor="1st floor",
            room="shop",
            confirmed_at=NOW,
        )
    )
    person, number = estate.person(spot=None), estate.number(142)
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.dispatchable-spot"
    ]
    assert len(finding.remedies) == 2
    assert not any(r.automatic for r in finding.remedies)


def test_the_whole_address_is_not_enough_in_a_building_of_four_floors(estate):
    person = estate.person(spot="WHF-000-M")
    number = estate.number(142)
    assert (
        "floor and room"
        in stops([t.AssignNumber(number=number, holder=person)], estate.build())[
            "assignment.dispatchable-spot"
        ].message
    )


def test_a_spot_in_an_address_the_register_does_not_know_is_a_stop(estate):
    person = estate.person()
    number = estate.number(142)
    estate.put(estate.records["Address/leeds-address"].copy_with(verdict="ambiguous"))
    assert (
        "not confirmed"
        in stops([t.AssignNumber(number=number, holder=person)], estate.build())[
            "assignment.dispatchable-spot"
        ].message
    )


@pytest.mark.parametrize(
    ("state", "words"),
    [
        (State.AGING, "rests"),
        (State.ASSIGNED, "already"),
        (State.ON_ORDER, "on order"),
        (State.ADMINISTRATIVE, "set aside"),
        (State.PORTING_OUT, "porting out"),
    ],
)
def test_a_number_that_is_not_free_is_refused_with_its_reason(estate, state, words):
    person = estate.person()
    other = estate.person("Jo Farrow")
    number = estate.given(142, other) if state is State.ASSIGNED else estate.number(142, state)
    estate.number(150)
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.number-is-free"
    ]
    assert words in finding.message
    assert finding.remedies[0].tasks[0].number == "+441134960150"


def test_a_resting_number_can_be_taken_with_a_reason_only_by_choice(estate):
    person = estate.person()
    number = estate.number(142, State.AGING, state_until=NOW + timedelta(days=30))
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.number-is-free"
    ]
    order, end = finding.remedies
    assert (order.leads_to.what, order.leads_to.id) == ("supply", "leeds")
    assert type(end.tasks[0]) is t.EndRest
    assert not end.automatic


def test_a_reserved_number_is_for_whom_it_is_reserved(estate):
    person, other = estate.person(), estate.person("Jo Farrow")
    number = estate.number(
        142, State.RESERVED, reserved_for=person, carrier="fellgate", capacity="any"
    )
    assert stops([t.AssignNumber(number=number, holder=person)], estate.build()) == {}
    assert "assignment.number-is-free" in stops(
        [t.AssignNumber(number=number, holder=other)], estate.build()
    )


def test_a_number_not_usable_yet_is_a_warning_with_the_moment(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    number = estate.number(142, usable_from=NOW + timedelta(hours=2))
    report = check([t.AssignNumber(number=number, holder=person)], estate.build())
    assert report.stops == []
    assert "13:20" in next(f.message for f in report.warnings if f.rule == "assignment.usable-yet")


def test_a_second_main_number_is_offered_as_an_extra_one(estate):
    person = estate.person()
    estate.granted(person, "staff", "home")
    estate.given(100, person)
    number = estate.number(142)
    finding = stops([t.AssignNumber(number=number, holder=person)], estate.build())[
        "assignment.role-free"
    ]
    assert finding.remedies[0].tasks[0].role is Role.EXTRA


def test_two_tasks_for_one_number_see_each_other(estate):
    """The second is judged against the estate as it will be after the first."""
    one, other = estate.person(), estate.person("Jo Farrow")
    number = estate.number(142, carrier="fellgate", capacity="any")
    report = check(
        [t.AssignNumber(number=number, holder=one), t.AssignNumber(number=number, holder=other)],
        estate.build(),
    )
    assert [f.task for f in report.stops] == [1]


def test_somebody_who_left_gets_nothing(estate):
    person = estate.person(left=True)
    number = estate.number(142)
    assert "assignment.holder-is-here" in stops(
        [t.AssignNumber(number=number, holder=person)], estate.build()
    )


def test_bundled_supply_serves_its_own_country_only(estate):
    person = estate.person()
    number = "+493023125147"
    record = estate.records[f"Number/{estate.number(142)}"]
    estate.put(record.copy_with(e164=number, id="berlin"))
    assert {"assignment.country-served", "assignment.dispatchable-spot"} <= set(
        stops([t.AssignNumber(number=number, holder=person)], estate.build())
    )


def test_an_order_needs_the_money(estate):
    line = OrderedLine(
        number="+441134960500",
        capacity=Capacity.SINGLE,
        setup=estate.gbp("60"),
        monthly=estate.gbp("1"),
    )
    order = t.OrderNumbers(
        reference="R",
        account="brackwater-main",
        site="leeds",
        lines=(line, line.copy_with(number="+441134960501")),
    )
    assert "£20.00 short" in stops([order], estate.build())["order.enough-money"].message


def test_numbers_of_an_order_can_be_used_by_later_tasks(estate):
    """Order, then assign what arrives."""
    person = estate.person()
    estate.granted(person, "staff", "home")
    line = OrderedLine(
        number="+441134960500",
        capacity=Capacity.SINGLE,
        setup=estate.gbp("2.50"),
        monthly=estate.gbp("1"),
    )
    order = t.OrderNumbers(
        reference="R", account="brackwater-main", site="leeds", spot="WHF-001-K", lines=(line,)
    )
    tasks = [order, t.AssignNumber(number=OutputOf(output_of=0), holder=person)]
    for _ in range(3):
        tasks, _ = with_remedies(tasks, check(tasks, estate.build()))
    report = check(tasks, estate.build())
    assert report.stops == []
    assert report.after.number("+441134960500").holder == person


def test_an_unknown_spot_number_or_product_is_a_stop_not_a_crash(estate):
    person = estate.person()
    number = estate.number(142)
    bad = [
        t.SetSpot(number=number, spot="WHF-999-9"),
        t.AssignNumber(number="+441134960999", holder=person),
        t.GrantLicence(holder=person, product="none"),
    ]
    report = check(bad, estate.build())
    assert {f.task for f in report.stops} == {0, 1, 2}


def test_releasing_a_number_in_use_takes_it_back_first(estate):
    person = estate.person()
    number = estate.given(142, person)
    tasks, _ = with_remedies(
        [t.ReleaseNumber(number=number)], check([t.ReleaseNumber(number=number)], estate.build())
    )
    assert [x.kind for x in tasks] == ["unassign_number", "release_number"]
    assert check(tasks, estate.build()).stops == []


def test_a_warning_that_a_later_task_settles_is_none(estate):
    from sedge.core.callpaths.steps import holder_path
    from sedge.core.records import PathVersion

    line = estate.line()
    estate.granted(line, "permit")
    estate.put(
        PathVersion(
            id="p", name="Front desk", body=holder_path().model_dump(mode="json"), in_force_from=NOW
        )
    )
    number = estate.number(142, capacity="many", registered_spot="WHF-001-K")
    alone = check([t.AssignNumber(number=number, holder=line)], estate.build())
    both = check(
        [t.AssignNumber(number=number, holder=line), t.SetPath(number=number, path="p")],
        estate.build(),
    )
    assert [f.rule for f in alone.warnings] == ["assignment.line-has-path"]
    assert both.warnings == []


def test_every_rule_says_what_it_is_for_and_keeps_its_name_shape():
    assert len(RULES) >= 25
    for name, (kind, rule) in RULES.items():
        area, _, words = name.partition(".")
        assert area
        assert words == words.lower()
        assert kind.__name__ in dir(t)
        assert rule.__name__


def test_choosing_another_number_moves_the_tasks_that_meant_it(estate):
    line = estate.line()
    estate.number(142)
    estate.number(180, capacity="many")
    tasks = [
        t.AssignNumber(number="+441134960142", holder=line),
        t.PlaceTestCall(number="+441134960142"),
    ]
    mended, _ = with_remedies(tasks, check(tasks, estate.build()))
    assert [x.number for x in mended] == ["+441134960180"] * 2


def test_a_spot_record_is_loaded_as_such(estate):
    assert estate.build().the(Spot, "WHF-001-K").room == "reception"


def test_where_a_site_has_no_spot_help_could_be_sent_to_the_remedy_is_a_page(estate):
    holder = estate.person("Bo Reed", spot="WHF-000-M")
    number = estate.number(142, carrier="fellgate", capacity="any")
    del estate.records["Spot/WHF-001-K"]
    found = safety_rules.dispatchable_spot(
        t.AssignNumber(number=number, holder=holder), estate.build()
    )
    assert [(r.words, r.leads_to.what, r.leads_to.id) for r in found.remedies] == [
        ("Add a spot of Wharf House", "spots", "leeds")
    ]
    assert found.remedies[0].tasks == ()


def test_a_missing_call_path_is_offered_by_name_and_settled_in_the_same_order(estate):
    line = estate.line()
    number = estate.number(142, carrier="fellgate", capacity="any")
    estate.put(
        PathVersion(
            id="days",
            name="Days",
            body={"first": "m", "steps": {"m": {"kind": "mailbox", "recipients": []}}},
            in_force_from=NOW,
        )
    )
    task = t.AssignNumber(number=number, holder=line)
    found = rules.line_has_path(task, estate.build())
    assert [r.words for r in found.remedies] == ["Follow “Days”", "Create a new call path"]
    mended = check([*found.remedies[0].tasks, task], estate.build())
    assert "assignment.line-has-path" in {f.rule for f in mended.passes}


def test_too_little_money_leads_to_the_deposit(estate):
    line = {
        "number": "+441134960400",
        "capacity": "single",
        "setup": estate.gbp("250"),
        "monthly": estate.gbp("1"),
    }
    task = t.OrderNumbers(reference="x", account="brackwater-main", site="leeds", lines=(line,))
    found = supply_rules.enough_money(task, estate.build())
    assert (found.remedies[0].leads_to.what, found.remedies[0].leads_to.id) == (
        "deposit",
        "brackwater-main",
    )
