"""Who signs in: let in by a letter, changed, ended; nobody is locked out and nothing told of
strangers."""

import re

import pytest

from sedge.core.access.roles import AccessRole
from sedge.core.errors import (
    Forbidden,
    NotAllowedNow,
    NotFound,
    NotSignedIn,
    NotUnderstood,
    OutsideRefused,
    OutsideSilent,
)
from sedge.core.records import Subject
from sedge.demo.seed import MEMBERS, PASSWORD
from sedge.services import mail
from sedge.services.access import access, members
from sedge.services.ledger import ledger
from sedge.store.schema import mails
from tests.services.test_organisations import in_

WORDS = "seven grey herons asleep"


def letter_link(context, email):
    with context.reading() as reading:
        texts = [
            row.text
            for row in reading.connection.execute(
                mails.mail.select().where(mails.mail.c.recipient == email)
            )
        ]
    return re.search(r"/welcome/(\S+)", texts[-1])[1]


def invited(context, email="petra.vogel@lanternfield.example", **values):
    return members.invite(
        context,
        {"email": email, "name": "Petra Vogel", "role": "help desk", **values},
        "http://127.0.0.1:8420/",
    ).invitation


def test_somebody_is_let_in_chooses_a_password_and_signs_in_with_it(installation, context):
    invited(context)
    assert [x.email for x in members.list_members(context)[1]] == [
        "petra.vogel@lanternfield.example"
    ]
    token = letter_link(context, "petra.vogel@lanternfield.example")
    assert members.welcome(installation, token).known is False
    with pytest.raises(NotUnderstood, match="12 characters"):
        members.accept(installation, token, "short", "short")
    with pytest.raises(NotUnderstood, match="differ"):
        members.accept(installation, token, WORDS, WORDS + "?")
    who = access.whose(installation, members.accept(installation, token, WORDS, WORDS))
    assert (who.name, who.organisation, who.role) == (
        "Petra Vogel",
        "lanternfield",
        AccessRole.HELP_DESK,
    )
    assert (
        access.whose(
            installation, access.sign_in(installation, "Petra.Vogel@lanternfield.example", WORDS)
        ).sign_in
        == who.sign_in
    )
    with pytest.raises(NotFound, match="lets nobody in any more"):
        members.accept(installation, token, WORDS, WORDS)
    assert mail.send_waiting(context) >= 1
    said = ledger.read(context, subject=Subject.SIGN_IN).entries
    assert [e.action for e in said][:2] == ["sign-in.taken-up", "sign-in.invited"]


def test_a_sent_letter_is_kept_without_the_link_that_lets_in(installation, context):
    whose = "petra.vogel@lanternfield.example"
    invited(context)
    token = letter_link(context, whose)
    mail.send_waiting(context)
    sent = [m["text"] for m in installation.outside.mail.mailbox() if m["to"] == whose]
    assert f"/welcome/{token}" in sent[0]
    with context.reading() as reading:
        kept = reading.connection.execute(
            mails.mail.select().where(mails.mail.c.recipient == whose)
        ).one()
    assert token not in f"{kept.text}{kept.html}"
    assert "/welcome/…" in kept.text
    assert members.welcome(installation, token)


@pytest.mark.parametrize("fault", [OutsideRefused, OutsideSilent])
def test_a_letter_given_up_is_kept_without_its_link_too(installation, context, monkeypatch, fault):
    monkeypatch.setattr(mail, "MOST_TRIES", 1)

    def fails(*_letter):
        raise fault("No such mailbox.", service="mail", reason="550")

    monkeypatch.setattr(installation.outside.mail, "send", fails)
    invited(context)
    token = letter_link(context, "petra.vogel@lanternfield.example")
    mail.send_waiting(context)
    with context.reading() as reading:
        [kept] = reading.connection.execute(
            mails.mail.select().where(mails.mail.c.given_up_at.is_not(None))
        ).all()
    assert token not in f"{kept.text}{kept.html}"
    assert "No such mailbox" in kept.problem


def test_who_signs_in_elsewhere_takes_it_up_with_the_password_they_have(installation, context):
    theirs = in_(installation, "copperleaf")
    helper = MEMBERS[2]
    invited(theirs, helper.email)
    token = letter_link(theirs, helper.email)
    assert members.welcome(installation, token).known
    with pytest.raises(NotSignedIn):
        members.accept(installation, token, "not the password", "")
    assert access.whose(installation, members.accept(installation, token, PASSWORD, "")) is not None
    assert helper.email in {m.email for m in members.list_members(theirs)[0]}


def test_an_invitation_withdrawn_written_again_or_too_old_lets_nobody_in(
    installation, context, monkeypatch
):
    first = invited(context)
    token = letter_link(context, first.email)
    second = invited(context)
    with pytest.raises(NotFound):
        members.welcome(installation, token)
    members.withdraw(context, second.id)
    assert members.list_members(context)[1] == []
    with pytest.raises(NotFound):
        members.withdraw(context, second.id)
    invited(context)
    with context.reading() as reading:
        links = [
            re.search(r"/welcome/(\S+)", row.text)[1]
            for row in reading.connection.execute(mails.mail.select())
            if "/welcome/" in row.text
        ]
    a_week_on = installation.clock.real() + members.LASTS
    monkeypatch.setattr(type(installation.clock), "real", lambda self: a_week_on)
    for link in links:
        with pytest.raises(NotFound):
            members.welcome(installation, link)


def test_a_change_holds_at_once_and_the_last_administrator_stays(installation, context):
    here = {m.email: m for m in members.list_members(context)[0]}
    helper = here[MEMBERS[2].email]
    token = access.demo_sign_in(installation, helper.sign_in)
    members.change_member(
        context, helper.sign_in, {"role": "site manager", "sites": ["wharf-house"]}
    )
    seen = access.whose(installation, token)
    assert (seen.role, seen.sites) == (AccessRole.SITE_MANAGER, ("wharf-house",))
    for admin in [
        m
        for m in here.values()
        if m.role is AccessRole.ADMINISTRATOR and m.sign_in != context.who.sign_in
    ]:
        members.end(context, admin.sign_in)
    with pytest.raises(NotAllowedNow, match="no administrator left"):
        members.change_member(context, context.who.sign_in, {"role": "finance"})
    with pytest.raises(NotAllowedNow, match="no administrator left"):
        members.end(context, context.who.sign_in)
    members.end(context, helper.sign_in)
    assert access.whose(installation, token) is None, "the pages they have open let them go"
    with pytest.raises(NotSignedIn, match="no organisation any more"):
        access.sign_in(installation, helper.email, PASSWORD)


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"email": "nobody"}, "email"),
        ({"name": " "}, "name"),
        ({"role": "queen"}, "role"),
        ({"role": "site manager", "sites": ["nowhere"]}, "sites"),
    ],
)
def test_what_is_wrong_in_an_invitation_is_named(context, wrong, field):
    with pytest.raises(NotUnderstood) as refused:
        invited(context, **{"email": "a@b.example", **wrong})
    assert refused.value.field == field


def test_only_administrators_let_in_and_only_once(installation, context):
    with pytest.raises(NotAllowedNow, match="already"):
        invited(context, MEMBERS[2].email)
    with pytest.raises(Forbidden):
        invited(installation.context(MEMBERS[2]))
