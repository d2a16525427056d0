"""Confirming spots by somebody at the site: a link that needs no account, works once, and runs out.

A link stands in the letter alone, or is told once; beside it only its hash is kept.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import insert, select, update

from sedge.core.access.one_time import digest_of, new_token
from sedge.core.access.roles import AccessRole, May
from sedge.core.changes import changed
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.records import Address, Site, Spot, Subject
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.context import LINK_GONE, Context, Installation, context_of_link
from sedge.store.schema.safety import confirm_link

GOOD_FOR = timedelta(days=14)
WHO, MAY_DO = "Somebody at the site", AccessRole.SAFETY_OFFICER


@dataclass(frozen=True)
class Asked:
    """What somebody who follows a link is asked; `organisation` is who asks."""

    organisation: str
    spot: Spot
    site: Site
    address: Address
    expires_at: datetime


def make_link(context: Context, code: str, *, to: str = "") -> str:
    """A new link for a spot, told this once; mailed to `to` where that is given. Raises
    NotUnderstood, NotFound."""
    context.require(May.CHANGE_SAFETY)
    if to and ("@" not in to or len(to) > 200 or any(ch.isspace() for ch in to)):
        raise NotUnderstood("That is no mail address.", field="to")
    token = new_token(context.who.organisation)
    path = f"/confirm/{token}"
    with context.writing() as writing:
        spot = writing.records.the(Spot, code)
        context.require_site(spot.site)
        site = writing.records.the(Site, spot.site)
        values = {
            "token_hash": digest_of(token),
            "spot": code,
            "sent_to": to,
            "expires_at": writing.now + GOOD_FOR,
            "used_at": None,
        }
        writing.connection.execute(insert(confirm_link).values(**values))
        writing.record_event(
            "spot.asked", Subject.SPOT, code, f"{spot.name}{f', {to}' if to else ''}"
        )
        if to:
            address = f"{context.installation.settings.address}{path}"
            text = (
                f"If somebody makes an emergency call from “{spot.name}” at {site.name}, the"
                f" crew is sent"
                " there by these words.\nPlease look whether they are right, and say so here"
                f" (once, within {GOOD_FOR.days} days):\n\n{address}\n\n{mail.SENDER_NOTE}"
            )
            mail.write(
                writing,
                f"confirm-{digest_of(token)[:16]}",
                to,
                Letter(f"Is “{spot.name}” still right?", text),
            )
    return path


def asked(installation: Installation, token: str) -> Asked:
    """What a link is about. Raises NotFound where it was used, has run out or never was."""
    context = context_of_link(installation, token, name=WHO, role=MAY_DO)
    with context.reading() as reading:
        row = reading.connection.execute(
            select(confirm_link).where(confirm_link.c.token_hash == digest_of(token))
        ).first()
        if row is None or row.used_at is not None or row.expires_at <= reading.now:
            raise NotFound(LINK_GONE, subject="link")
        spot = reading.records.the(Spot, row.spot)
        return Asked(
            context.organisation.name,
            spot,
            reading.records.the(Site, spot.site),
            reading.records.the(Address, spot.address),
            row.expires_at,
        )


def answer(installation: Installation, token: str, *, right: bool, name: str, note: str) -> Spot:
    """Use a link: the spot is confirmed, or noted as wrong for Today. Once: of two at the same
    moment one is refused. Raises NotFound, NotUnderstood."""
    if not 2 <= len(name.strip()) <= 80:
        raise NotUnderstood("Say who you are, so that somebody can ask back.", field="name")
    if not right and not note.strip():
        raise NotUnderstood("Say what is wrong with it.", field="note")
    context = context_of_link(installation, token, name=WHO, role=MAY_DO)
    with context.writing(reason=f"by a link, {name.strip()}") as writing:
        now = (
            confirm_link.c.token_hash == digest_of(token),
            confirm_link.c.used_at.is_(None),
            confirm_link.c.expires_at > writing.now,
        )
        if (
            writing.connection.execute(
                update(confirm_link).where(*now).values(used_at=writing.now)
            ).rowcount
            != 1
        ):
            raise NotFound(LINK_GONE, subject="link")
        code = writing.connection.execute(
            select(confirm_link.c.spot).where(confirm_link.c.token_hash == digest_of(token))
        ).scalar_one()
        spot = writing.records.the(Spot, code)
        if right:
            after = spot.copy_with(confirmed_at=writing.now, confirmed_by=name.strip(), doubt="")
            return writing.save([changed(Subject.SPOT, spot, after, "spot.confirmed")])[0].after
        doubt = f"{name.strip()}: {note.strip()}"[:400]
        return writing.save(
            [changed(Subject.SPOT, spot, spot.copy_with(doubt=doubt), "spot.doubted")]
        )[0].after
