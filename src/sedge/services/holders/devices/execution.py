"""Setting phones up, as the runner does it: told to the telephone system with a secret, which only
whom it is for gets to see."""

import secrets

from sedge.core.estate import Change
from sedge.core.records import Device, Person
from sedge.core.workorders import tasks as t
from sedge.services.context import Writing
from sedge.services.holders.devices.devices import SECRET_BYTES, secret_name
from sedge.services.holders.devices.links import send_link
from sedge.services.telephony_sync import device_wish
from sedge.services.workorders.executors import Attempt, executes, stopped
from sedge.services.workorders.outcomes import Done, Outcome
from sedge.store import secrets as secrets_store


@executes(t.AddDevice)
def add_device(attempt: Attempt, task: t.AddDevice) -> Outcome:
    """Asked again after a crash, the phone is told a new secret; it was shown to nobody yet."""
    estate = attempt.estate(task)
    if refused := stopped(task, estate):
        return refused
    (planned,) = task.apply(estate, attempt.identity)
    device: Device = planned.after  # type: ignore[assignment]  it adds a device
    if estate.get(Device, device.id):
        return Done()
    installation, secret = attempt.context.installation, secrets.token_urlsafe(SECRET_BYTES)
    attempt.context.outside.telephony.put_device(
        device.id, {**device_wish(device), "user": device.user, "secret": secret}
    )

    def added(writing: Writing) -> list[Change]:
        name = secret_name(device.id)
        keyring, stamp = installation.keyring, writing.stamp
        secrets_store.keep_secret(writing.connection, keyring, name, secret, stamp)
        owner = writing.records.the(Person, device.person)
        if owner.email:
            send_link(writing, installation.settings.address, device, owner)
        return [planned]

    return Done(added)
