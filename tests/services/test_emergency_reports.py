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


def test_a_test_of_everything_is_kept_with_its_date(context):
    report = emergency_reports.run(context)
    assert (report.numbers, report.comes, report.people_without_spot) == (94, 94, 2)
    assert [one.name for one in report.without_spot] == ["Ifeoma Haddad", "Rowan Penhallow"]
    assert report.sites == {
        "Canal Museum": (21, 21),
        "Harbour Loft": (9, 9),
        "Wharf House": (64, 64),
    }
    assert [r.id for r in emergency_reports.reports(context)] == [report.id]
    rows = list(csv.DictReader(io.StringIO(emergency_reports.as_csv(context, report.id))))
    assert len(rows) == 94
    assert {r["responders come"] for r in rows} == {"yes"}
    paper = emergency_reports.as_pdf(context, report.id)
    assert paper.startswith(b"%PDF-")
    assert b"/Lang (en-GB)" in paper


def test_every_broken_link_is_named_with_where_it_is_put_right(installation, context):
    with context.writing() as writing:
        site = writing.records.the(Site, "canal-museum")
        writing.save(
            [changed(Subject.SITE, site, site.copy_with(security_desk=""), "site.changed")]
        )
    report = emergency_reports.run(context, site="canal-museum")
    assert (report.numbers, report.comes) == (21, 0)
    _, lines, count = emergency_reports.view_report(context, report.id)
    assert count == 21
    assert {x.remedy for x in lines} == {"security desk"}
    assert every("Nobody at Canal Museum would be told" in " ".join(x.broken) for x in lines)
    assert next(iter(report.reasons.values())) == 21


def test_a_report_stays_as_it_was(context):
    before = emergency_reports.run(context)
    with context.writing() as writing:
        number = writing.records.the(Number, OWN)
        writing.save(
            [changed(Subject.NUMBER, number, number.copy_with(spot=None), "number.spot-set")]
        )
    after = emergency_reports.run(context)
    assert (after.comes, before.comes) == (93, 94)
    assert emergency_reports.view_report(context, before.id)[0] == before
    with pytest.raises(NotFound):
        emergency_reports.view_report(context, "report-nowhere")


def test_numbers_without_a_spot_are_put_right_in_one_order(installation, context):
    with context.writing() as writing:
        numbers = [writing.records.the(Number, e164) for e164 in (OWN, "+441134960101")]
        writing.save(
            [changed(Subject.NUMBER, n, n.copy_with(spot=None), "number.spot-set") for n in numbers]
        )
    assert "no-spot" in {g.key for g in coverage.gaps(context)}
    order = coverage.put_right(context, "no-spot")
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=1))
    assert order_views.view_order(context, order.id).order.state is OrderState.DONE
    assert "no-spot" not in {g.key for g in coverage.gaps(context)}
    with pytest.raises(NotFound):
        coverage.put_right(context, "people")


# ── a call for help, to the stand-in ──


def test_a_call_for_help_shows_the_operator_the_place_and_tells_the_security_desk(
    installation, context
):
    proof = calls.place_help_call(context, OWN)
    assert proof.ok, proof.differs
    assert "reception" in proof.heard
    notice = installation.outside.telephony.notices()[0]
    assert notice["to"] == "estates@lanternfield.example"
    assert OWN in notice["words"]
    assert any(
        m["subject"] == "Test of an emergency call" for m in installation.outside.mail.mailbox()
    )


def test_where_the_carrier_has_another_address_the_call_shows_it(installation, context):
    installation.outside.control.call(
        "PUT", f"addresses/{BUNDLED}", json={"floor": "7th floor", "room": "roof"}
    )
    proof = calls.place_help_call(context, BUNDLED)
    assert not proof.ok
    assert "7th floor" in proof.differs


def test_nobody_calls_for_help_from_a_number_nobody_has(context):
    with context.reading() as reading:
        free = next(n.e164 for n in reading.records.all(Number) if n.state == "available")
    with pytest.raises(NotAllowedNow):
        calls.place_help_call(context, free)


# ── what carriers have registered ──


def test_what_the_carrier_has_is_held_against_ours_part_by_part_and_sent_again(
    installation, context
):
    whole = carrier_registrations.compare(context, "brackwater")
    assert whole.differences == []
    assert whole.alike > 3
    installation.outside.control.call(
        "PUT", f"addresses/{BUNDLED}", json={"house_number": "21", "room": "cellar"}
    )
    found = carrier_registrations.compare(context, "brackwater")
    assert [d.number.e164 for d in found.differences] == [BUNDLED]
    assert {(part, theirs) for part, _, theirs in found.differences[0].parts} == {
        ("house_number", "21"),
        ("room", "cellar"),
    }
    order = carrier_registrations.send_again(context, "brackwater")
    order_running.run(context, order.id)
    until_quiet(installation, timedelta(minutes=1))
    assert carrier_registrations.compare(context, "brackwater").differences == []
    with pytest.raises(NotFound):
        carrier_registrations.send_again(context, "brackwater")


def test_a_carrier_that_is_silent_is_said_to_be(installation, context):
    installation.outside.control.order_fault(
        {"service": "brackwater", "fault": "error", "count": 4}
    )
    found = carrier_registrations.compare(context, "brackwater")
    assert found.trouble
    assert found.differences == []


def test_one_that_keeps_no_addresses_is_not_asked(context):
    with pytest.raises(NotFound):
        carrier_registrations.compare(context, "fellgate")


def test_a_carrier_that_refuses_an_address_says_why(installation, context):
    from sedge.core.records import Address

    with context.writing() as writing:
        address = writing.records.the(Address, "wharf-house-address")
        elements = address.elements.copy_with(postcode="LS2 8ZZ")
        writing.save(
            [
                changed(
                    Subject.ADDRESS,
                    address,
                    address.copy_with(elements=elements),
                    "address.changed",
                )
            ]
        )
    order = order_running.run_now(context, "Register", [t.RegisterAddress(number=BUNDLED)])
    until_quiet(installation, timedelta(minutes=1))
    failed = order_views.view_order(context, order.id).order
    assert failed.state is OrderState.FAILED
    assert "takes no addresses from us" in failed.tasks[0].error


def test_a_large_test_goes_on_in_slices_and_comes_to_the_same(installation, context, monkeypatch):
    whole = emergency_reports.run(context)
    monkeypatch.setattr(emergency_reports, "BATCH", 10)
    monkeypatch.setattr(emergency_reports, "SLICE", 20)
    begun = emergency_reports.begin(context)
    assert (begun.done, begun.numbers, begun.total) == (False, 20, 94)
    assert emergency_reports.continue_reports(context.as_system()) == 1
    assert emergency_reports.view_report(context, begun.id)[0].numbers == 40
    until_quiet(installation, timedelta(seconds=5))
    after = emergency_reports.view_report(context, begun.id)[0]
    assert (after.done, after.numbers, after.comes, after.sites) == (
        True,
        whole.numbers,
        whole.comes,
        whole.sites,
    )
    assert len(emergency_reports.as_csv(context, begun.id).splitlines()) == 95
    assert emergency_reports.continue_reports(context.as_system()) == 0


def test_of_two_who_go_on_at_once_one_slice_is_kept(context, monkeypatch):
    monkeypatch.setattr(emergency_reports, "BATCH", 10)
    monkeypatch.setattr(emergency_reports, "SLICE", 20)
    begun = emergency_reports.begin(context)
    row = emergency_reports._row(context, begun.id)
    one, other = emergency_reports._sheet_of(row.body), emergency_reports._sheet_of(row.body)
    emergency_reports._keep(context, one, emergency_reports._slice(context, one), part=row.parts)
    emergency_reports._keep(
        context, other, emergency_reports._slice(context, other), part=row.parts
    )
    assert emergency_reports.view_report(context, begun.id)[0].numbers == 40
    assert len(emergency_reports.as_csv(context, begun.id).splitlines()) == 41
