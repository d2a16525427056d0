"""Kinds of device, and why one does not ring."""

from enum import StrEnum

from sedge.core.records import Device


class DeviceKind(StrEnum):
    DESK_PHONE = "desk phone"
    SOFT_PHONE = "soft phone"
    WEB_PHONE = "web phone"
    MOBILE = "mobile"
    ANALOGUE_ADAPTER = "analogue adapter"

    @property
    def one(self) -> str:
        """`a desk phone`, `an analogue adapter`."""
        return f"{'an' if self[0] in 'aeiou' else 'a'} {self}"


KINDS = tuple(kind.value for kind in DeviceKind)
RINGS = frozenset(KINDS)
REASONS = {
    "never": "It has never signed in. Type its settings in, or let somebody scan the code.",
    "secret": "It signs in with an old secret. Type the new one in.",
    "user": "It signs in under a name that is not known. Compare the sign-in name.",
    "silent": "It has not been heard of lately. Is it plugged in, or switched on?",
}


def why_silent(device: Device) -> str:
    """Why a device would not ring and what to do; '' where it would."""
    if device.removed:
        return "It has been taken away."
    if device.registered:
        return ""
    return REASONS.get(device.said, REASONS["silent"])
