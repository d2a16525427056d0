"""Proving who one is: guesses that run in parallel, passwords that are easy to guess, second
factors, sessions that end, letters that set a password, tokens of programs."""

import re
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pyotp
import pytest
from sqlalchemy import select

from sedge.core.access.roles import AccessRole
from sedge.core.errors import (
    Forbidden,
    NotAllowedNow,
    NotFound,
    NotSignedIn,
    NotUnderstood,
    SedgeError,
    TooMany,
)
from sedge.demo.members import MEMBERS, PASSWORD
from sedge.services.access import access, passwords, second_factor, throttle, tokens
from sedge.services.access.throttle import Caller
from sedge.services.access.tokens import Wish
from sedge.store.repositories.access import sign_ins
from sedge.store.schema import mails
from tests.asserting import every

ROWAN = MEMBERS[0]
NOOR = next(m for m in MEMBERS if m.role is AccessRole.SITE_MANAGER)
HERE, THERE = Caller("192.0.2.1", "one browser"), Caller("198.51.100.7", "another")
FRESH = "otter kettle orbit nineteen"


@pytest.fixture
def real(installation):
    """The same house, not as a demo."""
    installation.settings = installation.settings.model_copy(update={"demo": False})
    return installation


def later(installation, span):
    now = installation.clock.real()
    installation.clock.real = lambda: now + span


def code_of(installation, who, *, ahead=0):
    with installation.shared.reading() as connection:
        sealed = sign_ins.by_id(connection, who.sign_in).totp_sealed
    moment = installation.clock.real() + timedelta(seconds=30 * ahead)
    return pyotp.TOTP(installation.keyring.open(sealed)).at(moment)


def outcome(do):
    try:
        do()
    except SedgeError as error:
        return type(error)
    return None


def letters_to(context, email):
    with context.reading() as reading:
        query = select(mails.mail).where(mails.mail.c.recipient == email)
        return reading.connection.execute(query.order_by(mails.mail.c.created_at)).all()


# ── guesses ──


def test_forty_guesses_at_once_count_one_after_the_other(installation):
    def guess(_):
        return outcome(lambda: access.sign_in(installation, ROWAN.email, "wrong", HERE))

    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(guess, range(40)))
    assert found.count(NotSignedIn) == throttle.HERE.most
    assert found.count(TooMany) == 40 - throttle.HERE.most


def test_a_stranger_elsewhere_shuts_nobody_out(installation):
    for _ in range(throttle.HERE.most + 1):
        outcome(lambda: access.sign_in(installation, ROWAN.email, "wrong", THERE))
    assert access.sign_in(installation, ROWAN.email, PASSWORD, HERE)


def test_spraying_one_password_over_many_people_is_stopped_by_address(installation):
    found = [
        outcome(lambda: access.sign_in(installation, f"p{n}@lanternfield.example", "summer", THERE))
        for n in range(throttle.ADDRESS.most + 5)
    ]
    assert every(kind is NotSignedIn for kind in found[: throttle.ADDRESS.most])
    assert every(kind is TooMany for kind in found[throttle.ADDRESS.most :])


def test_nobodys_address_is_answered_like_somebodys(installation):
    for email in (ROWAN.email, "nobody@lanternfield.example"):
        found = [
            outcome(lambda: access.sign_in(installation, email, "wrong", HERE))
            for _ in range(throttle.HERE.most + 2)
        ]
        assert found == [NotSignedIn] * throttle.HERE.most + [TooMany] * 2


def test_who_must_wait_is_told_how_long(installation):
    for _ in range(throttle.HERE.most):
        outcome(lambda: access.sign_in(installation, ROWAN.email, "wrong", HERE))
    with pytest.raises(TooMany) as refused:
        access.sign_in(installation, ROWAN.email, PASSWORD, HERE)
    assert 0 < refused.value.facts["wait"] <= throttle.HERE.span.total_seconds()


# ── passwords ──


@pytest.mark.parametrize(
    ("password", "again", "field"),
    [
        ("short", "short", "password"),
        ("password1234", "password1234", "password"),
        ("rowan.achterberg", "rowan.achterberg", "password"),
        ("aaaaaaaaaaaaaaaa", "aaaaaaaaaaaaaaaa", "password"),
        ("qwertyuiop123", "qwertyuiop123", "password"),
        ("x" * 201, "x" * 201, "password"),
        (FRESH, FRESH + "!", "again"),
    ],
)
def test_a_password_that_can_be_guessed_is_refused(password, again, field):
    with pytest.raises(NotUnderstood) as refused:
        passwords.refuse_weak(password, again, about=(ROWAN.name, ROWAN.email))
    assert refused.value.field == field


def test_a_changed_password_ends_the_other_sessions_and_is_told(installation, context):
    here, there = (access.sign_in(installation, ROWAN.email, PASSWORD, c) for c in (HERE, THERE))
    session = access.session_of(installation, here).session.id
    form = {"old": PASSWORD, "password": FRESH, "again": FRESH}
    passwords.change_password(installation, ROWAN, session, form, HERE)
    assert access.whose(installation, here) is not None
    assert access.whose(installation, there) is None
    assert access.sign_in(installation, ROWAN.email, FRESH, HERE)
    assert "changed" in letters_to(context, ROWAN.email)[-1].subject


def test_a_wrong_old_password_changes_nothing(installation):
    with pytest.raises(NotSignedIn) as refused:
        passwords.change_password(
            installation, ROWAN, "", {"old": "no", "password": FRESH, "again": FRESH}, HERE
        )
    assert refused.value.field == "old"
    assert access.sign_in(installation, ROWAN.email, PASSWORD, HERE)


def test_a_letter_sets_a_password_once_and_within_an_hour(installation, context):
    open_one = access.sign_in(installation, ROWAN.email, PASSWORD, HERE)
    passwords.write_reset(installation, ROWAN.email, "https://sedge.example")
    letter = letters_to(context, ROWAN.email)[-1].text
    token = re.search(r"https://sedge\.example/reset/(\S+)", letter)[1]
    assert passwords.reset(installation, token, FRESH, FRESH).sign_in == ROWAN.sign_in
    assert access.whose(installation, open_one) is None
    assert access.sign_in(installation, ROWAN.email, FRESH, HERE)
    with pytest.raises(NotFound):
        passwords.reset(installation, token, FRESH, FRESH)


def test_an_old_letter_and_an_older_one_set_nothing(installation, context):
    for _ in range(2):
        passwords.write_reset(installation, ROWAN.email, "https://sedge.example")
    first, second = (
        re.search(r"/reset/(\S+)", letter.text)[1]
        for letter in letters_to(context, ROWAN.email)[-2:]
    )
    with pytest.raises(NotFound):
        passwords.whose_reset(installation, first)
    assert passwords.whose_reset(installation, second)
    later(installation, passwords.RESET_LASTS + timedelta(seconds=1))
    with pytest.raises(NotFound):
        passwords.whose_reset(installation, second)


def test_nobody_is_told_whether_an_address_signs_in(installation, context):
    before = len(letters_to(context, "nobody@lanternfield.example"))
    passwords.write_reset(installation, "nobody@lanternfield.example", "https://sedge.example")
    assert len(letters_to(context, "nobody@lanternfield.example")) == before == 0


# ── second factors ──


def test_a_role_that_asks_for_a_second_factor_gets_in_only_with_it(real):
    token = access.sign_in(real, ROWAN.email, PASSWORD, HERE)
    assert access.whose(real, token) is None
    assert access.session_of(real, token).session.awaits == access.Awaits.SET_UP
    second_factor.enrol(real, ROWAN)
    codes = second_factor.confirm(real, ROWAN, code_of(real, ROWAN), HERE)
    assert len(set(codes)) == second_factor.RECOVERY_CODES
    again = access.sign_in(real, ROWAN.email, PASSWORD, HERE)
    found = access.session_of(real, again)
    assert found.session.awaits == access.Awaits.CODE
    access.give_code(real, found, code_of(real, ROWAN, ahead=1), HERE)
    assert access.whose(real, again).sign_in == ROWAN.sign_in


def test_a_role_that_asks_for_none_gets_in_with_a_password(real):
    assert access.whose(real, access.sign_in(real, NOOR.email, PASSWORD, HERE))


def test_a_code_and_a_recovery_code_are_each_taken_once(real):
    second_factor.enrol(real, ROWAN)
    code = code_of(real, ROWAN)
    recovery = second_factor.confirm(real, ROWAN, code, HERE)[0]
    with pytest.raises(NotSignedIn):
        second_factor.check(real, ROWAN, code, HERE)
    second_factor.check(real, ROWAN, f" {recovery.upper()} ", HERE)
    with pytest.raises(NotSignedIn):
        second_factor.check(real, ROWAN, recovery, HERE)
    assert second_factor.factors_of(real, ROWAN.sign_in).recovery_codes == len(range(9))


def test_codes_are_guessed_five_times_and_no_more(real):
    second_factor.enrol(real, ROWAN)
    second_factor.confirm(real, ROWAN, code_of(real, ROWAN), HERE)
    found = [
        outcome(lambda n=n: second_factor.check(real, ROWAN, f"{n:06}", HERE)) for n in range(7)
    ]
    assert found == [NotSignedIn] * 5 + [TooMany] * 2


def test_a_code_of_long_ago_or_of_another_secret_does_not_fit(real):
    second_factor.enrol(real, ROWAN)
    for code in (code_of(real, ROWAN, ahead=-3), code_of(real, ROWAN, ahead=3), "12345", "abcdef"):
        with pytest.raises(NotSignedIn):
            second_factor.confirm(real, ROWAN, code, THERE)
    assert second_factor.factors_of(real, ROWAN.sign_in).since is None


def test_who_must_have_one_does_not_take_it_off_and_others_may(real):
    for who in (ROWAN, NOOR):
        second_factor.enrol(real, who)
        second_factor.confirm(real, who, code_of(real, who), HERE)
    with pytest.raises(NotAllowedNow):
        second_factor.take_off(real, ROWAN)
    second_factor.take_off(real, NOOR)
    assert not second_factor.factors_of(real, NOOR.sign_in).has_any
    assert access.whose(real, access.sign_in(real, NOOR.email, PASSWORD, HERE))


def test_the_secret_lies_sealed(real):
    secret = second_factor.enrol(real, ROWAN).secret.replace(" ", "")
    assert secret not in (real.settings.data / "installation.sqlite").read_bytes().decode("latin-1")


# ── sessions ──


def test_a_session_ends_by_itself_when_nobody_uses_it_and_at_the_latest_after_its_hours(
    installation,
):
    token = access.sign_in(installation, ROWAN.email, PASSWORD, HERE)
    idle = timedelta(minutes=installation.settings.session_idle_minutes)
    began = installation.clock.real()
    moment = began
    while moment - began < timedelta(hours=installation.settings.session_hours) - idle:
        moment += idle - timedelta(minutes=2)
        installation.clock.real = lambda at=moment: at
        assert access.whose(installation, token)
    installation.clock.real = lambda: (
        began + timedelta(hours=installation.settings.session_hours, seconds=1)
    )
    assert access.whose(installation, token) is None


def test_an_idle_session_lets_nobody_in(installation):
    token = access.sign_in(installation, ROWAN.email, PASSWORD, HERE)
    later(installation, timedelta(minutes=installation.settings.session_idle_minutes, seconds=5))
    assert access.whose(installation, token) is None


def test_sessions_are_listed_with_their_browsers_and_ended_one_by_one(installation):
    here, there = (access.sign_in(installation, ROWAN.email, PASSWORD, c) for c in (HERE, THERE))
    mine = access.session_of(installation, here).session
    listed = access.sessions_of(installation, ROWAN)
    assert {(s.address, s.agent) for s in listed} >= {
        (HERE.address, HERE.agent),
        (THERE.address, THERE.agent),
    }
    other = access.session_of(installation, there).session.id
    access.end_sessions(installation, ROWAN, mine.id, other)
    assert access.whose(installation, there) is None
    assert access.whose(installation, here)
    with pytest.raises(NotFound):
        access.end_sessions(installation, NOOR, "", mine.id)
    assert access.whose(installation, here)


def test_a_new_browser_is_told_by_mail_and_a_known_one_not(real, context):
    before = len(letters_to(context, NOOR.email))
    for caller in (HERE, HERE, THERE, THERE, HERE):
        access.sign_in(real, NOOR.email, PASSWORD, caller)
    told = [m.text for m in letters_to(context, NOOR.email)[before:]]
    assert len(told) == 1
    assert THERE.address in told[0]


def test_a_role_kept_to_a_network_comes_from_there_only(real):
    real.settings = real.settings.model_copy(
        update={"role_networks": {AccessRole.SITE_MANAGER: ("192.0.2.0/24",)}}
    )
    assert access.sign_in(real, NOOR.email, PASSWORD, HERE)
    with pytest.raises(Forbidden):
        access.sign_in(real, NOOR.email, PASSWORD, THERE)


def test_money_and_members_ask_again_after_a_while(real):
    token = access.sign_in(real, NOOR.email, PASSWORD, HERE)
    found = access.session_of(real, token)
    assert access.is_sure(real, found.session)
    later(real, access.SURE_FOR + timedelta(seconds=1))
    assert not access.is_sure(real, found.session)
    with pytest.raises(NotSignedIn):
        access.prove_again(real, found, "wrong", HERE)
    access.prove_again(real, found, PASSWORD, HERE)
    assert access.is_sure(real, access.session_of(real, token).session)


# ── tokens ──


def a_token(installation, who, **wishes):
    wish = Wish(**{"name": "export", "role": who.role, "days": 30, **wishes})
    return tokens.make(installation.context(who), wish)


def test_a_token_acts_as_its_maker_within_its_role(installation):
    made = a_token(installation, ROWAN, role=AccessRole.OBSERVER)
    member = tokens.whose(installation, made.secret, HERE)
    assert (member.sign_in, member.organisation) == (ROWAN.sign_in, ROWAN.organisation)
    assert member.role is AccessRole.OBSERVER
    assert member.name == "Rowan Achterberg (export)"
    listed = tokens.list_tokens(installation.context(ROWAN))
    assert [t.used_from for t in listed if t.id == made.token.id] == [HERE.address]


def test_of_a_token_only_a_hash_is_kept(installation):
    made = a_token(installation, ROWAN)
    for file in installation.settings.data.glob("*.sqlite*"):
        assert made.secret.encode() not in file.read_bytes()


@pytest.mark.parametrize("role", [AccessRole.ADMINISTRATOR, AccessRole.FINANCE])
def test_nobody_gives_a_token_more_than_they_have(installation, role):
    with pytest.raises(Forbidden):
        a_token(installation, NOOR, role=role)


def test_a_token_of_a_site_manager_reaches_their_sites_only(installation):
    member = tokens.whose(installation, a_token(installation, NOOR).secret, HERE)
    assert member.sites == NOOR.sites
    with pytest.raises(NotUnderstood):  # they don't even see that there is such a site
        a_token(installation, NOOR, sites=("canal-museum",))


def test_a_token_ends_by_its_day_by_hand_and_with_its_maker(installation):
    by_day, by_hand, with_maker = (a_token(installation, ROWAN, name=n) for n in "abc")
    tokens.revoke(installation.context(ROWAN), by_hand.token.id)
    assert tokens.whose(installation, by_hand.secret, HERE) is None
    with pytest.raises(NotFound):
        tokens.revoke(installation.context(ROWAN), by_hand.token.id)
    with installation.shared.writing() as connection:
        sign_ins.change_membership(
            connection, ROWAN.sign_in, ROWAN.organisation, AccessRole.HELP_DESK, ()
        )
    assert tokens.whose(installation, with_maker.secret, HERE) is None
    with installation.shared.writing() as connection:
        sign_ins.change_membership(
            connection, ROWAN.sign_in, ROWAN.organisation, AccessRole.ADMINISTRATOR, ()
        )
    assert tokens.whose(installation, with_maker.secret, HERE)
    later(installation, timedelta(days=30, seconds=1))
    assert tokens.whose(installation, by_day.secret, HERE) is None


def test_nobody_revokes_anothers_but_an_administrator(installation):
    made = a_token(installation, ROWAN)
    with pytest.raises(NotFound):
        tokens.revoke(installation.context(NOOR), made.token.id)
    theirs = a_token(installation, NOOR)
    tokens.revoke(installation.context(ROWAN), theirs.token.id)
    assert tokens.whose(installation, theirs.secret, HERE) is None


@pytest.mark.parametrize("secret", ["", "sedge_", "sedge_nonsense", "demo", "x" * 5000])
def test_what_is_no_token_is_nobody(installation, secret):
    assert tokens.whose(installation, secret, HERE) is None
