"""Tasks of emergency addresses: where somebody is, and who is told of it."""

from collections.abc import Iterator
from typing import Literal

from sedge.core.access.roles import May
from sedge.core.changes import changed, number_changed
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Person, Spot
from sedge.core.workorders.task_base import (
    NumberField,
    Prerequisites,
    Provision,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    key_of,
    name_of,
    not_at_all,
    nothing,
    outside_decides,
    person_ref,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore


class SetSpot(Task):
    """For a number or a person, exactly one of them."""

    kind: Literal["set_spot"] = "set_spot"
    takes = frozenset({May.CHANGE_SAFETY})
    number: NumberField | None = None
    person: str | None = None
    spot: str

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        if self.person is not None:
            found.holders.add(person_ref(self.person))
        return found

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.SPOTS)
        if self.person:
            yield Provision(Thing.PREPARED)
        whose = self.e164 or "" if self.person is None else key_of(person_ref(self.person))
        yield Provision(Thing.SPOT, whose)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        if self.person is not None:
            yield Provision(Thing.PERSON, self.person)
            yield Provision(Thing.PERSON_CHANGED, self.person)
        elif self.e164:
            yield Provision(Thing.AT_ITS_SITE, self.e164)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whom = name_of(estate, Person, self.person) if self.person else self.shown
        return f"Set the spot of {whom}", f"to {name_of(estate, Spot, self.spot)} ({self.spot})"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """A person's numbers that stood at their old spot, or at a site they have left, go
        along."""
        spot = estate.the(Spot, self.spot)
        if not self.person:
            number = estate.number(self.known_number)
            return number_changed(number, "number.spot-set", spot=spot.id)
        person = estate.the(Person, self.person)
        follow = [
            n
            for n in estate.numbers_of(person_ref(person.id))
            if n.spot == person.spot or _is_elsewhere(n.spot, person.site, estate)
        ]
        moved = [
            changed(Subject.NUMBER, n, n.copy_with(spot=spot.id), "number.spot-set") for n in follow
        ]
        after = person.copy_with(spot=spot.id)
        return [changed(Subject.PERSON, person, after, "person.spot-set"), *moved]


class RegisterAddress(Task):
    """Send the number's spot to its carrier, for the emergency service."""

    kind: Literal["register_address"] = "register_address"
    takes = frozenset({May.CHANGE_SAFETY})
    for_good = "a registration"
    number: NumberField

    settles = outside_decides
    needs = what_it_names
    provides = nothing
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield Provision(Thing.SWITCHED)
        yield from _once_it_is_placed(self, prerequisites)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Register the address", f"of {self.shown} with its carrier"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        if number.spot is None:
            message = f"{number.shown} has no spot to register. Set its spot first."
            raise NotAllowedNow(message, reason="no-spot")
        return number_changed(number, "number.address-registered", registered_spot=number.spot)

    def works(self, estate: Estate) -> str:
        return "when the carrier has confirmed"


class TellPlace(Task):
    """The words of a number's spot or its address have changed.

    Told to the telephone system, with whose calls they travel, and to the carrier where it keeps
    addresses.
    """

    kind: Literal["tell_place"] = "tell_place"
    takes = frozenset({May.CHANGE_SAFETY})
    for_good = "a place that was told"
    number: NumberField

    settles = outside_decides
    needs = what_it_names
    provides = nothing
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        return _once_it_is_placed(self, prerequisites)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Tell where the phone is", f"that has {self.shown}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """What the carrier has registered follows; where it keeps nothing, nothing changes here."""
        number = estate.number(self.known_number)
        if number.spot is None or not estate.carrier_of(number).registers_addresses:
            return []
        return number_changed(number, "number.address-registered", registered_spot=number.spot)

    def works(self, estate: Estate) -> str:
        return "when the carrier has confirmed"


def _once_it_is_placed(
    task: RegisterAddress | TellPlace, prerequisites: Prerequisites
) -> Iterator[Provision]:
    yield from what_it_is_about(task, prerequisites)
    yield Provision(Thing.SPOT, task.e164 or "")
    yield Provision(Thing.ASSIGNED, task.e164 or "")
    yield Provision(Thing.SPOTS)


def _is_elsewhere(spot: str | None, site: str, estate: Estate) -> bool:
    """Whether a number's spot is at a site its holder has left."""
    found = estate.get(Spot, spot)
    return found is not None and found.site != site
