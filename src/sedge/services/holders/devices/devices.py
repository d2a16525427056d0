"""Devices: phones set up for people, with a sign-in of their own, a secret shown once,
and why one is not registered."""

import secrets
from collections.abc import Iterator
from dataclasses import dataclass

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotUnderstood
from sedge.core.holders.devices import KINDS, RINGS, DeviceKind, why_silent
from sedge.core.records import Device, HolderKind, HolderRef, Number, Person, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading, Writing
from sedge.services.telephony_sync import device_wish
from sedge.store import secrets as secrets_store
from sedge.store.schema import tables
from sedge.store.secrets import Keyring

HOST, PORT, TRANSPORT = "phones.sedge.example", 5061, "TLS"
CODECS, DTMF = "Opus, G.722, G.711 A-law", "RTP events (RFC 4733)"
SECRET_BYTES = 18


@dataclass(frozen=True)
class Setting:
    """One line of a settings sheet; `after` is what to do once it is typed in."""

    name: str
    value: str
    after: str = ""


@dataclass(frozen=True)
class Sheet:
    """What is typed into a phone, or scanned. `secret` only the one time it is shown; `code` is a
    SIP URI (RFC 3261 §19.1) for the scan."""

    device: Device
    person: Person
    settings: list[Setting]
    code: str
    secret: str = ""
    silent: str = ""


def of_person(context: Context, person: str) -> list[tuple[Device, str]]:
    """Somebody's devices, each with why it is silent ('' where it would ring)."""
    with context.reading() as reading:
        found = reading.records.where(
            Device, tables.device.c.person == person, order_by=tables.device.c.id
        )
    return [(d, why_silent(d)) for d in found if not d.removed]


def add(context: Context, person: str, kind: str, name: str = "") -> Sheet:
    """A device with a sign-in and a secret of its own; told to the telephone system before it is
    kept. Raises NotUnderstood."""
    context.require(May.CHANGE_HOLDERS)
    if kind not in KINDS:
        raise NotUnderstood(f"A device is one of: {', '.join(KINDS)}.", field="kind")
    with context.reading() as reading:
        owner = reading.records.the(Person, person)
        site = reading.records.the(Site, owner.site)
    context.require_site(owner.site)
    called = name.strip()[:80] or f"{kind} {owner.extension or owner.name.split()[-1]}"
    key = context.new_id("phone")
    device = Device(
        id=key,
        person=owner.id,
        kind=kind,
        name=called,
        user=f"{site.code.lower()}-{owner.extension or owner.id[-6:]}-{key[-4:]}",
        said="never",
    )
    return _with_secret(context, device, owner, None, "device.added")


def new_secret(context: Context, key: str) -> Sheet:
    """A secret made anew, shown this once; the phone signs in again once it has been typed in."""
    context.require(May.CHANGE_HOLDERS)
    with context.reading() as reading:
        device = reading.records.the(Device, key)
        owner = reading.records.the(Person, device.person)
    context.require_site(owner.site)
    user = device.user or f"{owner.extension or owner.id[-6:]}-{key[-4:]}"
    return _with_secret(
        context,
        device.copy_with(user=user, registered=False, said="secret"),
        owner,
        device,
        "device.secret-made",
    )


def _with_secret(
    context: Context, device: Device, owner: Person, before: Device | None, action: str
) -> Sheet:
    secret = secrets.token_urlsafe(SECRET_BYTES)
    context.outside.telephony.put_device(
        device.id, {**device_wish(device), "user": device.user, "secret": secret}
    )
    with context.writing() as writing:
        saved = writing.save([changed(Subject.DEVICE, before, device, action)])[0].after
        secrets_store.keep_secret(
            writing.connection,
            context.installation.keyring,
            secret_name(device.id),
            secret,
            writing.stamp,
        )
        shown = _shown_as(writing, owner)
    return _sheet(saved, owner, shown, secret)


def remove(context: Context, key: str) -> Device:
    """A device that is no more: it rings nothing from now on."""
    context.require(May.CHANGE_HOLDERS)
    with context.reading() as reading:
        context.require_site(
            reading.records.the(Person, reading.records.the(Device, key).person).site
        )
    context.outside.telephony.remove_device(key)
    with context.writing() as writing:
        device = writing.records.the(Device, key)
        return writing.save(
            [
                changed(
                    Subject.DEVICE,
                    device,
                    device.copy_with(removed=True, registered=False),
                    "device.removed",
                )
            ]
        )[0].after


def sheet_with_secret(reading: Reading, keyring: Keyring, key: str) -> Sheet:
    """The settings of a device with its secret, for a link that shows them once. Raises
    NotFound."""
    device = reading.records.the(Device, key)
    owner = reading.records.the(Person, device.person)
    held = reading.records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=owner.id)])
    secret = secrets_store.read(reading.connection, keyring, secret_name(key))
    return _sheet(device, owner, held[0].e164 if held else "", secret)


def secret_name(key: str) -> str:
    """Under which the secret of a device lies sealed."""
    return f"secret of {key}"


def sheet(context: Context, key: str) -> Sheet:
    """The settings of a device, without its secret. Raises NotFound."""
    with context.reading() as reading:
        device = reading.records.the(Device, key)
        owner = reading.records.the(Person, device.person)
        held = reading.records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=owner.id)])
    return _sheet(device, owner, held[0].e164 if held else "")


def _shown_as(writing: Writing, owner: Person) -> str:
    held = writing.records.held_by(Number, [HolderRef(kind=HolderKind.PERSON, id=owner.id)])
    return held[0].e164 if held else ""


def _sheet(device: Device, owner: Person, number: str, secret: str = "") -> Sheet:
    transport = TRANSPORT.lower()
    code = f"sip:{device.user}{':' + secret if secret else ''}@{HOST}:{PORT};transport={transport}"
    rows = [
        Setting("Server", HOST, "the name, not an address: its certificate is for the name"),
        Setting("Port", str(PORT)),
        Setting("Transport", TRANSPORT),
        Setting("Sign-in name", device.user or "none yet: make a secret"),
        *([Setting("Secret", secret, "shown this once")] if secret else []),
        Setting("Name to show", owner.name),
        *([Setting("Number to show", number)] if number else []),
        Setting("Codecs, in this order", CODECS),
        Setting("Keys pressed are sent as", DTMF),
        Setting("Sign in again every", "300 seconds", "then save, and restart the phone"),
    ]
    return Sheet(device, owner, rows, code, secret, why_silent(device))


def would_ring(context: Context, person: str) -> tuple[list[Device], list[tuple[Device, str]]]:
    """Which of somebody's devices would ring now, and why the others would not."""
    found = of_person(context, person)
    return [d for d, why in found if not why and d.kind in RINGS], [
        (d, why) for d, why in found if why
    ]


def phones_for(
    reading: Reading, people: list[Person], phone: DeviceKind | None
) -> Iterator[t.AddDevice]:
    """Tasks that set up a phone for each who has none of that kind; none where no kind is named."""
    if phone is None:
        return
    device = tables.device
    having = {
        d.person
        for d in reading.records.where(Device, device.c.person.in_([p.id for p in people]))
        if d.kind == phone and not d.removed
    }
    for person in people:
        if person.id not in having:
            yield t.AddDevice(person=person.id, phone=phone)
