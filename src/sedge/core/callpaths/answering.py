"""Who really rings: people by their own answering rules, groups by their members, devices, mobiles,
other telephone systems.

The rule of a person says when they may be rung, on which devices, whether their mobile rings along,
and which colleagues may pick up.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from sedge.core.callpaths.openings import calendar_of
from sedge.core.callpaths.steps import Queue, Ring
from sedge.core.callpaths.tracing.world import Called
from sedge.core.estate import Estate
from sedge.core.numbers.e164 import describe
from sedge.core.records import Device, Downstream, Group, HolderKind, Person, ServiceLine, Site


@dataclass(frozen=True)
class Ringing:
    """Somebody or something that a step rings. `phones` are the names of what makes a noise;
    without any, `why_not` says why. `key` is what a world calls it by; `outside` is the mobile that
    rings along, E.164; `pickup` colleagues who may answer for them; `seconds_each` how long each of
    the phones rings before the next, 0 for all at once.
    """

    key: str
    name: str
    phones: tuple[str, ...]
    why_not: str = ""
    outside: str = ""
    is_person: bool = True
    pickup: tuple[tuple[str, str], ...] = ()
    seconds_each: int = 0

    @property
    def told(self) -> str:
        """`Amara Whitlock (desk phone, mobile)`, or the name alone of what is no person."""
        between = f", after {self.seconds_each} s " if self.seconds_each else ", "
        return f"{self.name} ({between.join(self.phones)})" if self.is_person else self.name

    def rung_within(self, seconds: int) -> tuple[str, ...]:
        """What has begun to ring after so many seconds: all, or one after the other."""
        if not self.seconds_each:
            return self.phones
        return self.phones[: 1 + max(seconds - 1, 0) // self.seconds_each]


def ringing_of(person: Person, at: datetime, estate: Estate) -> Ringing:
    """What rings for a person at a moment, by their own rules."""
    rules = person.answering
    if person.left:
        return Ringing(person.id, person.name, (), "has left")
    if rules.openings and not _within_hours(person, at, estate):
        return Ringing(person.id, person.name, (), "is outside the hours they answer")
    chosen = [d for d in estate.devices_of(person.id) if not rules.devices or d.id in rules.devices]
    phones = [d.name for d in chosen if d.registered]
    if rules.mobile:
        phones.append(f"mobile {describe(rules.mobile).shown}")
    colleagues = (estate.get(Person, key) for key in rules.pickup)
    pickup = tuple((p.id, p.name) for p in colleagues if p and not p.left and has_phone(p, estate))
    if not phones:
        return Ringing(
            person.id,
            person.name,
            (),
            "has no phone registered" if chosen else "has no phone",
            pickup=pickup,
        )
    return Ringing(
        person.id,
        person.name,
        tuple(phones),
        outside=rules.mobile,
        pickup=pickup,
        seconds_each=rules.seconds_each,
    )


def has_phone(person: Person, estate: Estate) -> bool:
    return any(d.registered for d in estate.devices_of(person.id))


def _within_hours(person: Person, at: datetime, estate: Estate) -> bool:
    return calendar_of(_zone_of(person, estate), person.answering.openings).exit_at(at) == "open"


def _zone_of(person: Person, estate: Estate) -> str:
    site = estate.get(Site, person.site)
    return site.timezone if site else "UTC"


def people_of(
    called: Called, named: Iterable[str], groups: Iterable[str], estate: Estate
) -> list[Person]:
    """The people a step names, itself and through its groups, each once; where it names nobody,
    whoever answers for the holder."""
    named, groups = tuple(named), tuple(groups)
    if named or groups:
        members = (
            m
            for key in groups
            if (group := estate.get(Group, key)) and not group.removed
            for m in group.members
        )
        return [
            p
            for p in (estate.get(Person, key) for key in dict.fromkeys((*named, *members)))
            if p and not p.left
        ]
    holder = called.holder
    if holder and holder.kind is HolderKind.PERSON:
        return [estate.the(Person, holder.id)]
    if holder and holder.kind is HolderKind.SERVICE_LINE:
        line = estate.holder(holder)
        if isinstance(line, ServiceLine):
            answering = line.members or line.recipients
            return (
                people_of(called, answering, line.groups, estate)
                if answering or line.groups
                else []
            )
    return []


HOLDER = Ringing(
    "holder", "the holder", ("their phones",)
)  # of a path that is looked at on its own


def is_for_anybody(called: Called, people: Iterable[str], groups: Iterable[str]) -> bool:
    """Whether a step rings whoever holds the number, and no number is meant."""
    return not called.e164 and called.holder is None and not tuple(people) and not tuple(groups)


def agents_of(called: Called, step: Queue, at: datetime, estate: Estate) -> list[Ringing]:
    """Everybody a queue rings, in its order, who is silent included."""
    if is_for_anybody(called, step.people, step.groups):
        return [HOLDER]
    return [ringing_of(p, at, estate) for p in people_of(called, step.people, step.groups, estate)]


def rung_by(called: Called, step: Ring, at: datetime, estate: Estate) -> list[Ringing]:
    """Everything a ring step rings, in its order, what is silent included."""
    others = bool(step.devices or step.mobiles or step.systems)
    if not others and is_for_anybody(called, step.people, step.groups):
        return [HOLDER]
    people = (
        []
        if others and not (step.people or step.groups)
        else people_of(called, step.people, step.groups, estate)
    )
    found = [ringing_of(p, at, estate) for p in people]
    found += [_device(key, estate) for key in step.devices]
    found += [
        Ringing(m, describe(m).shown, (describe(m).shown,), outside=m, is_person=False)
        for m in step.mobiles
    ]
    found += [_system(key, estate) for key in step.systems]
    return found


def _device(key: str, estate: Estate) -> Ringing:
    device = estate.get(Device, key)
    if device is None or device.removed:
        return Ringing(key, f"device “{key}”", (), "is no longer there", is_person=False)
    if not device.registered:
        return Ringing(key, device.name, (), "is not registered", is_person=False)
    return Ringing(key, device.name, (device.name,), is_person=False)


def _system(key: str, estate: Estate) -> Ringing:
    system = estate.get(Downstream, key)
    if system is None or system.removed:
        return Ringing(key, f"system “{key}”", (), "is no longer there", is_person=False)
    return Ringing(key, system.name, (system.name,), is_person=False)
