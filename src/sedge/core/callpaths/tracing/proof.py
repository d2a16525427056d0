"""Whether a placed test call agrees with what was computed, and whether its proof still holds."""

import hashlib
from collections.abc import Sequence
from typing import Any

from sedge.core.callpaths.steps import groups_named, paths_named, people_named, with_people
from sedge.core.callpaths.tracing.trace import Trace
from sedge.core.estate import Estate
from sedge.core.facts import to_canonical_json
from sedge.core.records import (
    ORGANISATION,
    Defaults,
    Device,
    Group,
    Number,
    PathVersion,
    Person,
    Proof,
    Site,
    Subject,
    Trunk,
)


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
    plain = (trunk.id, trunk.carries)
    return (*plain, trunk.connection.copy_with(said="")) if trunk.connection else plain


def fingerprint(number: Number, estate: Estate, direction: str = "in") -> str:
    """A hash of everything on the call's way; when it differs from a proof's, the proof has gone
    stale. For a call out also what is shown."""
    bodies = _bodies(number, estate)
    people = {key for body in bodies for key in people_named(body)}
    if number.holder:
        people.add(number.holder.id)
    named = {
        key
        for body in bodies
        for step in body["steps"].values()
        for key in (*step.get("devices", ()), *step.get("systems", ()))
    }
    trunk = estate.get(Trunk, number.trunk)
    parts = [
        number.state.value,
        to_canonical_json(number.assignment) if number.assignment else "",
        number.spot or "",
        number.path or "",
        *bodies,
        _trunk_of(trunk),
        number.fallback,
        sorted(
            (d.id, d.person, d.registered, d.removed)
            for d in estate.all(Device)
            if d.person in people or d.id in named
        ),
        sorted(
            (p.id, p.ring_seconds, p.left, to_canonical_json(p.answering))
            for p in estate.all(Person)
            if p.id in people
        ),
    ]
    if direction == "out":
        parts.append(_said_of_caller_ids(number, estate))
    return hashlib.sha256(to_canonical_json(parts).encode()).hexdigest()[:24]


def is_stale(proof: Proof, number: Number | None, estate: Estate) -> bool:
    """Whether anything on the call's way has changed since, or the number is gone."""
    return number is None or fingerprint(number, estate, proof.direction) != proof.way


def things_on_the_way(number: Number, estate: Estate) -> set[tuple[Subject, str]]:
    """The records whose change may make a test call of a number outdated, as the ledger names
    them."""
    paths = _paths(number, estate)
    people = {key for body in paths.values() for key in people_named(body)}
    groups = {key for path in paths for key in groups_named(estate.the(PathVersion, path).body)}
    found = {(Subject.NUMBER, number.e164), *((Subject.PERSON, key) for key in people)}
    if number.holder:
        people.add(number.holder.id)
        found.add((number.holder.subject, number.holder.id))
    if number.trunk:
        found.add((Subject.TRUNK, number.trunk))
    found |= {(Subject.DEVICE, d.id) for d in estate.all(Device) if d.person in people}
    return found | {(Subject.PATH, key) for key in paths} | {(Subject.GROUP, key) for key in groups}


def _said_of_caller_ids(number: Number, estate: Estate) -> list[str]:
    person = estate.get(Person, number.holder.id) if number.holder else None
    said = (
        person,
        estate.get(Site, person.site) if person else None,
        estate.get(Defaults, ORGANISATION),
    )
    return [to_canonical_json(x.caller_id) for x in said if x]


def _bodies(number: Number, estate: Estate) -> list[dict[str, Any]]:
    return list(_paths(number, estate).values())


def _paths(number: Number, estate: Estate) -> dict[str, dict[str, Any]]:
    """The path of a number and those it goes on in by their ids, with the members of groups; test
    cases are on nobody's way."""
    members = {g.id: g.members for g in estate.all(Group) if not g.removed}
    found: dict[str, dict[str, Any]] = {}
    waiting = [number.path] if number.path else []
    while waiting:
        key = waiting.pop()
        path = estate.get(PathVersion, key)
        if path and key not in found:
            found[key] = {
                name: value
                for name, value in with_people(path.body, members).items()
                if name != "tests"
            }
            waiting += sorted(paths_named(path.body))
    return found
