"""What needs doing and nothing else; who is told by mail; a past that was lived in order."""

from datetime import timedelta

import pytest
from sqlalchemy import event, select

from sedge.core.changes import changed
from sedge.core.ledger.sentences import SENTENCES
from sedge.core.records import (
    SUBJECT_OF,
    Account,
    HolderKind,
    HolderRef,
    Number,
    Person,
    Role,
    Subscription,
)
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.demo.seed import MEMBERS
from sedge.services import mail
from sedge.services.ledger import ledger
from sedge.services.today import today
from sedge.services.workorders import order_running, order_views, workorders
from sedge.store.schema import chain, projected, tables
from sedge.store.schema import mails as mail_tables
from tests.asserting import every
from tests.conftest import until_quiet

FREE = "+441134960160"
SECOND = "+441134960161"


def whats(context):
    return [line.what for line in today.todo(context)]


def put(context, record, action, **values):
    with context.writing() as writing:
        writing.save(
            [changed(SUBJECT_OF[type(record)], record, record.copy_with(**values), action)]
        )


def newcomer(context):
    with context.reading() as reading:
        people = [
            p for p in reading.records.where(Person, order_by=tables.person.c.extension) if p.spot
        ]
        held = {n.holder.id for n in reading.records.held_by(Number, [ref(p) for p in people])}
    return next(p for p in people if p.id not in held)


def ref(person):
    return HolderRef(kind=HolderKind.PERSON, id=person.id)


# ── today ──


def test_the_demo_begins_with_a_days_work_most_serious_first(context):
    lines = today.todo(context)
    assert [line.mark.value for line in lines] == sorted(
        (line.mark.value for line in lines), key=["wrong", "waiting", "none"].index
    )
    assert whats(context)[:2] == [
        "1 number in use on no trunk's list",
        "Work order 7 failed: A number for the learning producer",
    ]
    assert {
        "Work order 9 is a draft: A second number for the loans officer",
        "Home calling: 2 seats left of 21",
        "3 people whose phone is not registered",
        "1 test call outdated",
    } <= set(whats(context))


@pytest.mark.parametrize("member", MEMBERS, ids=lambda m: m.role.value)
def test_every_line_leads_to_a_page_that_its_reader_may_see(client, installation, member):
    client.post("/sign-in", data={"who": member.sign_in})
    lines = today.todo(installation.context(member))
    assert lines
    for line in lines:
        assert client.get(line.href).status_code == 200, line.href


def test_each_role_is_told_what_it_can_do_something_about(installation):
    told = {member.role.value: whats(installation.context(member)) for member in MEMBERS}
    moving = ("Tour guide seat: the trial ends", "Wharf House will pass", "Invoice FV-")
    assert [w for w in told["finance"] if not w.startswith(moving)] == [
        "Port 1 is asked about",
        "Pellucid Telephony asks for 2 numbers",
        "1 number otherwise at the carrier than here",
        "Unusual calls: burst of dear calls",
        "Home calling: 2 seats left of 21",
        "3 people whose phone is not registered",
    ]
    assert "2 people without an emergency spot" in told["safety officer"]
    assert not any("Work order" in what for what in told["help desk"])
    assert len(told["administrator"]) in {18, 19}  # early in a month no budget is passed yet


def test_listing_the_number_takes_its_line_away(installation, context):
    order = workorders.draft(
        context, "list it", [t.ListOnTrunk(number="+441134960214", trunk="leeds-a")]
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    assert "1 number in use on no trunk's list" not in whats(context)


def test_money_under_the_low_mark_is_told_with_what_follows(context):
    with context.reading() as reading:
        account = reading.records.the(Account, "brackwater-main")
    put(context, account, "account.charged", balance=account.low_mark)
    line = next(line for line in today.todo(context) if "balance" in line.what)
    assert line.what == "Brackwater Telecom, main account: the balance is £100.00"
    assert "At zero the carrier stops service" in line.why


def test_a_trial_that_ends_within_the_month_is_told(context):
    with context.reading() as reading:
        seats = reading.records.the(Subscription, "staff-2025")
    put(context, seats, "subscription.used", trial_ends=context.now() + timedelta(days=6))
    assert any(line.what.startswith("Staff seat: the trial ends") for line in today.todo(context))


def test_a_stopped_draft_is_not_on_the_list_any_more(context):
    drafts = workorders.list_orders(context, states=(OrderState.DRAFT,))
    workorders.discard(context, drafts[0].id)
    assert not any("is a draft" in what for what in whats(context))


def test_the_count_in_the_head_follows_every_change(context):
    before = len(today.waiting(context))
    assert before == len(today.todo(context))
    for draft in workorders.list_orders(context, states=(OrderState.DRAFT,)):
        workorders.discard(context, draft.id)
    assert len(today.waiting(context)) == before - 1
    workorders.draft(context, "another", [t.SetAside(number=FREE, reason="test")])
    assert len(today.waiting(context)) == before


# ── mail ──


def mails(installation, order):
    return [
        m
        for m in installation.outside.mail.mailbox()
        if order.title in m["subject"] or order.title in m["text"]
    ]


def test_the_holder_hears_what_they_got_and_where_help_would_go(installation, context):
    person = newcomer(context)
    order = workorders.draft(
        context, "A number for somebody new", [t.AssignNumber(number=FREE, holder=ref(person))]
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    letter = next(m for m in installation.outside.mail.mailbox() if m["to"] == person.email)
    assert "0113 496 0160 (+441134960160), main" in letter["text"]
    assert f"({person.spot}). Tell us when you move" in letter["text"]
    report = next(
        m for m in mails(installation, order) if m["to"] == "rowan.achterberg@lanternfield.example"
    )
    assert report["subject"] == f"Work order {order.no} is done: A number for somebody new"
    assert "done  Assign 0113 496 0160" in report["text"]


def test_a_failed_work_order_tells_its_author_why_and_no_holder(installation, context):
    person = newcomer(context)
    order = workorders.draft(
        context,
        "Fails",
        [t.AssignNumber(number=FREE, holder=ref(person)), t.PlaceTestCall(number=FREE)],
    )
    installation.outside.control.call("PUT", f"people/{person.id}", json={"away": True})
    order_running.run(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, order.id).order.state is OrderState.FAILED
    report = next(m for m in mails(installation, order) if "has failed" in m["subject"])
    assert "did not confirm it" in report["text"]
    assert not any(m["to"] == person.email for m in installation.outside.mail.mailbox())


def test_whoever_loses_their_only_number_by_an_undo_is_told(installation, context):
    person = newcomer(context)
    order = workorders.draft(
        context, "For a day", [t.AssignNumber(number=FREE, holder=ref(person))]
    )
    order_running.run(context, order.id)
    until_quiet(installation)
    order_running.undo(context, order.id)
    until_quiet(installation)
    letters = [m["text"] for m in installation.outside.mail.mailbox() if m["to"] == person.email]
    assert len(letters) == 2
    assert any(
        "no longer yours:\n  0113 496 0160" in text
        and "no telephone number of ours any more" in text
        for text in letters
    )


def test_whoever_loses_a_number_that_is_retired_is_told_what_is_left(installation, context):
    person = newcomer(context)
    give = workorders.draft(
        context,
        "Two",
        [
            t.AssignNumber(number=FREE, holder=ref(person)),
            t.AssignNumber(number=SECOND, holder=ref(person), role=Role.EXTRA),
        ],
    )
    order_running.run(context, give.id)
    until_quiet(installation)
    take = workorders.draft(context, "One back", [t.UnassignNumber(number=SECOND)])
    order_running.run(context, take.id)
    until_quiet(installation)
    letter = next(
        m["text"]
        for m in installation.outside.mail.mailbox()
        if m["to"] == person.email and "no longer" in m["text"]
    )
    assert "no longer yours:\n  0113 496 0161" in letter
    assert "these numbers are yours now:\n  0113 496 0160" in letter


def test_letters_of_a_large_order_take_no_more_reading_than_of_a_small_one(installation, context):
    """One reading of the estate for all letters; each letter itself costs looking whether it is
    written, and writing it."""
    with context.reading() as reading:
        people = [p for p in reading.records.all(Person) if p.spot and p.site == "wharf-house"][:30]
    read = {"n": 0}

    @event.listens_for(installation.estates["lanternfield"]._writer, "before_cursor_execute")
    def _count(_connection, _cursor, statement, *_args):
        read["n"] += statement.startswith("SELECT") and "FROM mail" not in statement

    def letters(count, first):
        tasks = [
            t.AssignNumber(
                number=f"+44113496{first + i:04d}", holder=ref(people[i]), role=Role.EXTRA
            )
            for i in range(count)
        ]
        order = workorders.draft(context, f"{count} numbers", tasks)
        order_running.run(context, order.id)
        until_quiet(installation)
        done = order_views.view_order(context, order.id).order
        assert done.state is OrderState.DONE
        read["n"] = 0
        with context.writing() as writing:
            mail.write_for(writing, done)
        return read["n"]

    few = letters(2, 156)
    assert few > 0
    assert letters(15, 160) <= few + 2


def test_mail_waits_for_a_silent_service_and_is_sent_once(installation, context):
    installation.outside.control.order_fault({"service": "mail", "fault": "error", "count": 3})
    order = workorders.draft(context, "Quiet mail", [t.SetAside(number=FREE, reason="test")])
    order_running.run(context, order.id)
    until_quiet(installation)
    until_quiet(installation, timedelta(minutes=1))
    assert len(mails(installation, order)) == 1
    with context.reading() as reading:
        unsent = reading.connection.execute(
            select(mail_tables.mail).where(mail_tables.mail.c.sent_at.is_(None))
        ).all()
    assert unsent == []


# ── the past, and the ledger over it ──


def test_the_demos_past_was_lived_in_the_order_of_its_days(context):
    with context.reading() as reading:
        moments = (
            reading.connection.execute(select(chain.ledger.c.at).order_by(chain.ledger.c.sequence))
            .scalars()
            .all()
        )
        spans = reading.connection.execute(
            select(projected.span).order_by(projected.span.c.number, projected.span.c.id)
        ).all()
    assert moments == sorted(moments)
    assert moments[-1] - moments[0] > timedelta(days=540)
    for one, following in zip(spans, spans[1:], strict=False):
        if one.number == following.number:
            assert one.since <= one.until == following.since
    assert ledger.verify(context)[1] is None


def test_every_entry_of_the_demos_ledger_is_told_in_a_sentence(context):
    with context.reading() as reading:
        actions = set(
            reading.connection.execute(select(chain.ledger.c.action).distinct()).scalars()
        )
    assert actions <= set(SENTENCES)
    assert len(actions) > 20


def test_one_number_of_the_demo_had_three_holders(context):
    from sedge.services.numbers import numbers

    holders = [s.holder for s in numbers.card(context, "+441134960121").life if s.holder]
    assert len(holders) == 3
    assert len(set(holders)) == 3


def test_going_back_in_the_past_is_refused(installation):
    from sedge.demo.seed import Seeding

    class Halfway(Seeding):
        def __init__(self, installation):
            self.installation, self.now = installation, installation.clock.now()

    past = Halfway(installation)
    past.at(100)
    with pytest.raises(ValueError, match="before what has been lived"):
        past.at(200)


def test_seeded_work_orders_can_be_undone_like_any_other(installation, context):
    joined = next(
        w for w in workorders.list_orders(context) if w.title == "A number for the new shop lead"
    )
    order_running.undo(context, joined.id)
    until_quiet(installation)
    assert order_views.view_order(context, joined.id).order.state is OrderState.UNDONE


def test_the_work_order_of_the_next_morning_runs_by_itself(installation, context):
    planned = next(w for w in workorders.list_orders(context, states=(OrderState.SCHEDULED,)))
    until_quiet(installation, planned.run_at - context.now() + timedelta(minutes=5))
    assert order_views.view_order(context, planned.id).order.state is OrderState.DONE


@pytest.mark.parametrize("day", range(0, 540, 30))
def test_every_number_of_the_past_can_be_looked_at_as_it_stood(context, day):
    from sedge.core.errors import NotFound
    from sedge.services.numbers import numbers

    at = context.now() - timedelta(days=day)
    seen = 0
    for last in (100, 121, 128, 138, 190, 200, 210, 214, 230, 233, 300, 310):
        try:
            card = numbers.card(context, f"+44113496{last:04d}", at)
        except NotFound as missing:
            assert "was not in the estate" in missing.message
            continue
        seen += 1
        assert bool(card.holder_name) == (card.number.holder is not None)
        assert every(entry.at <= at for entry in card.history)
    assert seen >= (9 if day <= 500 else 0)
