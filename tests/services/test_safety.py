"""Emergency data at the desk: addresses against the register, spots, gaps, what the carrier has
registered."""

from dataclasses import replace

import pytest

from sedge.core.errors import Forbidden, NotAllowedNow, NotUnderstood, OutsideSilent
from sedge.core.records import CivicElements, HolderKind, HolderRef, Number, Verdict
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services.callpaths import calls
from sedge.services.holders import holders, site_management
from sedge.services.imports import people_import
from sedge.services.numbers import numbers
from sedge.services.safety import coverage, safety
from sedge.services.today import today
from sedge.services.workorders import drafts, order_running, order_views, workorders
from tests.conftest import until_quiet

WHARF = CivicElements(
    country="GB", city="Leeds", street="Lanternfield Wharf", house_number="12", postcode="LS1 4ZZ"
)
BUNDLED = "+441134960300"


def role(installation, sign_in):
    return installation.context(next(m for m in MEMBERS if m.sign_in == sign_in))


def number(context, e164):
    with context.reading() as reading:
        return reading.records.the(Number, e164)


# ── addresses ──


def test_an_exact_address_is_taken_as_the_register_writes_it(context):
    checked = safety.checked_address(
        context, WHARF.copy_with(street="lanternfield  wharf"), accepted=False
    )
    assert (checked.verdict, checked.elements.street, checked.psap) == (
        Verdict.EXACT,
        "Lanternfield Wharf",
        "Leeds operator assistance",
    )


def test_a_correction_is_taken_only_when_accepted(context):
    typed = WHARF.copy_with(street="Lanternfeld Wharf")
    with pytest.raises(NotUnderstood) as raised:
        safety.checked_address(context, typed, accepted=False)
    assert raised.value.field == "accepted"
    assert "street “Lanternfeld Wharf” becomes “Lanternfield Wharf”" in raised.value.message
    assert safety.checked_address(context, typed, accepted=True).verdict is Verdict.CORRECTED


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"street": "Nowhere at all"}, "street"),
        ({"house_number": "99"}, "house_number"),
        ({"street": "Towpath R"}, "street"),
        ({"city": ""}, "city"),
        ({"postcode": " "}, "postcode"),
    ],
)
def test_a_guess_is_never_taken_even_when_accepted(context, changes, field):
    with pytest.raises(NotUnderstood) as raised:
        safety.checked_address(context, WHARF.copy_with(**changes), accepted=True)
    assert raised.value.field == field


def test_a_register_that_does_not_answer_adds_no_site(installation, context):
    installation.outside.control.order_fault({"service": "register", "fault": "error", "count": 1})
    before = len(site_management.sites(context))
    with pytest.raises(OutsideSilent):
        site_management.add_site(context, name="Reed House", code="RDH", typed=WHARF)
    assert len(site_management.sites(context)) == before


def test_a_site_takes_supply_from_its_account_and_the_rest_from_its_country(context):
    site = site_management.add_site(
        context,
        name="Reed House",
        code="rdh",
        typed=WHARF,
        floors=2,
        area_m2=900,
        account="fellgate-main",
        security_desk="x@y.example",
    )
    assert (site.code, site.supply_model, site.timezone, site.language, site.outside_prefix) == (
        "RDH",
        "own trunk",
        "Europe/London",
        "en",
        "9",
    )
    view = site_management.one_site(context, site.id)
    assert view.row.address.floors == 2
    assert [s.name for s in view.spots] == ["whole address"]
    assert view.main == ""


def test_an_account_that_does_not_serve_the_country_is_refused(context):
    berlin = CivicElements(
        country="DE", city="Berlin", street="Speicherufer", house_number="4", postcode="10999"
    )
    with pytest.raises(NotUnderstood) as raised:
        site_management.add_site(
            context, name="Depot", code="SPD", typed=berlin, account="fellgate-main"
        )
    assert raised.value.field == "account"
    assert (
        site_management.add_site(
            context, name="Depot", code="SPD", typed=berlin, account="brackwater-main"
        ).country
        == "DE"
    )


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"name": " "}, "name"),
        ({"code": "AB"}, "code"),
        ({"code": "ÄÖÜ"}, "code"),
        ({"typed": WHARF.copy_with(country="ZZ")}, "country"),
        ({"floors": 0}, "floors"),
        ({"floors": 900}, "floors"),
        ({"area_m2": -1}, "area_m2"),
    ],
)
def test_what_is_wrong_with_a_new_site_is_named(context, values, field):
    with pytest.raises(NotUnderstood) as raised:
        site_management.add_site(
            context, **{"name": "Reed House", "code": "RDH", "typed": WHARF, **values}
        )
    assert raised.value.field == field


# ── spots ──


def test_a_new_spot_gets_the_next_code_with_its_check_character(context):
    first = safety.add_spot(context, site="wharf-house", floor="2nd floor", room="room 2.20")
    second = safety.add_spot(context, site="wharf-house", floor="2nd floor", room="room 2.21")
    assert first.id.startswith("WHF-009-")
    assert second.id.startswith("WHF-010-")
    assert first.name == "2nd floor, room 2.20"


def test_in_a_building_of_several_floors_floor_and_room_are_asked(context):
    with pytest.raises(NotUnderstood) as raised:
        safety.add_spot(context, site="wharf-house", floor="", room="x")
    assert raised.value.field == "floor"
    plain = safety.add_spot(context, site="wharf-house", floor="2nd floor", room=" ")
    assert (
        next(row.problem for row in safety.spots(context) if row.spot.id == plain.id)
        == "floor and room are missing"
    ), "kept, and not offered"
    assert plain.id not in {code for code, _ in site_management.good_spots(context, "wharf-house")}


def test_the_same_spot_is_not_added_twice(context):
    safety.add_spot(context, site="wharf-house", floor="2nd floor", room="Studio")
    with pytest.raises(NotAllowedNow, match="has that spot already"):
        safety.add_spot(context, site="wharf-house", floor="2nd Floor", room="studio")


def test_confirming_a_spot_takes_it_off_todays_list(context):
    def unconfirmed():
        return [line.what for line in today.todo(context) if "confirmed" in line.what]

    assert unconfirmed() == ["4 spots nobody has confirmed for a year"]
    for row in safety.spots(context):
        if row.review:
            safety.confirm_spot(context, row.spot.id)
    assert unconfirmed() == []


def test_only_those_who_may_change_spots(installation):
    with pytest.raises(Forbidden):
        safety.confirm_spot(role(installation, "declan"), "WHF-001-K")
    assert safety.confirm_spot(role(installation, "gethin"), "WHF-001-K").confirmed_at is not None


# ── gaps, and what the carrier has ──


def test_the_demo_starts_with_two_people_nobody_could_find(context):
    gaps = {g.reason: g for g in coverage.gaps(context)}
    assert list(gaps) == ["people without a spot"]
    assert gaps["people without a spot"].told == "2 people without a spot"
    assert replace(gaps["people without a spot"], count=1).told == "1 person without a spot"
    assert {p["name"] for p in gaps["people without a spot"].people} == {
        "Ifeoma Haddad",
        "Rowan Penhallow",
    }
    assert any("2 people without an emergency spot" in line.what for line in today.todo(context))


def test_a_moved_number_is_a_gap_until_the_carrier_knows(installation, context):
    move = workorders.draft(context, "move", [t.SetSpot(number=BUNDLED, spot="WHF-006-A")])
    order_running.run(context, move.id)
    until_quiet(installation)
    reason = "numbers whose carrier has another address than Sedge, or none"
    assert {g.reason: g.numbers for g in coverage.gaps(context)}[reason] == [BUNDLED]
    assert (
        today.todo(context)[0].what == "1 number registered elsewhere than where responders must go"
    )
    assert "register-address" in numbers.card(context, BUNDLED).actions
    tell = workorders.draft(context, "tell", [t.RegisterAddress(number=BUNDLED)])
    order_running.run(context, tell.id)
    until_quiet(installation)
    assert reason not in {g.reason for g in coverage.gaps(context)}
    shown = (
        installation.outside.carrier("brackwater")
        .with_key("key-of-brackwater-main")
        .call("GET", f"numbers/{BUNDLED}")["address"]
    )
    assert (shown["floor"], shown["room"], shown["site"]) == (
        "2nd floor",
        "room 2.14",
        "Wharf House",
    )
    assert calls.emergency(context, BUNDLED, "999").cautions == []


def test_moving_a_person_with_remedies_tells_the_carrier_of_each_number(installation, context):
    holder = number(context, BUNDLED).holder
    order = workorders.draft(context, "moves desk", [t.SetSpot(person=holder.id, spot="WHF-008-6")])
    drafts.add_remedies(context, order.id)
    assert [x.stored.body.kind for x in order_views.view_order(context, order.id).tasks] == [
        "set_spot",
        "register_address",
    ]
    order_running.run(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    moved = number(context, BUNDLED)
    assert (moved.spot, moved.registered_spot) == ("WHF-008-6", "WHF-008-6")


def test_a_carrier_that_refuses_the_address_fails_the_task_with_its_reason(installation, context):
    order = workorders.draft(context, "tell", [t.RegisterAddress(number=BUNDLED)])
    installation.outside.control.order_fault({"service": "carrier", "fault": "reject", "count": 1})
    order_running.run(context, order.id)
    until_quiet(installation)
    view = order_views.view_order(context, order.id)
    assert view.order.state is OrderState.FAILED
    assert "Brackwater Telecom refused" in view.tasks[0].stored.error


def test_a_wrong_spot_code_never_becomes_an_address(context):
    order = workorders.draft(context, "x", [t.SetSpot(number=BUNDLED, spot="WHF-006-B")])
    report = order_views.view_order(context, order.id).report
    assert not report.runnable
    assert "WHF-006-B" in report.stops[0].message


# ── people from a file ──

FILE = (
    b"Name;Mail;Site;Extension\nAda Reed;ada.reed@lanternfield.example;WHF;411\nBo"
    b" Rush;bo.rush@lanternfield.example;Canal Museum;412\n"
)


def test_a_file_is_looked_at_first_and_nothing_is_changed(context):
    found = people_import.preview_people(context, FILE)
    assert [p.name for p in found.new] == ["Ada Reed", "Bo Rush"]
    assert [p.site for p in found.new] == ["wharf-house", "canal-museum"]
    assert holders.people(context, find="reed")[0] == []


def test_people_come_in_without_phones_nobody_set_up_and_bringing_them_in_again_changes_nothing(
    installation, context
):
    found = people_import.preview_people(context, FILE)
    people_import.bring_in_people(context, FILE, found.digest)
    row = holders.people(context, find="ada reed")[0][0]
    assert row.devices == []
    assert "a phone" in row.missing
    again = people_import.preview_people(context, FILE)
    assert (len(again.new), len(again.changed), again.same) == (0, 0, 2)


def test_a_changed_row_changes_only_what_it_says(context):
    found = people_import.preview_people(context, FILE)
    people_import.bring_in_people(context, FILE, found.digest)
    changed = FILE.replace(b"411", b"499")
    preview = people_import.preview_people(context, changed)
    assert [(p.name, p.extension) for p in preview.changed] == [("Ada Reed", "499")]
    people_import.bring_in_people(context, changed, preview.digest)
    assert holders.people(context, find="ada reed")[0][0].holder.extension == "499"


def test_another_file_than_the_one_looked_at_is_not_brought_in(context):
    from sedge.core.errors import NotAllowedNow

    digest = people_import.preview_people(context, FILE).digest
    with pytest.raises(NotAllowedNow) as raised:
        people_import.bring_in_people(context, FILE + b"Cy;cy@lanternfield.example;WHF;1\n", digest)
    assert raised.value.reason == "other-file"


def test_a_site_is_a_holder_too_and_its_main_number_is_rung_back(installation, context):
    site = site_management.add_site(
        context,
        name="Reed House",
        code="RDH",
        typed=WHARF,
        account="fellgate-main",
        security_desk="x@y.example",
    )
    ref = HolderRef(kind=HolderKind.SITE, id=site.id)
    spot = safety.add_spot(context, site=site.id, floor="ground floor", room="desk")
    tasks = [
        t.MoveNumber(number="+441134960160", site=site.id),
        t.AssignNumber(number="+441134960160", holder=ref, spot=spot.id),
        t.SetPath(number="+441134960160", path="wharf-front-desk"),
    ]
    order = workorders.draft(context, "main number", tasks)
    order_running.run(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert site_management.one_site(context, site.id).main == "0113 496 0160"
    assert calls.emergency(context, "+441134960160", "999").callback == "+441134960160"
