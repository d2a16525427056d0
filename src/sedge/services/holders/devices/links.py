"""A phone's sign-in, shown to whom the phone is for: a link by mail that needs no account, works
once, and runs out. Its token stands in the letter alone; beside it only a hash is kept."""

from datetime import timedelta

from sqlalchemy import insert, select, update

from sedge.core.access.one_time import digest_of, new_token
from sedge.core.access.roles import AccessRole
from sedge.core.errors import NotFound
from sedge.core.holders.devices import DeviceKind
from sedge.core.records import Device, Person, Subject
from sedge.formats.letters import Letter
from sedge.services import mail
from sedge.services.context import (
    LINK_GONE,
    Installation,
    Reading,
    Writing,
    context_of_link,
)
from sedge.services.holders.devices.devices import Sheet, sheet_with_secret
from sedge.store.schema.holders import device_link

GOOD_FOR = timedelta(days=7)
WHO, MAY_DO = "Whom the phone is for", AccessRole.OBSERVER


def send_link(writing: Writing, address: str, device: Device, owner: Person) -> None:
    """Mail the owner a new link; `address` is where this installation is reached."""
    token = new_token(writing.organisation_id)
    values = {
        "token_hash": digest_of(token),
        "device": device.id,
        "expires_at": writing.now + GOOD_FOR,
        "used_at": None,
    }
    writing.connection.execute(insert(device_link).values(**values))
    one = DeviceKind(device.kind).one
    text = (
        f"Hello {owner.name},\n\n{one} has been set up for you. Its sign-in is shown here (once,"
        f" within {GOOD_FOR.days} days; have the phone beside you):\n\n"
        f"{address}/phone/{token}\n\n{mail.SENDER_NOTE}"
    )
    letter = Letter(f"Your {device.kind}", text)
    mail.write(writing, f"phone-{digest_of(token)[:16]}", owner.email, letter)


def asked(installation: Installation, token: str) -> tuple[str, Device]:
    """Whose organisation and which phone a link is about; nothing is used up. Raises NotFound."""
    context = context_of_link(installation, token, name=WHO, role=MAY_DO)
    with context.reading() as reading:
        return context.organisation.name, _device(reading, token)


def use(installation: Installation, token: str) -> Sheet:
    """The settings with their secret: once, of two at the same moment one is refused. Raises
    NotFound."""
    context = context_of_link(installation, token, name=WHO, role=MAY_DO)
    with context.writing(reason="by a link") as writing:
        device = _device(writing, token)
        now = (device_link.c.token_hash == digest_of(token), device_link.c.used_at.is_(None))
        change = update(device_link).where(*now).values(used_at=writing.now)
        if writing.connection.execute(change).rowcount != 1:
            raise NotFound(LINK_GONE, subject="link")
        writing.record_event("device.sign-in-shown", Subject.DEVICE, device.id, device.name)
        return sheet_with_secret(writing, installation.keyring, device.id)


def _device(reading: Reading, token: str) -> Device:
    row = reading.connection.execute(
        select(device_link).where(device_link.c.token_hash == digest_of(token))
    ).first()
    if row is None or row.used_at is not None or row.expires_at <= reading.now:
        raise NotFound(LINK_GONE, subject="link")
    device = reading.records.the(Device, row.device)
    if device.removed:
        raise NotFound(LINK_GONE, subject="link")
    return device
