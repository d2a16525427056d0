"""What would change if: a trunk is down, a site is closed, somebody leaves. Each as an estate with
that done, compared ending by ending."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from sedge.core.callpaths.openings import moments, zone
from sedge.core.callpaths.tracing.compare import Consequence
from sedge.core.callpaths.tracing.endings import Explorer, Walk
from sedge.core.callpaths.tracing.trace import path_of, trace_inbound
from sedge.core.callpaths.tracing.world import Called, EndingKind, World
from sedge.core.estate import Estate
from sedge.core.records import Device, Number, Person, Site, Trunk


@dataclass(frozen=True)
class Affected:
    """A number whose calls would end otherwise, and how."""

    number: Number
    consequences: list[Consequence]


def without_trunk(estate: Estate, trunk: str) -> Estate:
    changed = estate.fork()
    changed.put(estate.the(Trunk, trunk).copy_with(up=False))
    return changed


def with_site_closed(estate: Estate, site: str) -> Estate:
    """Nobody is there: none of its people's phones rings. What else they can be reached by goes
    on."""
    changed = estate.fork()
    people = {p.id for p in estate.all(Person) if p.site == site}
    for device in list(estate.all(Device)):
        if device.person in people:
            changed.put(device.copy_with(registered=False))
    return changed


def without_person(estate: Estate, person: str) -> Estate:
    changed = estate.fork()
    changed.put(estate.the(Person, person).copy_with(left=True))
    return changed


def compare(numbers: Iterable[Number], before: Estate, after: Estate) -> list[Affected]:
    """The numbers whose calls would end otherwise at some time of the coming week or on the next
    kinds of day, with each notice once."""
    found: list[Affected] = []
    for number in numbers:
        notices = _notices(number, before, after)
        if notices:
            found.append(Affected(number, notices))
    return found


def _notices(number: Number, before: Estate, after: Estate) -> list[Consequence]:
    called = Called.number(number)
    path = path_of(number, before)
    known = list(dict.fromkeys(Explorer(called, path, before).calendars()))
    site = before.get(Site, number.site)
    found: dict[tuple[str, str], Consequence] = {}
    seen: set[tuple[str, ...]] = set()
    for at in moments(known, before.now, days=60):
        signature = tuple(c.exit_at(at) for c in known)
        if signature in seen:
            continue
        seen.add(signature)
        was, will = _told(number, called, before, at), _told(number, called, after, at)
        if was != will and (was, will) not in found:
            local = at.astimezone(zone(site.timezone if site else "UTC"))
            found[was, will] = Consequence(at, f"{local:%A %-d %B, %H:%M}", was, will)
    return list(found.values())


def _told(number: Number, called: Called, estate: Estate, at: datetime) -> str:
    """How a call ends, with all who may answer; first whether it comes in at all."""
    arrives = trace_inbound(number.e164, at, World(), estate)
    if arrives.ending.kind is EndingKind.REJECTED or arrives.ending.step == "carrier":
        return f"{arrives.ending.kind}: {arrives.ending.reason}"
    explorer = Explorer(called, path_of(number, estate), estate)
    walk = Walk(explorer, at, {c: c.exit_at(at) for c in explorer.calendars()})
    walk.go()
    ends: dict[str, dict[str, None]] = {}
    for _key, outcome, kind in walk.ends:
        ends.setdefault(kind.value, {})[outcome.who] = None
    told = (
        f"{kind} {' or '.join(who for who in list(names)[:4] if who)}".strip()
        for kind, names in ends.items()
    )
    return "; ".join(told)
