"""Passkeys (WebAuthn level 3) as a second factor: a key that never leaves its device signs what we
ask, for our address only."""

import json
import secrets
from base64 import urlsafe_b64decode, urlsafe_b64encode
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from sedge.core.errors import NotAllowedNow, NotFound, NotSignedIn, NotUnderstood
from sedge.core.records import Subject
from sedge.services.access import second_factor, throttle
from sedge.services.access.throttle import Caller
from sedge.services.context import Installation
from sedge.services.process import Slot
from sedge.store.repositories.access import factors
from sedge.store.repositories.access.factors import Passkey
from sedge.store.repositories.access.sign_ins import Member

if TYPE_CHECKING:
    from webauthn.helpers.structs import PublicKeyCredentialDescriptor

ASKED = Slot[tuple[bytes, datetime]]("challenges of passkeys")
ASKED_FOR = timedelta(minutes=5)
MOST = 20  # passkeys of one person
MOST_TEXT = 20_000


def offer(installation: Installation, who: Member, session: str, address: str) -> str:
    """What a browser is told to make a new passkey, as JSON. `address` is where people reach
    Sedge."""
    from webauthn import generate_registration_options, options_to_json

    known = second_factor.factors_of(installation, who.sign_in).passkeys
    options = generate_registration_options(
        rp_id=_host(address),
        rp_name=second_factor.ISSUER,
        user_id=who.sign_in.encode(),
        user_name=who.email,
        user_display_name=who.name,
        challenge=_challenge(installation, session),
        exclude_credentials=_described(known),
    )
    return options_to_json(options)


def add(
    installation: Installation, who: Member, session: str, address: str, credential: str, name: str
) -> Passkey:
    """Keep the passkey that a browser made. Raises NotUnderstood for one that does not answer what
    was asked, NotAllowedNow where there are too many."""
    from webauthn import verify_registration_response
    from webauthn.helpers.exceptions import WebAuthnException

    name = name.strip()[:80] or "Passkey"
    try:
        found = verify_registration_response(
            credential=_plain(credential),
            expected_challenge=_asked(installation, session),
            expected_rp_id=_host(address),
            expected_origin=_origin(address),
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as error:
        raise NotUnderstood(
            "The browser's passkey does not fit. Try again; if it fails again, use another device.",
            field="passkey",
        ) from error
    passkey = Passkey(
        _text(found.credential_id),
        who.sign_in,
        name,
        _text(found.credential_public_key),
        found.sign_count,
        installation.clock.real(),
    )
    with installation.shared.writing() as connection:
        known = factors.passkeys(connection, who.sign_in)
        if len(known) >= MOST:
            raise NotAllowedNow(f"You have {MOST} passkeys. Remove one first.", reason="many")
        factors.add_passkey(connection, passkey)
    _note(installation, who, "sign-in.factor-on", name)
    return passkey


def ask(installation: Installation, who: Member, session: str, address: str) -> str:
    """What a browser is told to use one of somebody's passkeys, as JSON."""
    from webauthn import generate_authentication_options, options_to_json

    known = second_factor.factors_of(installation, who.sign_in).passkeys
    options = generate_authentication_options(
        rp_id=_host(address),
        challenge=_challenge(installation, session),
        allow_credentials=_described(known),
    )
    return options_to_json(options)


def check(
    installation: Installation,
    who: Member,
    session: str,
    address: str,
    credential: str,
    caller: Caller,
) -> None:
    """One of their passkeys has signed what was asked. A counter that went back means that the key
    was copied, and is refused. Raises NotSignedIn, TooMany."""
    from webauthn import verify_authentication_response
    from webauthn.helpers.exceptions import WebAuthnException

    throttle.knock(installation, "passkey", who.email, caller)
    known = {p.id: p for p in second_factor.factors_of(installation, who.sign_in).passkeys}
    try:
        plain = _plain(credential)
        passkey = known[str(json.loads(plain)["id"])]
        found = verify_authentication_response(
            credential=plain,
            expected_challenge=_asked(installation, session),
            expected_rp_id=_host(address),
            expected_origin=_origin(address),
            credential_public_key=_bytes(passkey.public_key),
            credential_current_sign_count=passkey.sign_count,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as error:
        raise NotSignedIn("That passkey does not fit. Try again, or type a code.") from error
    with installation.shared.writing() as connection:
        factors.use_passkey(connection, passkey.id, found.new_sign_count, installation.clock.real())
    throttle.forget(installation, "passkey", who.email, caller)


def remove(installation: Installation, who: Member, key: str) -> None:
    """Raises NotFound; NotAllowedNow for the last factor of a role that asks for one."""
    had = second_factor.factors_of(installation, who.sign_in)
    is_last = had.since is None and len(had.passkeys) == 1
    if is_last and second_factor.is_asked_of(installation, who.role):
        raise NotAllowedNow(
            f"As {who.role} you sign in with a second factor. Set up another one first.",
            reason="asked",
        )
    with installation.shared.writing() as connection:
        if not factors.remove_passkey(connection, who.sign_in, key):
            raise NotFound("There is no such passkey, or it was removed.", id=key)
    _note(installation, who, "sign-in.factor-off", "passkey")


def _challenge(installation: Installation, session: str) -> bytes:
    """Kept for a few minutes; the newest of a session counts."""
    asked, now = installation.process.under_way(ASKED), installation.clock.real()
    for key in [key for key, (_, until) in asked.items() if until < now]:
        asked.pop(key, None)
    challenge = secrets.token_bytes(32)
    asked[session] = challenge, now + ASKED_FOR
    return challenge


def _asked(installation: Installation, session: str) -> bytes:
    """Taken once. Raises KeyError where nothing was asked, or too long ago."""
    challenge, until = installation.process.under_way(ASKED).pop(session)
    if until < installation.clock.real():
        raise KeyError(session)
    return challenge


def _described(known: list[Passkey]) -> list["PublicKeyCredentialDescriptor"]:
    from webauthn.helpers.structs import PublicKeyCredentialDescriptor

    return [PublicKeyCredentialDescriptor(id=_bytes(p.id)) for p in known]


def _text(content: bytes) -> str:
    """Base64 for addresses, without padding (RFC 4648, 5)."""
    return urlsafe_b64encode(content).rstrip(b"=").decode()


def _bytes(text: str) -> bytes:
    return urlsafe_b64decode(text + "=" * (-len(text) % 4))


def _plain(credential: str) -> str:
    if len(credential) > MOST_TEXT:
        raise ValueError("too long for a passkey's answer")
    return credential


def _host(address: str) -> str:
    return urlsplit(address).hostname or ""


def _origin(address: str) -> str:
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}"


def _note(installation: Installation, who: Member, action: str, name: str) -> None:
    with installation.context(who).writing() as writing:
        writing.record_event(
            action, Subject.SIGN_IN, who.email, f"{who.name} ({who.email}): {name}"
        )
