"""Signing in: who somebody is, the session they get, what is still asked of them, and its end.

Of a session's token only the hash is kept. A session that awaits a second factor lets nobody in.
"""

import secrets
from datetime import timedelta
from enum import StrEnum
from ipaddress import ip_address, ip_network

from sedge.core.access.roles import AccessRole
from sedge.core.errors import Forbidden, NotFound, NotSignedIn
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.access import passwords, second_factor, throttle
from sedge.services.access.passwords import digest
from sedge.services.access.throttle import NOBODY, Caller
from sedge.services.context import Installation, system_member
from sedge.store.repositories.access import sessions, sign_ins
from sedge.store.repositories.access.sessions import Open, Session
from sedge.store.repositories.access.sign_ins import Member, SignIn

SURE_FOR = timedelta(minutes=15)  # after proving who one is, before it is asked for again


class Awaits(StrEnum):
    """What is asked of somebody between the password and being let in."""

    NOTHING = ""
    CODE = "code"
    SET_UP = "set-up"


def sign_in(installation: Installation, email: str, password: str, caller: Caller = NOBODY) -> str:
    """A new session's token. Raises as `check_password`; NotSignedIn for who is a member of nothing
    any more, Forbidden from a network the role is not let in from."""
    found = check_password(installation, email, password, caller)
    with installation.shared.reading() as connection:
        member = sign_ins.member(connection, found.id)
    if member is None:
        raise NotSignedIn(
            "You sign in for no organisation any more. Ask an administrator to let you in.",
            field="email",
        )
    return open_session(installation, member, caller)


def check_password(installation: Installation, email: str, password: str, caller: Caller) -> SignIn:
    """Who they are. Raises NotSignedIn (one sentence for all causes), TooMany."""
    throttle.knock(installation, "password", email, caller)
    with installation.shared.reading() as connection:
        found = sign_ins.by_email(connection, email)
    if not passwords.fits(found, password) or found is None:
        raise NotSignedIn(
            "That mail address and password don't go together. Check both and try again.",
            field="password",
        )
    throttle.forget(installation, "password", email, caller)
    return found


def open_session(installation: Installation, member: Member, caller: Caller = NOBODY) -> str:
    """Let somebody in who has given their password; their second factor is asked for first where
    they have one, or where their role asks for one."""
    refuse_network(installation, member, caller)
    had = second_factor.factors_of(installation, member.sign_in)
    awaits = Awaits.NOTHING
    if had.has_any:
        awaits = Awaits.CODE
    elif second_factor.is_asked_of(installation, member.role):
        awaits = Awaits.SET_UP
    return open_as(installation, member, caller, awaits)


def open_as(installation: Installation, member: Member, caller: Caller, awaits: Awaits) -> str:
    """A session that lets in once nothing is awaited any more."""
    token, now = secrets.token_urlsafe(32), installation.clock.real()
    session = Session(
        id=f"session-{secrets.token_hex(6)}",
        sign_in=member.sign_in,
        organisation=member.organisation,
        opened_at=now,
        seen_at=now,
        expires_at=now + timedelta(hours=installation.settings.session_hours),
        sure_at=now,
        awaits=awaits.value,
        address=caller.address[:64],
        agent=caller.agent[:200],
    )
    with installation.shared.writing() as connection:
        sessions.open_session(connection, digest(token), session)
        is_new = sessions.meet_browser(connection, session)
    if is_new and not installation.settings.demo and member.organisation in installation.estates:
        _tell_of_new_browser(installation, member, session)
    return token


def _tell_of_new_browser(installation: Installation, member: Member, session: Session) -> None:
    text = (
        f"{member.email} signed in to Sedge on {session.opened_at:%-d %B %Y at %H:%M} UTC, from"
        f" {session.address or 'an unknown address'}, with {session.agent or 'an unknown browser'}."
        "\n\nIf that was not you, change your password, and end that session on the page My account"
        "."
    )
    with installation.context(system_member(member.organisation)).writing() as writing:
        letter = Letter("A new sign-in to Sedge", text, "")
        mail.write(writing, f"signed-in-{session.id}", member.email, letter)


def demo_sign_in(
    installation: Installation, who: str, caller: Caller = NOBODY, *, local: bool = True
) -> str:
    """The demo's sign-in by choosing a person, on this machine only. Raises NotSignedIn outside the
    demo."""
    with installation.shared.reading() as connection:
        member = sign_ins.member(connection, who)
    if not installation.settings.demo or member is None or not local:
        raise NotSignedIn(
            "Choose one of the people, or sign in with mail address and password.", field="who"
        )
    return open_as(installation, member, caller, Awaits.NOTHING)


def session_of(installation: Installation, token: str | None) -> Open | None:
    """The session of a token, whatever it still awaits."""
    if not token:
        return None
    now, hashed = installation.clock.real(), digest(token)
    idle = timedelta(minutes=installation.settings.session_idle_minutes)
    found = installation.of_installation(
        ("session", hashed), lambda connection: sessions.session_of(connection, hashed)
    )
    if found is None or found.session.has_ended(now, idle):
        return None
    if now - found.session.seen_at > sessions.SEEN_EVERY:
        with installation.shared.writing() as connection:
            return Open(sessions.note_seen(connection, found.session, now), found.member)
    return found


def whose(installation: Installation, token: str | None) -> Member | None:
    """Who is let in with a token."""
    found = session_of(installation, token)
    return found.member if found and not found.session.awaits else None


def is_sure(installation: Installation, session: Session, *, has_typed: bool = False) -> bool:
    """Whether they proved who they are a short while ago; the same while again for who has typed
    something meanwhile, which would be lost. The demo asks nobody."""
    span = SURE_FOR * 2 if has_typed else SURE_FOR
    return installation.settings.demo or installation.clock.real() - session.sure_at <= span


def prove_again(installation: Installation, found: Open, password: str, caller: Caller) -> None:
    """Raises NotSignedIn, TooMany."""
    check_password(installation, found.member.email, password, caller)
    with installation.shared.writing() as connection:
        sessions.change(connection, found.session, sure_at=installation.clock.real())


def give_code(installation: Installation, found: Open, code: str, caller: Caller) -> None:
    """The second factor, after the password. Raises NotSignedIn, TooMany."""
    second_factor.check(installation, found.member, code, caller)
    let_through(installation, found)


def let_through(installation: Installation, found: Open) -> None:
    """Nothing more is asked."""
    with installation.shared.writing() as connection:
        sessions.change(connection, found.session, awaits="", sure_at=installation.clock.real())


def sign_out(installation: Installation, token: str | None) -> None:
    if token:
        with installation.shared.writing() as connection:
            sessions.close(connection, digest(token))


def sessions_of(installation: Installation, who: Member) -> list[Session]:
    with installation.shared.reading() as connection:
        return sessions.all_of(connection, who.sign_in, installation.clock.real())


def end_sessions(
    installation: Installation, who: Member, here: str, only: str | None = None
) -> int:
    """End one session of somebody's, or all but the one they are in. Raises NotFound for one that
    is not theirs, or has ended."""
    with installation.shared.writing() as connection:
        ended = sessions.close_of(connection, who.sign_in, only=only, but=None if only else here)
    if only and not ended:
        raise NotFound("That session has ended already.", subject="session", id=only)
    return ended


def act_for(
    installation: Installation, token: str | None, who: Member, organisation: str
) -> Member:
    """Go on for another organisation in the same session. Raises Forbidden for one that somebody is
    no member of, NotSignedIn where its role there asks for a second factor and they have none."""
    member = as_member_of(installation, who, organisation)
    if (
        second_factor.is_asked_of(installation, member.role)
        and not second_factor.factors_of(installation, who.sign_in).has_any
    ):
        raise Forbidden(
            f"As {member.role} there you sign in with a second factor. Set one up on the page My"
            " account first.",
            organisation=organisation,
        )
    found = session_of(installation, token)
    if found:
        with installation.shared.writing() as connection:
            sessions.change(connection, found.session, organisation=organisation)
    return member


def as_member_of(installation: Installation, who: Member, organisation: str) -> Member:
    """The same person in another of their organisations. Raises Forbidden, the same for one that is
    not there: nothing is told of it."""
    with installation.shared.reading() as connection:
        found = next(
            (
                m
                for m in sign_ins.memberships_of(connection, who.sign_in)
                if m.organisation == organisation
            ),
            None,
        )
    if found is None:
        raise Forbidden(
            "You don't act for that organisation. Ask one of its administrators.",
            organisation=organisation,
        )
    return found


def is_inside(installation: Installation, member: Member, caller: Caller) -> bool:
    """Whether somebody comes from a network that their role is let in from."""
    networks = installation.settings.role_networks.get(member.role, ())
    return not networks or _within(caller.address, networks)


def refuse_network(installation: Installation, member: Member, caller: Caller) -> None:
    """Raises Forbidden for an address outside the networks that the role is let in from."""
    if not is_inside(installation, member, caller):
        raise Forbidden(
            f"As {member.role} you sign in from your organisation's network only. Connect to it and"
            " try again.",
            reason="network",
        )


def _within(address: str, networks: tuple[str, ...]) -> bool:
    try:
        found = ip_address(address)
    except ValueError:
        return False
    return any(found in ip_network(network, strict=False) for network in networks)


def demo_people(installation: Installation) -> list[Member]:
    if not installation.settings.demo:
        return []
    with installation.shared.reading() as connection:
        return sign_ins.members(connection)


def by_demo_token(installation: Installation, token: str, *, local: bool) -> Member | None:
    """The demo's API token, as an administrator, on this machine only."""
    if installation.settings.demo and local and _same(token, installation.settings.demo_token):
        return next(
            (m for m in demo_people(installation) if m.role is AccessRole.ADMINISTRATOR), None
        )
    return None


def _same(given: str, wanted: str) -> bool:
    return secrets.compare_digest(given.encode(errors="replace"), wanted.encode())
