"""What lets people and programs in, as it is kept: by hashes, once where it works once, and only as
long as it is good."""

from datetime import timedelta

import pytest

from sedge.core.access.roles import AccessRole
from sedge.store.database import Database
from sedge.store.repositories.access import factors, invitations, sessions, sign_ins, tokens
from sedge.store.repositories.access.factors import Passkey
from sedge.store.repositories.access.invitations import Invitation
from sedge.store.repositories.access.sessions import Session
from sedge.store.repositories.access.sign_ins import Member, Organisation
from sedge.store.repositories.access.tokens import Token
from tests.conftest import NOW

HOUR, DAY = timedelta(hours=1), timedelta(days=1)
ROWAN = Member("rowan", "Rowan", "rowan@example.test", "lanternfield", AccessRole.ADMINISTRATOR)
LEILA = Member("leila", "Leila", "leila@example.test", "lanternfield", AccessRole.HELP_DESK)

TRUST = Organisation("lanternfield", "The Lanternfield Museums Trust", "GB")


@pytest.fixture
def connection(tmp_path):
    database = Database(tmp_path / "installation.sqlite", "installation", durable=False)
    database.migrate()
    with database.writing() as opened:
        sign_ins.add_organisation(opened, TRUST, NOW)
        for member in (ROWAN, LEILA):
            sign_ins.add_sign_in(opened, member, "hash")
            sign_ins.add_membership(opened, member)
        yield opened
    database.close()


# ── tokens ──


def token(key="t1", **changes):
    values = {
        "id": key,
        "name": "Nightly report",
        "sign_in": "rowan",
        "organisation": "lanternfield",
        "role": AccessRole.HELP_DESK,
        "sites": ("wharf-house",),
        "read_only": True,
        "made_at": NOW,
        "expires_at": NOW + DAY,
    }
    return Token(**(values | changes))


def test_a_token_is_found_by_its_hash_until_it_ends(connection):
    tokens.add(connection, "hash-1", token())
    assert tokens.by_hash(connection, "hash-1", NOW) == token()
    assert tokens.by_hash(connection, "hash-2", NOW) is None
    assert tokens.by_hash(connection, "hash-1", NOW + DAY) is None, "at the moment it ends"


def test_a_revoked_token_lets_nobody_in_and_is_revoked_once(connection):
    tokens.add(connection, "hash-1", token())
    assert tokens.revoke(connection, "t1", NOW + HOUR, "Leila")
    assert not tokens.revoke(connection, "t1", NOW + 2 * HOUR, "Rowan")
    assert not tokens.revoke(connection, "nothing", NOW, "Rowan")
    assert tokens.by_hash(connection, "hash-1", NOW + HOUR) is None
    (kept,) = tokens.all_of(connection, "lanternfield")
    assert (kept.revoked_at, kept.revoked_by) == (NOW + HOUR, "Leila")


def test_tokens_are_listed_of_an_organisation_or_of_one_person_the_newest_first(connection):
    tokens.add(connection, "a", token("old"))
    tokens.add(connection, "b", token("new", made_at=NOW + HOUR))
    tokens.add(connection, "c", token("leilas", sign_in="leila"))
    tokens.add(connection, "d", token("elsewhere", organisation="copperleaf"))
    assert [t.id for t in tokens.all_of(connection, "lanternfield")] == ["new", "leilas", "old"]
    assert [t.id for t in tokens.all_of(connection, "lanternfield", "rowan")] == ["new", "old"]
    assert tokens.all_of(connection, "nobody") == []


def test_the_last_use_of_a_token_is_noted(connection):
    tokens.add(connection, "a", token())
    tokens.note_use(connection, "t1", NOW + HOUR, "192.0.2.7")
    found = tokens.by_hash(connection, "a", NOW)
    assert (found.used_at, found.used_from) == (NOW + HOUR, "192.0.2.7")


# ── sessions ──


def session(key="s1", **changes):
    values = {
        "id": key,
        "sign_in": "rowan",
        "organisation": "lanternfield",
        "opened_at": NOW,
        "seen_at": NOW,
        "expires_at": NOW + 8 * HOUR,
        "sure_at": NOW,
        "address": "192.0.2.7",
        "agent": "Browser 1",
    }
    return Session(**(values | changes))


def test_a_session_is_its_members(connection):
    sessions.open_session(connection, "hash-1", session())
    found = sessions.session_of(connection, "hash-1")
    assert found.session == session()
    assert (found.member.name, found.member.role) == ("Rowan", AccessRole.ADMINISTRATOR)
    assert sessions.session_of(connection, "hash-2") is None


def test_a_session_of_who_is_no_member_any_more_is_nobodys(connection):
    sessions.open_session(connection, "hash-1", session())
    sign_ins.end_membership(connection, "rowan", "lanternfield")
    assert sessions.session_of(connection, "hash-1") is None


def test_a_session_ends_by_time_or_for_want_of_use():
    idle = 2 * HOUR
    assert not session().has_ended(NOW + HOUR, idle)
    assert session().has_ended(NOW + idle, idle)
    assert session(seen_at=NOW + 7 * HOUR).has_ended(NOW + 8 * HOUR, idle)
    assert not session(seen_at=NOW + 7 * HOUR).has_ended(NOW + 7 * HOUR, idle)


def test_sessions_that_ran_out_are_forgotten_when_another_opens(connection):
    sessions.open_session(connection, "old", session("old", expires_at=NOW - HOUR))
    assert sessions.session_of(connection, "old")
    sessions.open_session(connection, "new", session("new"))
    assert sessions.session_of(connection, "old") is None


def test_being_seen_and_being_sure_are_noted(connection):
    sessions.open_session(connection, "a", session())
    seen = sessions.note_seen(connection, session(), NOW + HOUR)
    sessions.change(connection, seen, sure_at=NOW + HOUR, awaits="code")
    found = sessions.session_of(connection, "a").session
    assert (found.seen_at, found.sure_at, found.awaits) == (NOW + HOUR, NOW + HOUR, "code")


@pytest.mark.parametrize(
    ("which", "left", "ended"),
    [
        ({}, [], 3),
        ({"only": "s2"}, ["s3", "s1"], 1),
        ({"but": "s2"}, ["s2"], 2),
        ({"only": "nothing"}, ["s3", "s2", "s1"], 0),
    ],
)
def test_one_ends_all_of_ones_sessions_one_or_all_but_one(connection, which, left, ended):
    for n in (1, 2, 3):
        opened = session(f"s{n}", seen_at=NOW + n * HOUR)
        sessions.open_session(connection, f"hash-{n}", opened)
    sessions.open_session(connection, "other", session("leilas", sign_in="leila"))
    assert sessions.close_of(connection, "rowan", **which) == ended
    assert [s.id for s in sessions.all_of(connection, "rowan", NOW)] == left
    assert [s.id for s in sessions.all_of(connection, "leila", NOW)] == ["leilas"]


def test_signing_out_ends_the_one_session(connection):
    sessions.open_session(connection, "a", session("s1"))
    sessions.open_session(connection, "b", session("s2"))
    sessions.close(connection, "a")
    assert [s.id for s in sessions.all_of(connection, "rowan", NOW)] == ["s2"]


def test_a_browser_is_new_only_to_somebody_who_has_others(connection):
    assert not sessions.meet_browser(connection, session()), "the first of all is no news"
    assert not sessions.meet_browser(connection, session())
    assert sessions.meet_browser(connection, session(agent="Browser 2"))
    assert not sessions.meet_browser(connection, session(agent="Browser 2"))
    assert sessions.meet_browser(connection, session(address="198.51.100.9"))
    assert not sessions.meet_browser(connection, session(sign_in="leila"))


# ── invitations ──


def invitation(key="i1", **changes):
    values = {
        "id": key,
        "email": "noor@example.test",
        "name": "Noor",
        "organisation": "lanternfield",
        "role": AccessRole.SITE_MANAGER,
        "sites": ("wharf-house", "canal-museum"),
        "invited_by": "Rowan",
        "expires_at": NOW + 7 * DAY,
    }
    return Invitation(**(values | changes))


def test_an_invitation_is_taken_once(connection):
    invitations.put_invitation(connection, invitation())
    assert invitations.by_digest(connection, "i1", NOW) == invitation()
    assert invitations.by_digest(connection, "i1", NOW + 7 * DAY) is None
    assert invitations.take(connection, "i1") == invitation()
    assert invitations.take(connection, "i1") is None
    assert invitations.open_ones(connection, "lanternfield", NOW) == []


def test_a_second_invitation_takes_the_place_of_the_first(connection):
    invitations.put_invitation(connection, invitation("i1"))
    invitations.put_invitation(connection, invitation("i2", role=AccessRole.OBSERVER, sites=()))
    invitations.put_invitation(connection, invitation("i3", organisation="copperleaf"))
    assert [i.id for i in invitations.open_ones(connection, "lanternfield", NOW)] == ["i2"]
    assert invitations.by_digest(connection, "i1", NOW) is None
    assert invitations.by_digest(connection, "i3", NOW)


def test_nobody_withdraws_another_organisations_invitation(connection):
    invitations.put_invitation(connection, invitation(organisation="copperleaf"))
    assert invitations.take(connection, "i1", "lanternfield") is None
    assert invitations.take(connection, "i1", "copperleaf").name == "Noor"


# ── second factors, and letters that set a new password ──


def test_a_one_time_code_is_taken_once_and_no_earlier_one_after_it(connection):
    factors.set_totp(connection, "rowan", "sealed", NOW)
    assert factors.use_step(connection, "rowan", 100)
    assert not factors.use_step(connection, "rowan", 100)
    assert not factors.use_step(connection, "rowan", 99)
    assert factors.use_step(connection, "rowan", 101)
    assert factors.use_step(connection, "leila", 100)
    factors.set_totp(connection, "rowan", "other", NOW)
    assert factors.use_step(connection, "rowan", 100), "a new secret begins anew"


def test_a_recovery_code_works_once_and_new_ones_replace_the_old(connection):
    factors.put_recovery_codes(connection, "rowan", ["a", "b", "c"])
    assert factors.recovery_codes_left(connection, "rowan") == 3
    assert factors.use_recovery_code(connection, "rowan", "a", NOW)
    assert not factors.use_recovery_code(connection, "rowan", "a", NOW)
    assert not factors.use_recovery_code(connection, "leila", "b", NOW)
    assert factors.recovery_codes_left(connection, "rowan") == 2
    factors.put_recovery_codes(connection, "rowan", ["d"])
    assert not factors.use_recovery_code(connection, "rowan", "b", NOW)
    factors.put_recovery_codes(connection, "rowan", [])
    assert factors.recovery_codes_left(connection, "rowan") == 0


def test_who_has_a_second_factor_is_told(connection):
    both = ["rowan", "leila"]
    assert factors.who_has_one(connection, both) == set()
    factors.set_totp(connection, "rowan", "sealed")
    assert factors.who_has_one(connection, both) == set(), "a secret nobody has proven yet"
    factors.set_totp(connection, "rowan", "sealed", NOW)
    factors.add_passkey(connection, Passkey("k1", "leila", "Key", "public", 0, NOW))
    assert factors.who_has_one(connection, both) == {"rowan", "leila"}
    factors.set_totp(connection, "rowan", None)
    assert factors.who_has_one(connection, both) == {"leila"}


def test_a_passkey_is_used_and_removed_by_whose_it_is(connection):
    factors.add_passkey(connection, Passkey("k1", "leila", "Key", "public", 0, NOW))
    factors.use_passkey(connection, "k1", 7, NOW + HOUR)
    (kept,) = factors.passkeys(connection, "leila")
    assert (kept.sign_count, kept.used_at) == (7, NOW + HOUR)
    assert not factors.remove_passkey(connection, "rowan", "k1")
    assert factors.remove_passkey(connection, "leila", "k1")
    assert factors.passkeys(connection, "leila") == []


def test_an_identity_elsewhere_stays_the_same_persons(connection):
    factors.link(connection, "https://id.example", "subject-1", "rowan", NOW)
    assert factors.linked(connection, "https://id.example", "subject-1") == "rowan"
    assert factors.linked(connection, "https://other.example", "subject-1") is None
    assert factors.has_identity(connection, "https://id.example", "rowan")
    assert not factors.has_identity(connection, "https://id.example", "leila")


def test_a_letter_that_sets_a_password_works_once_and_the_newest_only(connection):
    factors.put_reset(connection, "first", "rowan", NOW + HOUR)
    factors.put_reset(connection, "second", "rowan", NOW + HOUR)
    assert factors.whose_reset(connection, "first", NOW) is None
    assert factors.whose_reset(connection, "second", NOW) == "rowan"
    assert factors.take_reset(connection, "second", NOW) == "rowan"
    assert factors.take_reset(connection, "second", NOW) is None
    factors.put_reset(connection, "late", "rowan", NOW + HOUR)
    assert factors.take_reset(connection, "late", NOW + HOUR) is None
    assert factors.whose_reset(connection, "late", NOW) is None, "and is gone"
