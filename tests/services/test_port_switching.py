"""Switching day: holders are ready before, numbers arrive as the losing carrier lets them go, each
once, are proven, or go back."""

from datetime import timedelta

import pytest
from sqlalchemy import func, select

from sedge.core.changes import changed
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotRunnable, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.porting.records import PortState
from sedge.core.records import Account, Number, Person, Proof, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.holders import holders, site_management
from sedge.services.holders.devices import devices
from sedge.services.porting import (
    change_freezes,
    port_calendar,
    port_cutover,
    port_dialogue,
    port_planning,
    ports,
    run_sheets,
)
from sedge.services.porting import execution as port_execution
from sedge.services.supply import documents
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, workorders
from sedge.services.workorders.runner import recover, tick
from sedge.store.schema import chain, tables
from tests.conftest import until_quiet
from tests.services.test_holders import some_people
from tests.services.test_ports import BILL, now, submitted

SITE = "millwheel-gallery"


def begun(context, text="0117 496 0800-0837", site=SITE):
    (port,) = port_planning.begin(context, text, account="fellgate-main", site=site)
    return port


def accepted(installation, context, text="0117 496 0800-0837"):
    """A port whose losing carrier has named its day."""
    port = begun(context, text)
    submitted(installation, context, port.id)
    until_quiet(installation, timedelta(days=5))
    assert now(context, port.id).state is PortState.ACCEPTED
    return port.id


def to_its_day(installation, context, key, more=timedelta(0)):
    until_quiet(installation, now(context, key).foc - context.now() + more)


def numbers_of(context, key):
    with context.reading() as reading:
        return {n.e164: n for n in reading.records.many(Number, now(context, key).numbers)}


def test_what_the_losing_carrier_lists_becomes_a_proposal(context):
    port = begun(context)
    of = port_cutover.preparation(context, port.id)
    assert (of.sure, of.proposed, of.left) == (19, 21, 0)
    by = {r.line.used_for: r.proposal for r in of.rows}
    assert (by["Director, R. Tolliver"].name, by["Director, R. Tolliver"].sure) == (
        "Rufus Tolliver",
        False,
    )
    port_cutover.take_proposals(context, port.id)
    assert sum(1 for line in now(context, port.id).lines if line.holder) == 19
    port_cutover.take_proposals(context, port.id, unsure=True)
    assert sum(1 for line in now(context, port.id).lines if line.holder) == 21


def test_a_pasted_list_says_who_and_a_wrong_line_is_named(context):
    port = begun(context)
    port_cutover.paste(
        context,
        port.id,
        "0117 496 0806, Hattie Brandreth\n01174960800 Reception, Millwheel Gallery\n\n",
    )
    names = {
        r.line.e164: r.holder for r in port_cutover.preparation(context, port.id).rows if r.holder
    }
    assert names == {
        "+441174960806": "Hattie Brandreth",
        "+441174960800": "Reception, Millwheel Gallery",
    }
    for text, said in (
        ("0117 496 0806 Nobody Atall", "Line 1, “0117 496 0806 Nobody"),
        ("hello", "begins with no number"),
        ("", "Paste a list"),
    ):
        with pytest.raises(NotUnderstood, match=said) as refused:
            port_cutover.paste(context, port.id, text)
        assert refused.value.field == "list"


def test_two_who_choose_at_once_cant_both_win(context):
    port = begun(context)
    form = {"who:+441174960806": "Hattie Brandreth", "version": str(port.version)}
    port_cutover.choose(context, port.id, form)
    with pytest.raises(ChangedMeanwhile):
        port_cutover.choose(context, port.id, {**form, "who:+441174960806": "Osei Kwarteng"})
    with pytest.raises(NotUnderstood) as refused:
        port_cutover.choose(context, port.id, {"who:+441174960807": "nobody by that name"})
    assert refused.value.field == "who:+441174960807"


def test_a_holder_without_a_spot_stops_the_switch_before_anything_moves(installation, context):
    key = accepted(installation, context, "0117 496 0806-0807")
    port_cutover.choose(
        context,
        key,
        {"who:+441174960806": some_people(context, 50)[-1].email, "who:+441174960807": ""},
    )
    person = now(context, key).line("+441174960806").holder
    with context.writing() as writing:
        before = writing.records.the(Person, person.id)
        writing.save(
            [changed(Subject.PERSON, before, before.copy_with(spot=None), "person.spot-set")]
        )
    draft = port_cutover.activation(context, key)
    stops = {f.rule: f for f in order_views.view_order(context, draft.id).report.stops}
    assert "port.help-finds-each" in stops
    assert "has no emergency spot" in stops["port.help-finds-each"].message
    assert stops["port.help-finds-each"].remedies[-1].leads_to.what == "port holders"


def test_the_day_goes_from_holders_to_proven_with_a_number_that_comes_late(installation, context):
    key = accepted(installation, context)
    port_cutover.take_proposals(context, key, unsure=True)
    port_cutover.choose(
        context,
        key,
        {
            "who:+441174960800": "Reception, Millwheel Gallery",
            "path:+441174960800": "millwheel-gallery-front",
        },
    )
    draft = port_cutover.activation(context, key)
    assert order_views.view_order(context, draft.id).report.runnable, [
        f.message for f in order_views.view_order(context, draft.id).report.stops
    ]
    order_running.run(context, draft.id)
    to_its_day(installation, context, key, timedelta(minutes=20))
    found = numbers_of(context, key)
    late = found["+441174960836"]
    assert (late.state, now(context, key).state) == (
        State.PORTING_IN,
        PortState.DUE,
    ), "one exchange takes two hours more"
    assert sum(1 for n in found.values() if n.state is State.ASSIGNED) == 21
    waits = next(
        x.waits_for
        for x in workorders.get(context, draft.id).tasks
        if x.body.kind == "activate_port"
    )
    assert waits == "Old Quay Communications to let the rest go: 37 of 38 have arrived"
    until_quiet(installation, timedelta(hours=3))
    assert now(context, key).state is PortState.ACTIVATED
    order = workorders.get(context, draft.id)
    assert order.state is OrderState.DONE, [(x.body.kind, x.error) for x in order.tasks if x.error]
    reception = numbers_of(context, key)["+441174960800"]
    assert (reception.path, reception.trunk, str(reception.monthly.amount)) == (
        "millwheel-gallery-front",
        "fellgate-bristol",
        "0.80",
    )
    with context.reading() as reading:
        proofs = reading.records.where(
            Proof, tables.proof.c.number.in_([int(n) for n in numbers_of(context, key)])
        )
    assert {(p.direction, p.ok) for p in proofs} == {("in", True), ("out", True)}
    assert port_cutover.close(context, key).state is PortState.CLOSED


def test_a_switch_killed_in_the_middle_goes_on_and_takes_each_number_once(
    installation, context, monkeypatch
):
    monkeypatch.setattr(port_execution, "AT_ONCE", 5)
    key = accepted(installation, context, "0117 496 0800-0830")
    port_cutover.take_proposals(context, key)
    draft = port_cutover.activation(context, key)
    order_running.run(context, draft.id)
    to_its_day(installation, context, key, -timedelta(minutes=1))
    context.outside.control.advance(70)
    installation.clock.advance(timedelta(seconds=70))
    for _ in range(3):
        tick(installation)
    some = [n for n in numbers_of(context, key).values() if n.state is not State.PORTING_IN]
    assert 0 < len(some) < 31
    recover(installation)
    until_quiet(installation, timedelta(hours=1))
    after = numbers_of(context, key)
    assert {n.state for n in after.values()} <= {State.ASSIGNED, State.AVAILABLE}
    assert {n.e164: n.id for n in some}.items() <= {n.e164: n.id for n in after.values()}.items()
    with context.reading() as reading:
        ledger = chain.ledger
        rows = reading.connection.execute(
            select(ledger.c.subject_id, func.count())
            .where(ledger.c.action == "number.ported-in")
            .group_by(ledger.c.subject_id)
        ).all()
    assert {count for _, count in rows} == {1}, "each number arrives once"
    assert len(rows) == 31


def test_numbers_go_back_while_the_window_is_open_and_not_after(installation, context):
    key = accepted(installation, context, "0117 496 0806-0809")
    port_cutover.take_proposals(context, key)
    draft = port_cutover.activation(context, key)
    order_running.run(context, draft.id)
    to_its_day(installation, context, key, timedelta(minutes=10))
    assert now(context, key).state is PortState.ACTIVATED
    back = port_cutover.backing_out(context, key, "the lift does not ring")
    warned = [
        f.message
        for f in order_views.view_order(context, back.id).report.warnings
        if f.rule == "port.back-out-open"
    ]
    assert warned[0].startswith("4 holders lose their number here")
    order_running.run(context, back.id)
    until_quiet(installation)
    assert (workorders.get(context, back.id).state, now(context, key).state) == (
        OrderState.DONE,
        PortState.BACKED_OUT,
    )
    assert {n.state for n in numbers_of(context, key).values()} == {State.CLOSED}
    served = context.outside.numbering.served(["+441174960806"])["+441174960806"]
    assert served.carrier == "Old Quay Communications"


def test_undoing_the_switch_backs_out_and_says_when_it_is_too_late(installation, context):
    key = accepted(installation, context, "0117 496 0806")
    draft = port_cutover.activation(context, key)
    order_running.run(context, draft.id)
    to_its_day(installation, context, key, timedelta(minutes=10))
    until_quiet(installation, timedelta(days=1))
    with pytest.raises(NotRunnable) as refused:
        order_running.undo(context, draft.id)
    assert "The window for going back closed" in refused.value.message or any(
        "window" in str(x) for x in refused.value.facts.values()
    )
    with pytest.raises(NotUnderstood):
        port_cutover.backing_out(context, key, " ")


def test_a_silent_carrier_is_reminded(installation, context):
    port = begun(context, "0117 496 0806")
    context.outside.control.steer_porting(silent=True)
    submitted(installation, context, port.id)
    with pytest.raises(NotAllowedNow, match="within its time"):
        port_dialogue.remind(context, port.id)
    due = now(context, port.id).answer_due
    until_quiet(installation, due - context.now() + timedelta(hours=2))
    assert ports.view_port(context, port.id).silent
    assert [line.words for line in today.todo(context) if "Port 2" in line.what] == [
        "Send reminder"
    ]
    port_dialogue.remind(context, port.id)
    until_quiet(installation, timedelta(hours=2))
    assert now(context, port.id).state is PortState.ACCEPTED


def test_a_port_is_split_in_two(context):
    port = begun(context)
    ports.change_port(context, port.id, BILL)
    ports.sign(context, port.id, "Imogen Vance")
    other = port_dialogue.split(context, port.id, "0117 496 0820-0829")
    kept = now(context, port.id)
    assert (len(kept.numbers), len(other.numbers), kept.state, other.state) == (
        28,
        10,
        PortState.DRAFT,
        PortState.DRAFT,
    )
    assert (other.details.pin, other.signed, kept.signed, other.no) == ("4471", "", "", kept.no + 1)
    assert set(other.numbers) <= set(kept.left_behind)
    for text, kind in (
        ("0113 496 0100", NotUnderstood),
        ("nothing", NotUnderstood),
        ("0117 496 0800-0819, 0117 496 0830-0837", NotAllowedNow),
    ):
        with pytest.raises(kind) as refused:
            port_dialogue.split(context, port.id, text)
        assert refused.value.field == "apart"


def test_days_kept_free_move_the_earliest_day_and_refuse_a_wish(installation, context):
    port = begun(context, "0117 496 0806-0807")
    first = ports.view_port(context, port.id).earliest.day
    kept = change_freezes.keep_free(
        context,
        first=first.isoformat(),
        last=(first + timedelta(days=1)).isoformat(),
        why="stock-taking",
        site=SITE,
    )
    later = ports.view_port(context, port.id).earliest
    assert later.day > first
    assert any("is kept free: stock-taking" in reason for reason in later.reasons)
    view = port_calendar.port_days(context, first.isoformat())
    (row,) = [s for s in view.sites if s.site.id == SITE]
    assert row.off[first] == "kept free: stock-taking"
    change_freezes.give_back(context, kept.id)
    assert ports.view_port(context, port.id).earliest.day == first
    for wrong, field in (
        ({"first": "soon"}, "first"),
        ({"last": "2020-01-01"}, "last"),
        ({"why": ""}, "why"),
    ):
        with pytest.raises(NotUnderstood) as refused:
            change_freezes.keep_free(
                context, **{"first": "2027-01-04", "last": "", "why": "fair", **wrong}
            )
        assert refused.value.field == field


def test_a_date_on_a_public_holiday_is_shown_as_such(installation, context):
    port = begun(context, "0117 496 0806-0807")
    submitted(
        installation, context, port.id, subdivision="SCT", wanted="2027-08-02"
    )  # a bank holiday in Scotland only
    until_quiet(installation, timedelta(days=5))
    view = ports.view_port(context, port.id)
    assert view.wrong_day == "Monday 2 August 2027 is no working day there: Summer Bank Holiday."
    draft = port_cutover.activation(context, port.id)
    warned = [
        f
        for f in order_views.view_order(context, draft.id).report.warnings
        if f.rule == "port.day-has-come"
    ]
    assert warned[0].message.startswith("Monday 2 August 2027 is no working day")
    with pytest.raises(NotUnderstood, match="is no working day there"):
        port_dialogue.move_date(context, port.id, "2027-11-30")  # St Andrew's Day


def test_the_run_sheet_has_each_number_with_who_and_where(context):
    port = begun(context, "0117 496 0800-0809")
    port_cutover.take_proposals(context, port.id)
    sheet = run_sheets.run_sheet(context, port.id)
    hattie = next(line for line in sheet.lines if line.e164 == "+441174960806")
    assert (hattie.holder, hattie.phone, hattie.spot.split(" (")[0]) == (
        "Hattie Brandreth",
        "extension 807",
        "ground floor, office",
    )
    assert len(sheet.lines) == 10


def test_an_answer_takes_a_document_along(installation, context):
    first = ports.list_ports(context)[0]
    assert first.state is PortState.QUERIED
    answered = port_dialogue.answer_query(
        context,
        first.id,
        "The alarm gets a mobile module.",
        filename="alarm.pdf",
        content=b"%PDF-1.4 alarm",
    )
    assert answered.state is PortState.SUBMITTED
    assert answered.said[-1].document
    with pytest.raises(NotUnderstood):
        port_dialogue.answer_query(context, first.id, "")


def test_a_copy_of_the_bill_is_kept_with_the_port(context):
    port = begun(context, "0117 496 0806")
    kept = ports.put_bill(context, port.id, "bill.pdf", b"%PDF-1.4 bill")
    assert kept.bill
    assert [f.document.title for f in documents.on_file(context) if f.document.id == kept.bill] == [
        "Bill of Old Quay Communications, port 2"
    ]
    with pytest.raises(NotUnderstood):
        ports.put_bill(context, port.id, "bill.txt", b"plain")


def test_a_german_port_grants_seats_and_registers_addresses_before_the_switch(
    installation, context
):
    person = holders.add_person(
        context, name="Neele Voss", email="neele.voss@lanternfield.example", site="harbour-loft"
    )
    devices.add(context, person.id, "desk phone")
    order_running.run_now(
        context,
        "where she sits",
        [t.SetSpot(person=person.id, spot=site_management.spots_of(context, "harbour-loft")[1].id)],
    )
    until_quiet(installation)
    (port,) = port_planning.begin(
        context,
        "+49 69 90009001, +49 69 90009002",
        account="brackwater-berlin",
        site="harbour-loft",
    )
    told = {
        "name": "Mainufer Ateliers GmbH",
        "address": "Mainufer 4, 60311 Frankfurt am Main",
        "account": "OQ-6900",
        "pin": "6900",
        "subdivision": "HE",
    }
    submitted(installation, context, port.id, **told)
    until_quiet(installation, timedelta(days=6))
    assert (now(context, port.id).state, now(context, port.id).country) == (
        PortState.ACCEPTED,
        "DE",
    )
    assert ports.mandate_of(context, port.id)[:5] == b"%PDF-"
    port_cutover.choose(context, port.id, {"who:+496990009001": "Neele Voss"})
    draft = port_cutover.activation(context, port.id)
    kinds = [x.body.kind for x in draft.tasks]
    assert kinds[:3] == [
        "grant_licence",
        "grant_licence",
        "activate_port",
    ], "what is missing and needs no judgement is added before"
    order_running.run(context, draft.id)
    to_its_day(installation, context, port.id, timedelta(minutes=40))
    hers = numbers_of(context, port.id)["+496990009001"]
    assert (hers.state, hers.registered_spot == hers.spot, hers.monthly.currency) == (
        State.ASSIGNED,
        True,
        "EUR",
    )
    with context.reading() as reading:
        account = reading.records.the(Account, "brackwater-berlin")
    assert "+496990009001" in context.at_carrier(account).addresses()
    assert workorders.get(context, draft.id).state is OrderState.DONE


def test_an_address_that_the_carrier_does_not_take_stops_the_switch_before_a_number_moves(
    installation, context, monkeypatch
):
    key = accepted(installation, context, "0117 496 0806")
    port_cutover.take_proposals(context, key)
    monkeypatch.setattr(
        port_execution,
        "_prepare",
        lambda *_: (
            "Fellgate Voice does not register the address, so nothing was switched: no house"
            " number."
        ),
    )
    draft = port_cutover.activation(context, key)
    order_running.run(context, draft.id)
    to_its_day(installation, context, key, timedelta(minutes=20))
    assert workorders.get(context, draft.id).state is OrderState.FAILED
    assert {n.state for n in numbers_of(context, key).values()} == {State.PORTING_IN}
    assert now(context, key).state is PortState.DUE


def test_switching_twice_is_switching_once(installation, context):
    key = accepted(installation, context, "0117 496 0806-0807")
    first = port_cutover.activation(context, key)
    second = port_cutover.activation(context, key)
    for draft in (first, second):
        order_running.run(context, draft.id)
    to_its_day(installation, context, key, timedelta(minutes=20))
    assert {workorders.get(context, d.id).state for d in (first, second)} <= {
        OrderState.DONE,
        OrderState.FAILED,
    }
    assert {n.state for n in numbers_of(context, key).values()} == {State.AVAILABLE}
    assert [s.text for s in now(context, key).said].count("switched") == 1
