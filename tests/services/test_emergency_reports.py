"""Emergency tests of everything, calls for help to the stand-in, and what carriers have
registered."""

import csv
import io
from datetime import timedelta

import pytest

from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotFound
from sedge.core.records import Number, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.callpaths import calls
from sedge.services.safety import carrier_registrations, coverage, emergency_reports
from sedge.services.workorders import order_running, order_views
from tests.asserting import every
from tests.conftest import until_quiet

BUNDLED, OWN = "+441134960300", "+441134960100"


def test_a_test_of_everything_is_kept_with_its_date(desk):
    report = emergency_reports.run(desk)
    assert (report.numbers, report.comes, report.people_without_spot) == (94, 94, 2)
    assert [one.name for one in report.without_spot] == ["Ifeoma Haddad", "Rowan Penhallow"]
    assert report.sites == {
        "Canal Museum": (21, 21),
        "Harbour Loft": (9, 9),
        "Wharf House": (64, 64),
    }
    assert [r.id for r in emergency_reports.reports(desk)] == [report.id]
    rows = list(csv.DictReader(io.StringIO(emergency_reports.as_csv(desk, report.id))))
    assert len(rows) == 94
    assert {r["responders come"] for r in rows} == {"yes"}
    paper = emergency_reports.as_pdf(desk, report.id)
    assert paper.startswith(b"%PDF-")
    assert b"/Lang (en-GB)" in paper


def test_every_broken_link_is_named_with_where_it_is_put_right(house, desk):
    with desk.writing() as writing:
        site = writing.records.the(Site, "canal-museum")
        writing.save([changed(Subject.SITE, site, site.but(security_desk=""), "site.changed")])
    report = emergency_reports.run(desk, site="canal-museum")
    assert (report.numbers, report.comes) == (21, 0)
    _, lines, count = emergency_reports.view_report(desk, report.id)
    assert count == 21
    assert {x.remedy for x in lines} == {"security desk"}
    assert every("Nobody at Canal Museum would be told" in " ".join(x.broken) for x in lines)
    assert next(iter(report.reasons.values())) == 21


def test_a_report_stays_as_it_was(desk):
    before = emergency_reports.run(desk)
    with desk.writing() as writing:
        number = writing.records.the(Number, OWN)
        writing.save([changed(Subject.NUMBER, number, number.but(spot=None), "number.spot-set")])
    after = emergency_reports.run(desk)
    assert (after.comes, before.comes) == (93, 94)
    assert emergency_reports.view_report(desk, before.id)[0] == before
    with pytest.raises(NotFound):
        emergency_reports.view_report(desk, "report-nowhere")


def test_numbers_without_a_spot_are_put_right_in_one_order(house, desk):
    with desk.writing() as writing:
        numbers = [writing.records.the(Number, e164) for e164 in (OWN, "+441134960101")]
        writing.save(
            [changed(Subject.NUMBER, n, n.but(spot=None), "number.spot-set") for n in numbers]
        )
    assert "no-spot" in {g.key for g in coverage.gaps(desk)}
    order = coverage.put_right(desk, "no-spot")
    order_running.run(desk, order.id)
    until_quiet(house, timedelta(minutes=1))
    assert order_views.view_order(desk, order.id).order.state is OrderState.DONE
    assert "no-spot" not in {g.key for g in coverage.gaps(desk)}
    with pytest.raises(NotFound):
        coverage.put_right(desk, "people")


# ── a call for help, to the stand-in ──


def test_a_call_for_help_shows_the_operator_the_place_and_tells_the_security_desk(house, desk):
    proof = calls.place_help_call(desk, OWN)
    assert proof.ok, proof.differs
    assert "reception" in proof.heard
    notice = house.outside.telephony.notices()[0]
    assert notice["to"] == "estates@lanternfield.example"
    assert OWN in notice["words"]
    assert any(m["subject"] == "Test of an emergency call" for m in house.outside.mail.mailbox())


def test_where_the_carrier_has_another_address_the_call_shows_it(house, desk):
    house.outside.control.call(
        "PUT", f"addresses/{BUNDLED}", json={"floor": "7th floor", "room": "roof"}
    )
    proof = calls.place_help_call(desk, BUNDLED)
    assert not proof.ok
    assert "7th floor" in proof.differs


def test_nobody_calls_for_help_from_a_number_nobody_has(desk):
    with desk.reading() as reading:
        free = next(n.e164 for n in reading.records.all(Number) if n.state == "available")
    with pytest.raises(NotAllowedNow):
        calls.place_help_call(desk, free)


# ── what carriers have registered ──


def test_what_the_carrier_has_is_held_against_ours_part_by_part_and_sent_again(house, desk):
    whole = carrier_registrations.compare(desk, "brackwater")
    assert whole.differences == []
    assert whole.alike > 3
    house.outside.control.call(
        "PUT", f"addresses/{BUNDLED}", json={"house_number": "21", "room": "cellar"}
    )
    found = carrier_registrations.compare(desk, "brackwater")
    assert [d.number.e164 for d in found.differences] == [BUNDLED]
    assert {(part, theirs) for part, _, theirs in found.differences[0].parts} == {
        ("house_number", "21"),
        ("room", "cellar"),
    }
    order = carrier_registrations.send_again(desk, "brackwater")
    order_running.run(desk, order.id)
    until_quiet(house, timedelta(minutes=1))
    assert carrier_registrations.compare(desk, "brackwater").differences == []
    with pytest.raises(NotFound):
        carrier_registrations.send_again(desk, "brackwater")


def test_a_carrier_that_is_silent_is_said_to_be(house, desk):
    house.outside.control.order_fault({"service": "brackwater", "fault": "error", "count": 4})
    found = carrier_registrations.compare(desk, "brackwater")
    assert found.trouble
    assert found.differences == []


def test_one_that_keeps_no_addresses_is_not_asked(desk):
    with pytest.raises(NotFound):
        carrier_registrations.compare(desk, "fellgate")


def test_a_carrier_that_refuses_an_address_says_why(house, desk):
    from sedge.core.records import Address

    with desk.writing() as writing:
        address = writing.records.the(Address, "wharf-house-address")
        elements = address.elements.but(postcode="LS2 8ZZ")
        writing.save(
            [changed(Subject.ADDRESS, address, address.but(elements=elements), "address.changed")]
        )
    order = order_running.run_now(desk, "Register", [t.RegisterAddress(number=BUNDLED)])
    until_quiet(house, timedelta(minutes=1))
    failed = order_views.view_order(desk, order.id).order
    assert failed.state is OrderState.FAILED
    assert "takes no addresses from us" in failed.tasks[0].error


def test_a_large_test_goes_on_in_slices_and_comes_to_the_same(house, desk, monkeypatch):
    whole = emergency_reports.run(desk)
    monkeypatch.setattr(emergency_reports, "BATCH", 10)
    monkeypatch.setattr(emergency_reports, "SLICE", 20)
    begun = emergency_reports.begin(desk)
    assert (begun.done, begun.numbers, begun.total) == (False, 20, 94)
    assert emergency_reports.go_on(desk.as_system()) == 1
    assert emergency_reports.view_report(desk, begun.id)[0].numbers == 40
    until_quiet(house, timedelta(seconds=5))
    after = emergency_reports.view_report(desk, begun.id)[0]
    assert (after.done, after.numbers, after.comes, after.sites) == (
        True,
        whole.numbers,
        whole.comes,
        whole.sites,
    )
    assert len(emergency_reports.as_csv(desk, begun.id).splitlines()) == 95
    assert emergency_reports.go_on(desk.as_system()) == 0


def test_of_two_who_go_on_at_once_one_slice_is_kept(desk, monkeypatch):
    monkeypatch.setattr(emergency_reports, "BATCH", 10)
    monkeypatch.setattr(emergency_reports, "SLICE", 20)
    begun = emergency_reports.begin(desk)
    row = emergency_reports._row(desk, begun.id)
    one, other = emergency_reports._sheet_of(row.body), emergency_reports._sheet_of(row.body)
    emergency_reports._keep(desk, one, emergency_reports._slice(desk, one), part=row.parts)
    emergency_reports._keep(desk, other, emergency_reports._slice(desk, other), part=row.parts)
    assert emergency_reports.view_report(desk, begun.id)[0].numbers == 40
    assert len(emergency_reports.as_csv(desk, begun.id).splitlines()) == 41
