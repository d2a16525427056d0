"""Tasks of people and groups: who comes, changes, leaves, and belongs where."""

import hashlib
from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed, same
from sedge.core.enums import Subject
from sedge.core.estate import Change, Estate
from sedge.core.facts import counted
from sedge.core.holders.devices import DeviceKind
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Answering, CallerId, Device, Group, Person, Site
from sedge.core.workorders.task_base import (
    Name,
    Prerequisites,
    Provision,
    RecordId,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    key_of,
    name_of,
    nothing,
    person_ref,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore

EMAIL = r"^[^@\s]+@[^@\s]+$"
EXTENSION = r"^\d{0,7}$"
FACTS = (
    "name",
    "email",
    "site",
    "department",
    "job",
    "extension",
    "manager",
    "known_elsewhere_as",
    "left",
)
FACTS_IN_WORDS = {
    "name": "name",
    "email": "mail address",
    "department": "department",
    "job": "job",
    "extension": "extension",
    "known_elsewhere_as": "id in the directory",
}


class AddPerson(Task):
    """Somebody new; their phones are set up one by one.

    `id` is chosen beforehand, so that other tasks can name them.
    """

    kind: Literal["add_person"] = "add_person"
    takes = frozenset({May.CHANGE_HOLDERS})
    id: RecordId
    name: Annotated[str, Field(min_length=1, max_length=120)]
    email: Annotated[str, Field(min_length=3, max_length=200, pattern=EMAIL)]
    site: Name
    department: str = Field(default="", max_length=80)
    extension: str = Field(default="", pattern=EXTENSION)
    job: str = Field(default="", max_length=80)
    known_elsewhere_as: str = Field(default="", max_length=120)
    spot: str | None = None

    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.people.add(self.id)
        found.emails.add(self.email.lower())
        if self.extension:
            found.extensions.add((self.site, self.extension))
        return found

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.PERSON, self.id)

    @property
    def for_holder(self) -> HolderRef:
        return person_ref(self.id)

    def names(self) -> Iterator[tuple[Subject, str]]:
        yield from ()  # nobody knows them yet

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Add {self.name}", f"at {name_of(estate, Site, self.site)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        if estate.get(Person, self.id):
            return []
        person = Person(
            id=self.id,
            name=self.name,
            email=self.email,
            site=estate.the(Site, self.site).id,
            department=self.department,
            extension=self.extension,
            spot=self.spot,
            job=self.job,
            known_elsewhere_as=self.known_elsewhere_as,
        )
        return [changed(Subject.PERSON, None, person, "person.added")]


class ChangePerson(Task):
    """What is known of somebody; what is None stays. `left`: they are no longer here."""

    kind: Literal["change_person"] = "change_person"
    takes = frozenset({May.CHANGE_HOLDERS})
    person: Name
    name: str | None = Field(default=None, min_length=1, max_length=120)
    email: str | None = Field(default=None, min_length=3, max_length=200, pattern=EMAIL)
    site: str | None = Field(default=None, max_length=80)
    department: str | None = Field(default=None, max_length=80)
    job: str | None = Field(default=None, max_length=80)
    extension: str | None = Field(default=None, pattern=EXTENSION)
    manager: str | None = Field(default=None, max_length=80)
    known_elsewhere_as: str | None = Field(default=None, max_length=120)
    left: bool | None = None

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.holders.add(person_ref(self.person))
        found.people |= {self.manager} if self.manager else set()
        found.emails |= {self.email.lower()} if self.email else set()
        found.extensions |= {(self.site or "", self.extension)} if self.extension else set()
        if self.left:
            found.named.add((Subject.PERSON, self.person))
            found.groups = True
        return found

    def provides(self) -> Iterator[Provision]:
        if not self.left:
            yield Provision(Thing.PERSON_CHANGED, self.person)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        if self.left:
            yield Provision(Thing.GIVEN_UP, key_of(person_ref(self.person)))
            yield Provision(Thing.SEAT_GIVEN_UP, key_of(person_ref(self.person)))
            yield Provision(Thing.PERSON_CHANGED, self.person)
            yield Provision(Thing.GROUPS)
            yield Provision(Thing.PATHS)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whom = name_of(estate, Person, self.person)
        if self.left:
            return f"Note that {whom}", "has left"
        parts = [
            f"{words} {getattr(self, name)}"
            for name, words in FACTS_IN_WORDS.items()
            if getattr(self, name) is not None
        ]
        if self.site is not None:
            parts.insert(0, f"site {name_of(estate, Site, self.site)}")
        if self.manager is not None:
            parts.append(f"manager {name_of(estate, Person, self.manager)}")
        return f"Change {whom}", ", ".join(parts)

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """Who leaves a site leaves its spot: theirs there is no longer true.

        Who leaves altogether keeps no phone, right, extension or caller ID.
        """
        person = estate.the(Person, self.person)
        given = {name: getattr(self, name) for name in FACTS if getattr(self, name) is not None}
        if self.site and self.site != person.site:
            estate.the(Site, self.site)
            given["spot"] = None
        after = person.copy_with(**given)
        if same(after, person):
            return []
        if not after.left or person.left:
            return [changed(Subject.PERSON, person, after, "person.changed")]
        nothing_left = {"extension": "", "spot": None, "rights": ()}
        after = after.copy_with(**nothing_left, caller_id=CallerId(), answering=Answering())
        gone = {"removed": True, "registered": False, "said": ""}
        phones = [
            changed(Subject.DEVICE, d, d.copy_with(**gone), "device.removed")
            for d in estate.devices_of(person.id)
        ]
        return [changed(Subject.PERSON, person, after, "person.left"), *phones]


class AddDevice(Task):
    """A phone set up for somebody, who is mailed a link that shows its sign-in once."""

    kind: Literal["add_device"] = "add_device"
    takes = frozenset({May.CHANGE_HOLDERS})
    person: Name
    phone: DeviceKind = DeviceKind.DESK_PHONE

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.holders.add(person_ref(self.person))
        return found

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Set up {self.phone.one}", f"for {name_of(estate, Person, self.person)}"

    def works(self, estate: Estate) -> str:
        return "once they have typed its sign-in into it"

    @staticmethod
    def device_id(identity: str) -> str:
        """The same whenever the same task is tried again, another for any other task."""
        return f"phone-{hashlib.blake2b(identity.encode(), digest_size=5).hexdigest()}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        person, key = estate.the(Person, self.person), self.device_id(identity)
        site = estate.the(Site, person.site)
        device = Device(
            id=key,
            person=person.id,
            kind=self.phone.value,
            name=f"{self.phone} {person.extension or person.name.split()[-1]}",
            user=f"{site.code.lower()}-{person.extension or person.id[-6:]}-{key[-4:]}",
            said="never",
        )
        return [changed(Subject.DEVICE, None, device, "device.added")]


class SetGroup(Task):
    """A group and all its members, people by their ids; one that is not there comes to be."""

    kind: Literal["set_group"] = "set_group"
    takes = frozenset({May.CHANGE_HOLDERS})
    group: RecordId
    name: Name
    members: tuple[str, ...] = Field(default=(), max_length=5000)
    known_elsewhere_as: str = Field(default="", max_length=120)
    removed: bool = False

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        itself = {(Subject.GROUP, self.group)}
        return LoadSpec(records=itself, people=set(self.members), named=itself)

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.GROUPS)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        return (Provision(Thing.PERSON, member) for member in self.members)

    def describe(self, estate: Estate) -> tuple[str, str]:
        if self.removed:
            return f"Take away the group {self.name}", ""
        return f"Set the group {self.name}", f"to {counted(len(self.members), 'member')}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        before = estate.get(Group, self.group)
        values = {
            "name": self.name,
            "members": tuple(dict.fromkeys(self.members)),
            "known_elsewhere_as": self.known_elsewhere_as,
        }
        if before is None:
            group = Group(id=self.group, **values)
            return [changed(Subject.GROUP, None, group, "group.added")]
        after = before.copy_with(**values, removed=self.removed)
        if same(after, before):
            return []
        action = "group.removed" if self.removed else "group.changed"
        return [changed(Subject.GROUP, before, after, action)]
