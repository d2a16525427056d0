"""A port from pasted numbers to numbers that are ours: through a rejection, a question, another
date, part of it left behind."""

import subprocess
from datetime import date, timedelta

import pytest

from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.porting.records import PortState
from sedge.core.records import Number
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.porting import port_cutover, port_dialogue, port_planning, ports
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, workorders
from sedge.services.workorders.runner import tick
from tests.asserting import every
from tests.conftest import until_quiet
from tests.services.test_holders import some_people
from tests.services.test_work_orders import ref

GALLERY = "0117 496 0800-0839"
BILL = {
    "name": "Millwheel Gallery Limited",
    "address": "7 Millwheel Yard, Bristol, BS1 6ZZ",
    "account": "OQ-1184",
    "pin": "4471",
}


@pytest.fixture
def gallery(context):
    """The port of the gallery's remaining forty numbers, as a draft."""
    (port,) = port_planning.begin(context, GALLERY, account="fellgate-main", site="wharf-house")
    return port


def submitted(installation, context, key, **changes):
    ports.change_port(context, key, {**BILL, **changes})
    ports.sign(context, key, "Imogen Vance")
    order = ports.submission(context, key)
    order_running.run(context, order.id)
    until_quiet(installation)
    return workorders.get(context, order.id)


def now(context, key):
    return ports.view_port(context, key).port


def test_pasted_numbers_are_planned_before_anything_is_kept(context):
    (first,) = ports.list_ports(context)
    port_dialogue.cancel(context, first.id)
    planned = port_planning.plan_ports(
        context,
        "0117 496 0800-0859, 0113 496 0100, 0117 496 0999, +49 30 1",
        account="fellgate-main",
        site="wharf-house",
    )
    (port,) = planned.plan.ports
    ended = (context.now() - timedelta(days=70)).date()
    assert (port.losing, port.account, len(port.lines), len(port.eligible)) == (
        "Old Quay Communications",
        "OQ-1184",
        60,
        59,
    )
    assert [j.reasons for j in port.lines if not j.eligible] == [
        (f"Its contract ended on {ended.day} {ended:%B %Y}, more than a month ago.",)
    ]
    assert [q.split(" carries")[0] for q in port.questions] == ["0117 496 0845", "0117 496 0846"]
    assert {j.e164: j.reasons[0] for j in planned.plan.refused} == {
        "+441134960100": "It is ours already: Ifeoma Okafor has it.",
        "+441174960999": "No carrier serves it. Check the digits.",
    }
    assert [p.id for p in ports.list_ports(context)] == [first.id]


@pytest.mark.parametrize("text", ["", "nothing here"])
def test_what_cant_be_planned_says_why(context, text):
    with pytest.raises(NotUnderstood) as refused:
        port_planning.plan_ports(context, text, account="fellgate-main", site="wharf-house")
    assert refused.value.field == "text"


def test_a_port_lacks_what_its_list_says_until_it_is_ready(context, gallery):
    assert [x.what for x in ports.view_port(context, gallery.id).lacking if not x.done] == [
        "The account, word for word",
        "The mandate, signed",
    ]
    order = ports.submission(context, gallery.id)
    stops = {
        f.rule
        for f in order_views.view_order(context, order.id).report.findings
        if f.level == "stop"
    }
    assert stops == {"port.details-complete", "port.papers-signed"}
    ports.change_port(context, gallery.id, BILL)
    ports.sign(context, gallery.id, "Imogen Vance")
    assert every(x.done for x in ports.view_port(context, gallery.id).lacking)
    assert now(context, gallery.id).state is PortState.READY
    ports.change_port(context, gallery.id, {**BILL, "wanted": "2027-03-01"})
    assert (now(context, gallery.id).state, now(context, gallery.id).signed) == (
        PortState.DRAFT,
        "",
    ), "what was signed is to be signed again"


def test_through_a_rejection_and_a_partial_acceptance_to_numbers_that_are_ours(
    installation, context, gallery
):
    key = gallery.id
    order = submitted(installation, context, key, name="Millwheel Gallery Ltd")
    assert (order.state, now(context, key).state) == (OrderState.DONE, PortState.SUBMITTED)
    with context.reading() as reading:
        assert {n.state for n in reading.records.many(Number, gallery.numbers)} == {
            State.PORTING_IN
        }
    until_quiet(installation, timedelta(days=5))
    refused = ports.view_port(context, key)
    assert (refused.port.state, refused.rejected[0].code, refused.rejected[1].field) == (
        PortState.REJECTED,
        "name-mismatch",
        "name",
    )
    with context.reading() as reading:
        assert {n.state for n in reading.records.many(Number, gallery.numbers)} == {State.CLOSED}
    submitted(installation, context, key)
    until_quiet(installation, timedelta(days=5))
    accepted = now(context, key)
    assert (accepted.state, [x.refused for x in accepted.lines if x.refused]) == (
        PortState.ACCEPTED,
        ["not in service with us"],
    )
    assert len(accepted.numbers) == 38
    later = accepted.foc + timedelta(days=1)
    while later.weekday() >= 5 or later.date() in {
        date(2026, 12, 25),
        date(2026, 12, 28),
        date(2027, 1, 1),
    }:
        later += timedelta(days=1)
    assert port_dialogue.move_date(context, key, later.date().isoformat()).foc == later
    switch = port_cutover.activation(context, key)
    order_running.run(context, switch.id)
    until_quiet(installation)
    assert workorders.get(context, switch.id).state is OrderState.RUNNING, "it waits for its day"
    until_quiet(installation, later - context.now() + timedelta(hours=4))
    assert (workorders.get(context, switch.id).state, now(context, key).state) == (
        OrderState.DONE,
        PortState.ACTIVATED,
    )
    with context.reading() as reading:
        found = {n.e164: n for n in reading.records.many(Number, gallery.numbers)}
    assert {n.state for n in found.values()} == {State.AVAILABLE, State.CLOSED}
    assert [e for e, n in found.items() if n.state is State.CLOSED] == ["+441174960839"]
    assert every(n.trunk for n in found.values() if n.state is State.AVAILABLE)
    assert [s.what for s in now(context, key).said][:4] == [
        "submitted",
        "rejected",
        "submitted",
        "accepted",
    ]
    proven_and_closed(installation, context, key)


def proven_and_closed(installation, context, key):
    """One is given out and called; then the port can be closed, not before."""
    assert [(line.what, line.words) for line in today.todo(context) if "Port 2" in line.what] == [
        ("Port 2 is switched, not tested", "Test numbers")
    ]
    with pytest.raises(NotAllowedNow, match="Give them out first"):
        port_cutover.proof(context, key)
    person = some_people(context, 1)[0]
    given = t.AssignNumber(number="+441174960800", holder=ref(person), role="extra")
    order_running.run_now(context, "the first of them", [given])
    until_quiet(installation, timedelta(hours=1))
    with pytest.raises(NotAllowedNow, match="0117 496 0800 is not tested"):
        port_cutover.close(context, key)
    order_running.run(context, port_cutover.proof(context, key).id)
    until_quiet(installation)
    assert [
        (e164, ok)
        for e164, _, ok in port_cutover.ticked(context, now(context, key))
        if ok is not None
    ] == [("+441174960800", True)]
    assert port_cutover.close(context, key).state is PortState.CLOSED


def test_what_hangs_on_a_line_is_settled_or_asked_about(installation, context):
    port_dialogue.cancel(context, ports.list_ports(context)[0].id)
    (port,) = port_planning.begin(
        context, "0117 496 0840-0846", account="fellgate-main", site="wharf-house"
    )
    ports.change_port(context, port.id, BILL)
    ports.sign(context, port.id, "Imogen Vance")
    order = ports.submission(context, port.id)
    found = [
        f.message
        for f in order_views.view_order(context, order.id).report.findings
        if f.rule == "port.questions-settled"
    ]
    assert found == ["0117 496 0845 carries the alarm. Say what becomes of it."]
    settled = {
        "settle:+441174960845": "the alarm gets a mobile line",
        "settle:+441174960846": "its phone is replaced",
    }
    submitted(installation, context, port.id, **settled, new_main_number="0117 496 0800")
    until_quiet(installation, timedelta(days=5))
    asked = now(context, port.id)
    assert (asked.state, asked.said[-1].text) == (
        PortState.QUERIED,
        "+441174960846 carries the lift. Is it known that it stops?",
    )
    port_dialogue.answer_query(context, port.id, "Yes: the lift gets another line first.")
    assert now(context, port.id).state is PortState.SUBMITTED
    until_quiet(installation, timedelta(days=5))
    assert now(context, port.id).state is PortState.ACCEPTED


def test_two_who_fill_in_the_same_port_cant_both_win(context, gallery):
    ports.change_port(context, gallery.id, {**BILL, "version": str(gallery.version)})
    with pytest.raises(ChangedMeanwhile, match="Somebody else"):
        ports.change_port(
            context, gallery.id, {**BILL, "pin": "0000", "version": str(gallery.version)}
        )
    assert now(context, gallery.id).details.pin == "4471"


def test_a_port_is_cancelled_and_its_numbers_stay(installation, context, gallery):
    submitted(installation, context, gallery.id)
    assert port_dialogue.cancel(context, gallery.id).state is PortState.CANCELLED
    with context.reading() as reading:
        assert {n.state for n in reading.records.many(Number, gallery.numbers)} == {State.CLOSED}
    with pytest.raises(NotAllowedNow, match="cancelled"):
        port_dialogue.cancel(context, gallery.id)
    assert port_planning.begin(context, GALLERY, account="fellgate-main", site="wharf-house"), (
        "they can be asked for again"
    )


def test_a_silent_losing_carrier_is_asked_again(installation, context, gallery):
    submitted(installation, context, gallery.id)
    installation.outside.control.order_fault({"service": "ports", "fault": "error", "count": 3})
    until_quiet(installation, timedelta(days=5))
    for _ in range(4):
        until_quiet(installation, timedelta(minutes=11))
    assert now(context, gallery.id).state is PortState.ACCEPTED


def test_submitting_is_done_once_whatever_dies_between(installation, context, gallery):
    ports.change_port(context, gallery.id, BILL)
    ports.sign(context, gallery.id, "Imogen Vance")
    installation.outside.control.order_fault({"service": "ports", "fault": "error", "count": 2})
    order = ports.submission(context, gallery.id)
    order_running.run(context, order.id)
    for _ in range(3):
        tick(installation)
        until_quiet(installation, timedelta(minutes=6))
    assert workorders.get(context, order.id).state is OrderState.DONE
    assert [s.what for s in now(context, gallery.id).said if s.what == "submitted"] == ["submitted"]


def test_numbers_in_a_port_are_not_asked_for_twice_and_one_can_be_left_out(context, gallery):
    with pytest.raises(NotAllowedNow, match="in a port already"):
        port_planning.begin(context, "0117 496 0800", account="fellgate-main", site="wharf-house")
    left = ports.leave_out(context, gallery.id, "+441174960800")
    assert (len(left.numbers), left.left_behind[-1]) == (39 - 1, "+441174960800")


def test_the_mandate_says_every_number_and_word_of_the_account(context, gallery, tmp_path):
    ports.change_port(context, gallery.id, {**BILL, "wanted": "2027-02-01"})
    file = tmp_path / "mandate.pdf"
    file.write_bytes(ports.mandate_of(context, gallery.id))
    text = subprocess.run(
        ["pdftotext", "-layout", file, "-"], capture_output=True, text=True, check=True
    ).stdout  # noqa: S607
    for words in (
        *BILL.values(),
        "0117 496 0800 to 0117 496 0837",
        "0117 496 0839",
        "Old Quay Communications",
        "Fellgate Voice",
        "2027-02-01",
        "The Lanternfield Museums Trust",
    ):
        assert words in text


def test_the_calendar_is_read_by_others(context, gallery):
    import vobject

    (event,) = vobject.readOne(ports.calendar(context, [gallery]).decode()).vevent_list
    assert event.summary.value == "Earliest day, port 2: 39 numbers from Old Quay Communications"
    assert event.dtstart.value == ports.view_port(context, gallery.id).earliest.moment


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({"wanted": "2027-02-30"}, "wanted"),
        ({"subdivision": "Wales!"}, "subdivision"),
        ({"new_main_number": "0117"}, "new_main_number"),
        ({"name": "x" * 401}, "name"),
    ],
)
def test_what_is_wrong_in_a_port_is_named(context, gallery, form, field):
    with pytest.raises(NotUnderstood) as refused:
        ports.change_port(context, gallery.id, {**BILL, **form})
    assert refused.value.field == field
