"""Whether a placed test call agrees with what was computed, and whether its proof still holds."""

import hashlib
from collections.abc import Sequence

from sedge.core.estate import Estate
from sedge.core.facts import canonical
from sedge.core.paths.steps import groups_named, people_named, with_people
from sedge.core.paths.trace import Trace
from sedge.core.records import Device, Group, Number, PathVersion, Person, Trunk


def difference(trace: Trace, ended: str, rang: Sequence[str]) -> str:
    """What a placed call did otherwise than the trace said; '' where they agree."""
    if trace.ending.kind.value != ended:
        return f"computed: {trace.ending.kind}, {trace.ending.reason}; really: {ended}"
    if set(trace.rang) != set(rang):
        return f"computed to ring {_names(trace.rang)}; really rang {_names(rang)}"
    return ""


def _names(devices: Sequence[str]) -> str:
    return ", ".join(devices) or "nothing"


def _trunk_of(trunk: Trunk | None) -> tuple[object, ...] | str:
    if trunk is None:
        return ""
    plain = (trunk.id, trunk.up)
    return (*plain, trunk.connection.but(said="")) if trunk.connection else plain


def fingerprint(number: Number, estate: Estate) -> str:
    """A hash of everything on the call's way; when it differs from a proof's, the proof has gone stale."""
    path = estate.get(PathVersion, number.path)
    body = with_people(path.body, {g.id: g.members for g in estate.all(Group) if not g.removed}) if path else None
    people = set(people_named(body)) if body else set()
    if number.holder:
        people.add(number.holder.id)
    trunk = estate.get(Trunk, number.trunk)
    parts = [
        number.state.value,
        canonical(number.assignment) if number.assignment else "",
        number.spot or "",
        path.but(version=0) if path else "",
        *([body["steps"]] if path and body and groups_named(path.body) else []),
        _trunk_of(trunk),
        sorted((d.id, d.person, d.registered) for d in estate.all(Device) if d.person in people),
        sorted((p.id, p.ring_seconds, p.left) for p in estate.all(Person) if p.id in people),
    ]
    return hashlib.sha256(canonical(parts).encode()).hexdigest()[:24]
