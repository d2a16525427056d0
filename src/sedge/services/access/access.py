"""Signing in: passwords with argon2, sessions as random tokens of which only the hash is kept,
throttling."""

import hashlib
import hmac
import secrets
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError

from sedge.core.access.roles import AccessRole
from sedge.core.errors import Forbidden, NotSignedIn, TooMany
from sedge.services.context import House
from sedge.store.repositories import installation
from sedge.store.repositories.installation import Member, SignIn

MOST_FAILURES = 5
LOCKED = timedelta(minutes=5)
_hasher = PasswordHasher(
    time_cost=2, memory_cost=19_456, parallelism=1
)  # OWASP's least parameters for argon2id
_NOBODY = _hasher.hash("nobody has this password")


def hash_password(password: str) -> str:
    return _hasher.hash(password)


def sign_in(house: House, email: str, password: str) -> str:
    """A new session's token. Raises as `check_password`."""
    found = check_password(house, email, password)
    with house.installation.reading() as connection:
        member = installation.member(connection, found.id)
    if member is None:
        raise NotSignedIn(
            "You sign in for no organisation any more. Ask an administrator to let you in.",
            field="email",
        )
    return open_session(house, member)


def check_password(house: House, email: str, password: str) -> SignIn:
    """Who they are. Raises NotSignedIn (one sentence for all causes), TooMany after five
    failures."""
    now = house.clock.real()
    with house.installation.reading() as connection:
        found = installation.by_email(connection, email)
    if found and found.locked_until and found.locked_until > now:
        raise TooMany(
            "Too many wrong passwords. Wait five minutes, or ask an administrator.",
            field="password",
        )
    fits = _fits(found.password_hash if found else _NOBODY, password)
    if found is None or not fits:
        if found:
            _note_failure(house, found.id, found.failures + 1)
        raise NotSignedIn(
            "That mail address and password don't go together. Check both and try again.",
            field="password",
        )
    with house.installation.writing() as connection:
        installation.note_failure(connection, found.id, 0, None)
    return found


def open_session(house: House, member: Member) -> str:
    token = secrets.token_urlsafe(32)
    expires = house.clock.real() + timedelta(hours=house.settings.session_hours)
    with house.installation.writing() as connection:
        installation.open_session(connection, _digest(token), member, expires)
    return token


def demo_sign_in(house: House, who: str) -> str:
    """The demo's sign-in by choosing a person. Raises NotSignedIn outside the demo."""
    with house.installation.reading() as connection:
        member = installation.member(connection, who)
    if not house.settings.demo or member is None:
        raise NotSignedIn(
            "Choose one of the people, or sign in with mail address and password.", field="who"
        )
    return open_session(house, member)


def whose(house: House, token: str | None) -> Member | None:
    if not token:
        return None
    with house.installation.reading() as connection:
        return installation.session_member(connection, _digest(token), house.clock.real())


def sign_out(house: House, token: str | None) -> None:
    if token:
        with house.installation.writing() as connection:
            installation.close_session(connection, _digest(token))


def act_for(house: House, token: str | None, who: Member, organisation: str) -> Member:
    """Go on for another organisation in the same session. Raises Forbidden for one that somebody is
    no member of."""
    member = as_member_of(house, who, organisation)
    with house.installation.writing() as connection:
        installation.act_for(connection, _digest(token or ""), organisation)
    return member


def as_member_of(house: House, who: Member, organisation: str) -> Member:
    """The same person in another of their organisations. Raises Forbidden, the same for one that is
    not there: nothing is told of it."""
    with house.installation.reading() as connection:
        found = next(
            (
                m
                for m in installation.memberships_of(connection, who.sign_in)
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


def demo_people(house: House) -> list[Member]:
    if not house.settings.demo:
        return []
    with house.installation.reading() as connection:
        return installation.members(connection)


def by_token(house: House, token: str, *, loopback: bool) -> Member | None:
    """The demo's API token, as an administrator, on a loopback address only."""
    if house.settings.demo and loopback and hmac.compare_digest(token, house.settings.demo_token):
        return next((m for m in demo_people(house) if m.role is AccessRole.ADMINISTRATOR), None)
    return None


def _note_failure(house: House, who: str, failures: int) -> None:
    until = house.clock.real() + LOCKED if failures >= MOST_FAILURES else None
    with house.installation.writing() as connection:
        installation.note_failure(connection, who, 0 if until else failures, until)


def _fits(password_hash: str, password: str) -> bool:
    try:
        return _hasher.verify(password_hash, password[:1000])
    except VerificationError:
        return False


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
