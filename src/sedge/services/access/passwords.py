"""Passwords: kept as argon2id hashes, refused where they are easy to guess, changed, and set anew
by a letter that works once."""

import hashlib
import secrets
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from sedge.core.errors import NotFound, NotSignedIn, NotUnderstood
from sedge.core.records import Subject
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.access import throttle
from sedge.services.access.throttle import Caller
from sedge.services.context import Installation, system_member
from sedge.store.repositories.access import factors, sessions, sign_ins
from sedge.store.repositories.access.sign_ins import Member, SignIn

LEAST, MOST = 12, 200
LEAST_SCORE = 3  # of zxcvbn's 0 to 4: "safely unguessable", more than 10^8 guesses
RESET_LASTS = timedelta(hours=1)
_hasher = PasswordHasher(
    time_cost=2, memory_cost=19_456, parallelism=1
)  # OWASP's least parameters for argon2id
_NOBODY = _hasher.hash("nobody has this password")


def hash_password(password: str) -> str:
    return _hasher.hash(password)


def fits(found: SignIn | None, password: str) -> bool:
    """Whether it is theirs; takes as long for somebody who is not there."""
    kept = found.password_hash if found and found.password_hash else _NOBODY
    try:
        return _hasher.verify(kept, password[:1000]) and found is not None
    except (VerificationError, InvalidHashError):
        return False


def refuse_weak(password: str, again: str, *, about: tuple[str, ...] = ()) -> None:
    """Raises NotUnderstood for one that is short, was typed differently, is among those that have
    leaked, or is easy to guess by who knows what it is `about`: name, address, organisation."""
    from zxcvbn import zxcvbn

    if len(password) < LEAST:
        raise NotUnderstood(
            f"A password needs at least {LEAST} characters; several words do well.",
            field="password",
        )
    if len(password) > MOST:
        raise NotUnderstood(f"A password has at most {MOST} characters.", field="password")
    if password != again:
        raise NotUnderstood("The two passwords differ. Type them again.", field="again")
    words = [part for text in about for part in (text, *text.replace("@", " ").split()) if part]
    judged = zxcvbn(password, user_inputs=[*words, "sedge", "telephone"], max_length=MOST)
    if judged["score"] < LEAST_SCORE:
        why = judged["feedback"]["warning"] or "It is easy to guess"
        raise NotUnderstood(
            f"{why.rstrip('.')}. Take another one: four words that don't belong together do well.",
            field="password",
        )


def change_password(
    installation: Installation, who: Member, session: str, form: dict[str, str], caller: Caller
) -> None:
    """A new password for somebody who is signed in; their other sessions end. Raises NotSignedIn
    for a wrong old one, TooMany, NotUnderstood."""
    throttle.knock(installation, "password", who.email, caller)
    with installation.shared.reading() as connection:
        found = sign_ins.by_id(connection, who.sign_in)
    if not fits(found, form.get("old", "")):
        raise NotSignedIn("That is not your password so far.", field="old")
    throttle.forget(installation, "password", who.email, caller)
    fresh = form.get("password", "")
    organisation = installation.organisations[who.organisation].name
    refuse_weak(fresh, form.get("again", ""), about=(who.name, who.email, organisation))
    hashed = hash_password(fresh)
    with installation.shared.writing() as connection:
        sign_ins.set_password(connection, who.sign_in, hashed, installation.clock.real())
        sessions.close_of(connection, who.sign_in, but=session)
    _tell(installation, who, "sign-in.password-changed", "Your password was changed")


def write_reset(installation: Installation, email: str, address: str) -> None:
    """Write to somebody how to choose another password; nothing for who is not there. To be done
    after the answer, so that its time does not tell which of the two it was."""
    with installation.shared.reading() as connection:
        found = sign_ins.by_email(connection, email)
        member = sign_ins.member(connection, found.id) if found else None
    if found is None or member is None or member.organisation not in installation.estates:
        return
    token = secrets.token_urlsafe(32)
    with installation.shared.writing() as connection:
        factors.put_reset(
            connection, digest(token), found.id, installation.clock.real() + RESET_LASTS
        )
    text = (
        f"Somebody asked for a new password for {found.email} at Sedge.\n\nIf it was you, open this"
        f" address within an hour and choose one:\n{address.rstrip('/')}/reset/{token}\n\nIf not,"
        " do nothing: your password stays as it is."
    )
    with installation.context(system_member(member.organisation)).writing() as writing:
        key = f"reset-{digest(token)[:40]}"
        mail.write(writing, key, found.email, Letter("A new password for Sedge", text, ""))


def whose_reset(installation: Installation, token: str) -> Member:
    """Raises NotFound for a letter that was used or is too old: the same for one that never
    was."""
    with installation.shared.reading() as connection:
        key = factors.whose_reset(connection, digest(token), installation.clock.real())
        member = sign_ins.member(connection, key) if key else None
    if member is None:
        raise NotFound(
            "This address sets no password any more: it was used, or is older than an hour. Ask for"
            " another letter."
        )
    return member


def reset(installation: Installation, token: str, password: str, again: str) -> Member:
    """Set the password a letter lets one set; every session of theirs ends. Raises NotFound,
    NotUnderstood."""
    member = whose_reset(installation, token)
    organisation = installation.organisations[member.organisation].name
    refuse_weak(password, again, about=(member.name, member.email, organisation))
    hashed, now = hash_password(password), installation.clock.real()
    with installation.shared.writing() as connection:
        if factors.take_reset(connection, digest(token), now) is None:
            raise NotFound("This address has just been used. Sign in with the password chosen.")
        sign_ins.set_password(connection, member.sign_in, hashed, now)
        sessions.close_of(connection, member.sign_in)
    _tell(installation, member, "sign-in.password-reset", "Your password was set anew")
    return member


def set_by_operator(installation: Installation, email: str, password: str) -> None:
    """By those who run Sedge. Raises NotFound, NotUnderstood."""
    with installation.shared.reading() as connection:
        found = sign_ins.by_email(connection, email)
        member = sign_ins.member(connection, found.id) if found else None
    if member is None:
        raise NotFound(f"Nobody signs in with {email}.")
    refuse_weak(password, password, about=(member.name, member.email))
    hashed = hash_password(password)
    with installation.shared.writing() as connection:
        sign_ins.set_password(connection, member.sign_in, hashed, installation.clock.real())
        sessions.close_of(connection, member.sign_in)
    _tell(installation, member, "sign-in.password-reset", "Your password was set anew")


def _tell(installation: Installation, who: Member, action: str, subject: str) -> None:
    """In the ledger, and to them: if it was not they who did it, they must learn of it."""
    now = installation.clock.now()
    text = (
        f"{subject}: {who.email}, on {now:%-d %B %Y at %H:%M} UTC.\n\nIf that was not you, ask an"
        " administrator of your organisation at once."
    )
    with installation.context(who).writing() as writing:
        mail.write(
            writing, f"{action}-{secrets.token_hex(8)}", who.email, Letter(subject, text, "")
        )
        writing.record_event(action, Subject.SIGN_IN, who.email, f"{who.name} ({who.email})")


def digest(token: str) -> str:
    return hashlib.sha256(token.encode(errors="replace")).hexdigest()
