"""From nothing: the first organisation of an installation, and its first administrator.

At the door stands a code that only the process's own log tells, so that finding the address
first makes nobody its owner. It is gone once somebody signs in here.
"""

import secrets
from dataclasses import dataclass

from sedge.core.access.roles import AccessRole
from sedge.core.errors import Forbidden, NotAllowedNow, NotUnderstood
from sedge.core.mail_addresses import is_mail_address
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Subject
from sedge.services.access import access, passwords, throttle
from sedge.services.access.throttle import Caller
from sedge.services.context import Installation
from sedge.services.process import Slot
from sedge.store.repositories.access import sign_ins
from sedge.store.repositories.access.sign_ins import Member, Organisation

DOOR = Slot[str]("code of the first run")
LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"


@dataclass(frozen=True)
class First:
    """What the first organisation is called, where it is at home, and who administers it."""

    organisation: str
    country: str
    name: str
    email: str
    password: str
    again: str


def open_door(installation: Installation) -> str | None:
    """The code that lets somebody set up the first organisation; None where there is one."""
    if not is_open(installation):
        return None
    doors = installation.process.under_way(DOOR)
    fresh = "-".join("".join(secrets.choice(LETTERS) for _ in range(4)) for _ in range(3))
    return doors.setdefault("code", fresh)


def is_open(installation: Installation) -> bool:
    with installation.shared.reading() as connection:
        return not sign_ins.members(connection) and not installation.organisations


def enter(installation: Installation, code: str, first: First, caller: Caller) -> str:
    """Set up, and sign in; a session's token. Raises Forbidden for a wrong code, TooMany, and as
    `set_up`."""
    throttle.knock(installation, "first run", "", caller)
    wanted = installation.process.under_way(DOOR).get("code")
    typed = code.strip().upper().encode(errors="replace")
    if not wanted or not secrets.compare_digest(typed, wanted.encode()):
        raise Forbidden("That is not the code that Sedge told in its log.", field="code")
    member = set_up(installation, first)
    installation.process.under_way(DOOR).clear()
    return access.open_session(installation, member, caller)


def set_up(installation: Installation, first: First) -> Member:
    """The organisation with its administrator, in one transaction. Raises NotUnderstood naming the
    field, NotAllowedNow where somebody was faster."""
    organisation, member = _checked(first)
    hashed = passwords.hash_password(first.password)
    with installation.shared.writing() as connection:
        if sign_ins.members(connection) or sign_ins.organisations(connection):
            raise NotAllowedNow("Somebody has set this up already. Sign in.", reason="taken")
        sign_ins.add_organisation(connection, organisation, installation.clock.real())
        sign_ins.add_sign_in(connection, member, hashed)
    installation.open_estate(organisation)
    with installation.context(member).writing() as writing:
        writing.record_event(
            "sign-in.taken-up", Subject.SIGN_IN, member.email, f"{member.name}, {member.role}"
        )
    return member


def _checked(first: First) -> tuple[Organisation, Member]:
    named, name, email = first.organisation.strip(), first.name.strip(), first.email.strip().lower()
    if not 1 <= len(named) <= 120:
        raise NotUnderstood(
            "An organisation needs a name of at most 120 characters.", field="organisation"
        )
    if first.country.upper() not in COUNTRIES:
        raise NotUnderstood(f"Countries are: {', '.join(COUNTRIES)}.", field="country")
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("A name of at most 120 characters is needed.", field="name")
    if not is_mail_address(email):
        raise NotUnderstood("The mail address needs the form name@example.org.", field="email")
    passwords.refuse_weak(first.password, first.again, about=(name, email, named))
    organisation = Organisation(
        f"org-{secrets.token_hex(6)}", named, first.country.upper(), asks_directory=True
    )
    administrator = Member(
        f"sign-in-{secrets.token_hex(5)}", name, email, organisation.id, AccessRole.ADMINISTRATOR
    )
    return organisation, administrator
