"""The same for several people at once, and phones whose sign-in reaches them by a link that works
once."""

import re
from datetime import timedelta

import pytest
from sqlalchemy import select

from sedge.core.changes import changed
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.holders.devices import DeviceKind
from sedge.core.records import BASIC_RIGHTS, Device, Grant, Number, Person, Right, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.services.holders import several_people
from sedge.services.holders.devices import devices, links
from sedge.services.holders.several_people import Same, chosen, draft
from sedge.services.workorders import order_running, order_views
from sedge.store.schema import mails, tables
from sedge.store.schema.holders import device_link
from tests.asserting import every
from tests.conftest import until_quiet

BEATRIX, BRONWEN = "person-beatrix-haddad", "person-bronwen-bamidele"  # without, and with, a number
ABROAD = (*BASIC_RIGHTS, Right.INTERNATIONAL)


def kinds(context, order):
    found = order_views.view_order(context, order.id).order.tasks
    return sorted(x.body.kind for x in found)


def ran(installation, context, *tasks):
    order = order_running.run_now(context, "Phones", list(tasks))
    until_quiet(installation)
    return order_views.view_order(context, order.id).order


def phones_of(context, person):
    with context.reading() as reading:
        found = reading.records.where(Device, tables.device.c.person == person)
    return [d for d in found if not d.removed]


def letters(context):
    with context.reading() as reading:
        rows = reading.connection.execute(select(mails.mail).order_by(mails.mail.c.created_at))
        return [row for row in rows if row.id.startswith("phone-")]


def token_in(letter):
    return re.search(r"/phone/(\S+)", letter.text)[1]


# ── who, and what changes ──


def test_one_work_order_has_what_each_of_them_lacks(installation, context):
    same = Same(rights=ABROAD, number=True, phone=DeviceKind.WEB_PHONE)
    order = draft(context, [BEATRIX, BRONWEN], same)
    assert order.title == "Change 2 people"
    assert kinds(context, order) == [
        "add_device",
        "add_device",
        "assign_number",
        "set_calling_rights",
        "set_calling_rights",
    ]
    with context.reading() as reading:
        people = reading.records.many(Person, [BEATRIX, BRONWEN])
    assert every(person.rights != ABROAD for person in people), "nothing has changed yet"


def test_what_they_have_already_is_left_out(installation, context):
    order_running.run(context, draft(context, [BRONWEN], Same(rights=ABROAD)).id)
    until_quiet(installation)
    with pytest.raises(NotUnderstood, match="have all of that already"):
        draft(context, [BRONWEN], Same(rights=ABROAD, number=True))
    order = draft(context, [BEATRIX, BRONWEN], Same(rights=ABROAD))
    assert kinds(context, order) == ["set_calling_rights"]


def test_a_licence_is_granted_to_those_without_it(context):
    with context.reading() as reading:
        having = reading.records.where(Grant, tables.grant.c.holder_kind == "person", limit=200)
    grant = next(g for g in having if g.until is None)
    other_product = "abroad-pack" if grant.product != "abroad-pack" else "recording"
    other = BEATRIX if grant.holder.id != BEATRIX else BRONWEN
    order = draft(context, [grant.holder.id, other], Same(product=other_product))
    assert set(kinds(context, order)) == {"grant_licence"}
    with pytest.raises(NotUnderstood) as refused:
        draft(context, [BEATRIX], Same(product="nothing-like-that"))
    assert refused.value.field == "product"


def test_a_spot_is_for_people_of_its_site(context):
    with context.reading() as reading:
        here = reading.records.the(Person, BEATRIX)
        there = next(
            p
            for p in reading.records.where(Person, tables.person.c.site != here.site, limit=5)
            if not p.left
        )
        spot = next(
            s.spot
            for s in reading.records.where(Person, tables.person.c.site == here.site, limit=40)
            if s.spot and s.spot != here.spot
        )
    assert kinds(context, draft(context, [here.id], Same(spot=spot))) == ["set_spot"]
    with pytest.raises(NotUnderstood, match="at another site") as refused:
        draft(context, [here.id, there.id], Same(spot=spot))
    assert refused.value.field == "spot"
    with pytest.raises(NotUnderstood, match="spots that are here"):
        draft(context, [here.id], Same(spot="ZZZ-999"))


@pytest.mark.parametrize(
    ("keys", "same", "field"),
    [
        ([], Same(number=True), "people"),
        (["person-nobody"], Same(number=True), "people"),
        ([BEATRIX], Same(), "product"),
    ],
)
def test_what_is_missing_is_named(context, keys, same, field):
    with pytest.raises(NotUnderstood) as refused:
        draft(context, keys, same)
    assert refused.value.field == field


def test_people_are_chosen_by_ids_or_as_a_list_shows_them(context, monkeypatch):
    both = chosen(context, [BRONWEN, BEATRIX, BRONWEN, "person-nobody"])
    assert [p.id for p in both] == [BEATRIX, BRONWEN], "by name, each once"
    found = chosen(context, [], site="wharf-house", find="conservation")
    assert found
    assert every(p.site == "wharf-house" for p in found)
    assert chosen(context, []) == []
    monkeypatch.setattr(several_people, "MOST_PEOPLE", 3)
    with pytest.raises(NotUnderstood, match="At most 3 people"):
        chosen(context, [], site="wharf-house")


def test_numbers_are_given_as_the_planner_would(installation, context):
    order = draft(context, [BEATRIX], Same(number=True))
    (task,) = order_views.view_order(context, order.id).order.tasks
    with context.reading() as reading:
        number = reading.records.the(Number, task.body.e164)
        person = reading.records.the(Person, BEATRIX)
    assert number.site == person.site


# ── a phone, and the link to its sign-in ──


def test_a_phone_is_set_up_and_its_sign_in_is_shown_once(installation, context):
    order = ran(installation, context, t.AddDevice(person=BEATRIX, phone=DeviceKind.WEB_PHONE))
    assert order.state is OrderState.DONE
    (phone,) = [d for d in phones_of(context, BEATRIX) if d.kind == "web phone"]
    assert not phone.registered
    (letter,) = letters(context)
    assert letter.recipient == "beatrix.haddad@lanternfield.example"
    token = token_in(letter)
    organisation, device = links.asked(installation, token)
    assert (organisation, device.id) == ("The Lanternfield Museums Trust", phone.id)
    links.asked(installation, token)  # looking uses nothing up
    sheet = links.use(installation, token)
    assert len(sheet.secret) >= 20
    assert sheet.secret in sheet.code
    assert sheet.secret not in letter.text
    for again in (links.asked, links.use):
        with pytest.raises(NotFound, match="has been used"):
            again(installation, token)


def test_neither_link_nor_secret_can_be_read_from_the_database(installation, context):
    ran(installation, context, t.AddDevice(person=BEATRIX))
    token = token_in(letters(context)[0])
    with context.reading() as reading:
        row = reading.connection.execute(select(device_link)).one()
    assert token not in str(row)
    secret = links.use(installation, token).secret
    estate = context.installation.estates[context.who.organisation]
    assert secret.encode() not in estate.file.read_bytes()


def test_a_link_runs_out(installation, context):
    ran(installation, context, t.AddDevice(person=BEATRIX))
    token = token_in(letters(context)[0])
    installation.clock.advance(links.GOOD_FOR + timedelta(minutes=1))
    with pytest.raises(NotFound, match="its time is over"):
        links.use(installation, token)


@pytest.mark.parametrize(
    "token", ["", "x", "lanternfield", "lanternfield.short", "nowhere." + "x" * 30, "../" * 20]
)
def test_what_is_no_link_is_answered_as_one_that_was_used(installation, token):
    with pytest.raises(NotFound, match="has been used"):
        links.asked(installation, token)


def test_undo_takes_the_phone_away_and_its_link_with_it(installation, context):
    order = ran(installation, context, t.AddDevice(person=BEATRIX, phone=DeviceKind.WEB_PHONE))
    token = token_in(letters(context)[0])
    (phone,) = [d for d in phones_of(context, BEATRIX) if d.kind == "web phone"]
    with context.writing(reason="it signs in") as writing:
        signed_in = phone.copy_with(registered=True, said="", seen_at=writing.now)
        writing.save([changed(Subject.DEVICE, phone, signed_in, "device.seen")])
    back = order_running.undo(context, order.id)
    until_quiet(installation)
    assert order_views.view_order(context, back.id).order.state is OrderState.DONE
    assert "web phone" not in [d.kind for d in phones_of(context, BEATRIX)]
    with pytest.raises(NotFound):
        links.use(installation, token)


def test_two_phones_in_one_order_are_two(installation, context):
    order = ran(
        installation,
        context,
        t.AddDevice(person=BEATRIX, phone=DeviceKind.WEB_PHONE),
        t.AddDevice(person=BEATRIX, phone=DeviceKind.MOBILE),
        t.AddDevice(person=BRONWEN, phone=DeviceKind.MOBILE),
    )
    assert order.state is OrderState.DONE
    assert {"web phone", "mobile"} <= {d.kind for d in phones_of(context, BEATRIX)}
    assert len(letters(context)) == 3
    users = [d.user for who in (BEATRIX, BRONWEN) for d in phones_of(context, who) if d.user]
    assert len(users) == len(set(users))


def test_the_same_asked_for_twice_is_two_phones_with_a_sign_in_each(installation, context):
    before = len(phones_of(context, BEATRIX))
    for _ in range(2):
        ran(installation, context, t.AddDevice(person=BEATRIX, phone=DeviceKind.MOBILE))
    assert len(phones_of(context, BEATRIX)) == before + 2
    sheets = [links.use(installation, token_in(letter)) for letter in letters(context)]
    assert len({sheet.device.user for sheet in sheets}) == 2
    assert len({sheet.secret for sheet in sheets}) == 2


def test_who_has_no_mail_address_is_warned_of_and_nothing_is_sent(installation, context):
    with context.writing(reason="no mail") as writing:
        before = writing.records.the(Person, BEATRIX)
        after = before.copy_with(email="")
        writing.save([changed(Subject.PERSON, before, after, "person.changed")])
    order = ran(installation, context, t.AddDevice(person=BEATRIX))
    assert order.state is OrderState.DONE
    assert letters(context) == []
    (phone,) = [d for d in phones_of(context, BEATRIX) if d.said == "never"]
    assert devices.new_secret(context, phone.id).secret


@pytest.mark.parametrize(
    ("kind", "said"), [("desk phone", "a desk phone"), ("analogue adapter", "an analogue adapter")]
)
def test_one_of_a_kind_is_said_as_it_is_spoken(kind, said):
    assert DeviceKind(kind).one == said


def test_a_search_too_short_for_the_list_chooses_whom_the_list_shows(context):
    everybody = chosen(context, [], site="canal-museum")
    assert everybody
    assert chosen(context, [], site="canal-museum", find="ab") == everybody
