"""Members of an organisation: letting somebody in by mail, what they may do, and shutting the
door behind them."""

import secrets
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sedge.core.access.roles import KEPT_TO_SITES, AccessRole, May, permissions
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.mail_addresses import is_mail_address
from sedge.core.records import Site, Subject
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.access import access, passwords, second_factor
from sedge.services.access.passwords import digest as _digest
from sedge.services.access.throttle import NOBODY, Caller
from sedge.services.context import Context, Installation, system_member
from sedge.store.repositories.access import factors, invitations, sign_ins
from sedge.store.repositories.access.invitations import Invitation
from sedge.store.repositories.access.sign_ins import Member

LASTS = timedelta(days=7)


@dataclass(frozen=True)
class Role:
    """A role and what it may do, in words."""

    name: str
    may: list[str]
    kept_to_sites: bool = False


ROLES = [Role(r.value, [m.value for m in permissions(r)], r in KEPT_TO_SITES) for r in AccessRole]
PERMISSIONS = [m.value for m in permissions(AccessRole.ADMINISTRATOR)]


def list_members(context: Context) -> tuple[list[Member], list[Invitation]]:
    """Members by name, and who has been let in and not come yet."""
    with context.installation.shared.reading() as connection:
        here = sign_ins.members_of(connection, context.who.organisation)
        return here, invitations.open_ones(
            connection, context.who.organisation, context.installation.clock.real()
        )


def with_second_factor(context: Context) -> set[str]:
    """The sign-ins of this organisation that have one."""
    with context.installation.shared.reading() as connection:
        here = sign_ins.members_of(connection, context.who.organisation)
        return factors.who_has_one(connection, [m.sign_in for m in here])


@dataclass(frozen=True)
class Invited:
    """An invitation, and the link that takes it up, where no mail can bring it: "" otherwise."""

    invitation: Invitation
    link: str


def invite(context: Context, form: dict[str, object], address: str) -> Invited:
    """Write to somebody that they may sign in; the letter has a link under `address` that works
    once, for a week. Without a mail server the link is handed to who invites, this once.

    Whether they sign in for others already is not told. Raises NotUnderstood naming the field,
    NotAllowedNow for who is in already.
    """
    context.require(May.SET_RULES)
    email, name = str(form.get("email", "")).strip().lower(), str(form.get("name", "")).strip()
    if not is_mail_address(email):
        raise NotUnderstood("The mail address needs the form name@example.org.", field="email")
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("A name of at most 120 characters is needed.", field="name")
    role, sites = _role(form), _sites(context, form)
    now, token = context.installation.clock.real(), secrets.token_urlsafe(24)
    invitation = Invitation(
        _digest(token),
        email,
        name,
        context.who.organisation,
        role,
        sites,
        context.actor,
        now + LASTS,
    )
    with context.installation.shared.writing() as connection:
        if any(m.email == email for m in sign_ins.members_of(connection, context.who.organisation)):
            raise NotAllowedNow(
                f"{email} signs in for {context.organisation.name} already.",
                field="email",
                reason="member",
            )
        invitations.put_invitation(connection, invitation)
    link = f"{address.rstrip('/')}/welcome/{token}"
    text = (
        f"{context.actor} lets you sign in to Sedge for {context.organisation.name}, as"
        f" {role.value}.\n\nOpen this address within a week and choose a password:\n{link}\n\nIf"
        " you did not expect this, do nothing."
    )
    with context.writing() as writing:
        mail.write(
            writing,
            f"welcome-{invitation.id[:40]}",
            email,
            Letter(f"Sign in for {context.organisation.name}", text, ""),
        )
        writing.record_event(
            "sign-in.invited", Subject.SIGN_IN, email, f"{name} ({email}), {_told(role, sites)}"
        )
    return Invited(invitation, "" if context.outside.mail.is_connected else link)


def withdraw(context: Context, key: str) -> None:
    """An invitation that no longer lets anybody in. Raises NotFound."""
    context.require(May.SET_RULES)
    with context.installation.shared.writing() as connection:
        gone = invitations.take(connection, key, context.who.organisation)
    if gone is None:
        raise NotFound(
            "There is no such invitation; it may have been taken up.", subject="invitation", id=key
        )
    with context.writing() as writing:
        writing.record_event(
            "sign-in.withdrawn", Subject.SIGN_IN, gone.email, f"{gone.name} ({gone.email})"
        )


def change_member(context: Context, sign_in: str, form: dict[str, Any]) -> Member:
    """Another role, or other sites, from the next page on. Raises NotFound, NotAllowedNow where
    nobody would be left to let others in."""
    context.require(May.SET_RULES)
    role, sites = _role(form), _sites(context, form)
    with context.installation.shared.writing() as connection:
        member = _the(sign_ins.members_of(connection, context.who.organisation), sign_in)
        if role is not AccessRole.ADMINISTRATOR:
            _somebody_stays(
                context, sign_ins.members_of(connection, context.who.organisation), sign_in
            )
        sign_ins.change_membership(connection, sign_in, context.who.organisation, role, sites)
    with context.writing() as writing:
        writing.record_event(
            "sign-in.changed", Subject.SIGN_IN, member.email, f"{member.name}: {_told(role, sites)}"
        )
    return member


def end(context: Context, sign_in: str) -> None:
    """They sign in no longer for this organisation; whatever page they have open says so. What they
    did stays in the ledger."""
    context.require(May.SET_RULES)
    with context.installation.shared.writing() as connection:
        here = sign_ins.members_of(connection, context.who.organisation)
        member = _the(here, sign_in)
        _somebody_stays(context, here, sign_in)
        sign_ins.end_membership(connection, sign_in, context.who.organisation)
    with context.writing() as writing:
        writing.record_event(
            "sign-in.ended", Subject.SIGN_IN, member.email, f"{member.name} ({member.email})"
        )


def take_off_factor(context: Context, sign_in: str) -> None:
    """Somebody has lost phone and recovery codes: they set up a second factor anew as they sign in
    next. Raises NotFound, NotAllowedNow for oneself."""
    context.require(May.SET_RULES)
    if sign_in == context.who.sign_in:
        raise NotAllowedNow("Take off your own second factor on the page My account.", reason="own")
    with context.installation.shared.reading() as connection:
        member = _the(sign_ins.members_of(connection, context.who.organisation), sign_in)
        elsewhere = len(sign_ins.memberships_of(connection, sign_in)) > 1
    if elsewhere:
        raise NotAllowedNow(
            f"{member.name} signs in for other organisations too, whose safety is not yours to"
            " lower. Those who run Sedge can do it: sedge second-factor --help.",
            reason="elsewhere",
        )
    second_factor.take_off_of(context.installation, context.who, member)


# ── at the door ──


@dataclass(frozen=True)
class Welcome:
    """What an invitation says to who opens it; `known` where they have a password already."""

    name: str
    email: str
    organisation: str
    role: str
    known: bool


def welcome(installation: Installation, token: str) -> Welcome:
    """Raises NotFound for one that was taken up, withdrawn or is too old: the same for one that
    never was."""
    with installation.shared.reading() as connection:
        found = invitations.by_digest(connection, _digest(token), installation.clock.real())
        known = sign_ins.by_email(connection, found.email) is not None if found else False
    if found is None or found.organisation not in installation.organisations:
        raise NotFound(
            "This invitation lets nobody in any more: it was used, withdrawn or is older than a"
            " week. Ask for another one."
        )
    return Welcome(
        found.name,
        found.email,
        installation.organisations[found.organisation].name,
        found.role.value,
        known,
    )


def accept(
    installation: Installation, token: str, password: str, again: str, caller: Caller = NOBODY
) -> str:
    """Take the invitation up: with the password one has, or a new one; a session's token. Raises
    NotUnderstood naming the field."""
    invited = welcome(installation, token)
    if invited.known:
        access.check_password(installation, invited.email, password, caller)
    else:
        about = (invited.name, invited.email, invited.organisation)
        passwords.refuse_weak(password, again, about=about)
    fresh = (
        "" if invited.known else passwords.hash_password(password)
    )  # slow on purpose, so before the transaction
    with installation.shared.writing() as connection:
        taken = invitations.take(connection, _digest(token))
        if taken is None:
            raise NotFound(
                "This invitation has just been used. Sign in with the password chosen then."
            )
        known = sign_ins.by_email(connection, taken.email)
        if known and fresh:
            raise NotAllowedNow(
                "You have a password since a moment ago. Open the invitation again and use that"
                " one.",
                reason="known",
            )
        member = Member(
            known.id if known else f"sign-in-{secrets.token_hex(5)}",
            taken.name,
            taken.email,
            taken.organisation,
            taken.role,
            taken.sites,
        )
        if known:
            sign_ins.add_membership(connection, member)
        else:
            sign_ins.add_sign_in(connection, member, fresh)
    with installation.context(member).writing() as writing:
        writing.record_event(
            "sign-in.taken-up",
            Subject.SIGN_IN,
            member.email,
            f"{member.name}, {_told(member.role, member.sites)}",
        )
    return access.open_session(installation, member, caller)


def _role(form: dict[str, object]) -> AccessRole:
    try:
        return AccessRole(str(form.get("role", "")))
    except ValueError:
        raise NotUnderstood(f"Roles are: {', '.join(AccessRole)}.", field="role") from None


def _sites(context: Context, form: dict[str, Any]) -> tuple[str, ...]:
    """The sites a site manager looks after, at least one. Other roles are for the whole
    organisation. Raises NotUnderstood."""
    if _role(form) not in KEPT_TO_SITES:
        return ()
    wanted = [str(s) for s in form.get("sites", [])]
    if not wanted:
        raise NotUnderstood(
            "Choose at least one site: a site manager changes nothing elsewhere.", field="sites"
        )
    with context.reading() as reading:
        known = {s.id for s in reading.records.many(Site, wanted)}
    if missing := [s for s in wanted if s not in known]:
        raise NotUnderstood(f"There is no site {missing[0]}.", field="sites")
    return tuple(wanted)


def take_off_by_operator(installation: Installation, email: str) -> None:
    """The same by those who run Sedge, for anybody. Raises NotFound."""
    with installation.shared.reading() as connection:
        found = sign_ins.by_email(connection, email)
        member = sign_ins.member(connection, found.id) if found else None
    if member is None:
        raise NotFound(f"Nobody signs in with {email}.")
    second_factor.take_off_of(installation, system_member(member.organisation), member)


def _the(members: list[Member], sign_in: str) -> Member:
    found = next((m for m in members if m.sign_in == sign_in), None)
    if found is None:
        raise NotFound("They don't sign in here, or no longer.", subject="sign-in", id=sign_in)
    return found


def _somebody_stays(context: Context, members: list[Member], sign_in: str) -> None:
    if not any(m.role is AccessRole.ADMINISTRATOR and m.sign_in != sign_in for m in members):
        raise NotAllowedNow(
            f"{context.organisation.name} would have no administrator left. Make somebody else one"
            " first.",
            reason="last",
        )


def _told(role: AccessRole, sites: tuple[str, ...]) -> str:
    return f"{role.value} of {', '.join(sites)}" if sites else role.value
