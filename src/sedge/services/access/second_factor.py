"""The second factor: one-time codes of an authenticator (TOTP, RFC 6238), and recovery codes for
who has lost it."""

import io
import re
import secrets
from dataclasses import dataclass
from datetime import datetime

from pyotp import random_base32
from pyotp.totp import TOTP

from sedge.core.access.roles import AccessRole
from sedge.core.errors import NotAllowedNow, NotSignedIn
from sedge.core.records import Subject
from sedge.services.access import throttle
from sedge.services.access.passwords import digest
from sedge.services.access.throttle import Caller
from sedge.services.context import Installation
from sedge.store.repositories.access import factors, sign_ins
from sedge.store.repositories.access.sign_ins import Member, SignIn

ISSUER = "Sedge"
STEP_SECONDS = 30
DRIFT_STEPS = 1  # of a clock that goes wrong, either way
RECOVERY_CODES = 10
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that looks like another


@dataclass(frozen=True)
class Factors:
    """What somebody has beside their password: since when an authenticator, how many recovery codes
    are left, which passkeys."""

    since: datetime | None
    recovery_codes: int
    passkeys: list[factors.Passkey]

    @property
    def has_any(self) -> bool:
        return self.since is not None or bool(self.passkeys)


@dataclass(frozen=True)
class Enrolment:
    """What an authenticator is told: the secret in groups of four, its address, and that as a
    picture (SVG) for a camera."""

    secret: str
    address: str
    picture: str


def factors_of(installation: Installation, sign_in: str) -> Factors:
    with installation.shared.reading() as connection:
        found = sign_ins.by_id(connection, sign_in)
        return Factors(
            found.totp_since if found else None,
            factors.recovery_codes_left(connection, sign_in),
            factors.passkeys(connection, sign_in),
        )


def is_asked_of(installation: Installation, role: AccessRole) -> bool:
    """Whether a role signs in with a second factor or not at all. The demo's people are let in by a
    click, and so by less than one."""
    return not installation.settings.demo and role in installation.settings.second_factor_roles


def enrol(installation: Installation, who: Member) -> Enrolment:
    """A secret to be put into an authenticator: the same until a code of it has been typed. Raises
    NotAllowedNow for who has one in use."""
    with installation.shared.writing() as connection:
        found = _the(sign_ins.by_id(connection, who.sign_in))
        if found.totp_since is not None:
            raise NotAllowedNow("You have an authenticator in use. Take it off first.", reason="on")
        secret = (
            installation.keyring.open(found.totp_sealed) if found.totp_sealed else random_base32()
        )
        if not found.totp_sealed:
            factors.set_totp(connection, who.sign_in, installation.keyring.seal(secret))
    address = TOTP(secret).provisioning_uri(name=who.email, issuer_name=ISSUER)
    return Enrolment(" ".join(re.findall(".{4}", secret)), address, _picture(address))


def confirm(installation: Installation, who: Member, code: str, caller: Caller) -> list[str]:
    """The authenticator works: from now on it is asked for. The recovery codes, which are shown
    this once. Raises NotSignedIn for a wrong code, TooMany."""
    throttle.knock(installation, "code", who.email, caller)
    with installation.shared.writing() as connection:
        found = _the(sign_ins.by_id(connection, who.sign_in))
        if found.totp_since is not None:
            raise NotAllowedNow("You have an authenticator in use already.", reason="on")
        step = _step_of(installation, found, code)
        if step is None:
            raise NotSignedIn(
                "That code does not fit. Type the one shown now; check the clock of the phone.",
                field="code",
            )
        factors.set_totp(connection, who.sign_in, found.totp_sealed, installation.clock.real())
        factors.use_step(connection, who.sign_in, step)
    throttle.forget(installation, "code", who.email, caller)
    _note(installation, who, "sign-in.factor-on")
    return new_recovery_codes(installation, who)


def new_recovery_codes(installation: Installation, who: Member) -> list[str]:
    """In place of all earlier ones; each lets in once."""
    made = [
        "-".join("".join(secrets.choice(LETTERS) for _ in range(5)) for _ in range(2))
        for _ in range(RECOVERY_CODES)
    ]
    with installation.shared.writing() as connection:
        factors.put_recovery_codes(connection, who.sign_in, [digest(_plain(c)) for c in made])
    return made


def take_off(installation: Installation, who: Member) -> None:
    """Without the authenticator and its recovery codes from now on. Raises NotAllowedNow where the
    role asks for one and no passkey is left."""
    if is_asked_of(installation, who.role) and not factors_of(installation, who.sign_in).passkeys:
        raise NotAllowedNow(
            f"As {who.role} you sign in with a second factor. Add a passkey first, then take the"
            " authenticator off.",
            reason="asked",
        )
    with installation.shared.writing() as connection:
        factors.set_totp(connection, who.sign_in, None)
        factors.put_recovery_codes(connection, who.sign_in, [])
    _note(installation, who, "sign-in.factor-off")


def take_off_of(installation: Installation, by: Member, member: Member) -> None:
    """An administrator lets somebody begin anew who has lost both phone and recovery codes."""
    with installation.shared.writing() as connection:
        factors.set_totp(connection, member.sign_in, None)
        factors.put_recovery_codes(connection, member.sign_in, [])
        for key in factors.passkeys(connection, member.sign_in):
            factors.remove_passkey(connection, member.sign_in, key.id)
    with installation.context(by).writing() as writing:
        writing.record_event("sign-in.factor-off", Subject.SIGN_IN, member.email, member.name)


def check(installation: Installation, who: Member, code: str, caller: Caller) -> None:
    """A code of the authenticator, or a recovery code. Each is taken once. Raises NotSignedIn,
    TooMany."""
    throttle.knock(installation, "code", who.email, caller)
    with installation.shared.writing() as connection:
        found = _the(sign_ins.by_id(connection, who.sign_in))
        step = _step_of(installation, found, code) if found.totp_since else None
        ok = step is not None and factors.use_step(connection, who.sign_in, step)
        if not ok:
            ok = factors.use_recovery_code(
                connection, who.sign_in, digest(_plain(code)), installation.clock.real()
            )
    if not ok:
        raise NotSignedIn(
            "That code does not fit, or was used already. Type the one shown now, or a recovery"
            " code.",
            field="code",
        )
    throttle.forget(installation, "code", who.email, caller)


def _step_of(installation: Installation, found: SignIn, code: str) -> int | None:
    """Which step of time a typed code belongs to, near now; None for a wrong one."""
    digits = re.sub(r"\s", "", code)
    if not found.totp_sealed or not re.fullmatch(r"[0-9]{6}", digits):
        return None
    totp = TOTP(installation.keyring.open(found.totp_sealed))
    now = int(installation.clock.real().timestamp()) // STEP_SECONDS
    near = range(now - DRIFT_STEPS, now + DRIFT_STEPS + 1)
    return next(
        (step for step in near if secrets.compare_digest(totp.generate_otp(step), digits)), None
    )


def _plain(code: str) -> str:
    return re.sub(r"[\s-]", "", code).lower()


def _picture(address: str) -> str:
    import segno

    out = io.BytesIO()
    segno.make(address, error="m").save(out, kind="svg", scale=5, border=2)
    return out.getvalue().decode()


def _the(found: SignIn | None) -> SignIn:
    if found is None:
        raise NotSignedIn("Sign in to go on.")
    return found


def _note(installation: Installation, who: Member, action: str) -> None:
    with installation.context(who).writing() as writing:
        writing.record_event(action, Subject.SIGN_IN, who.email, f"{who.name} ({who.email})")
