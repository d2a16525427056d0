"""Tasks of calls out: what they show, and who may call where."""

from collections.abc import Iterator, Sequence
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed, number_changed
from sedge.core.enums import HolderKind, Right, Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import counted
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.outbound.caller_id import in_words
from sedge.core.outbound.caller_name import CNAM, LONGEST_NAME
from sedge.core.outbound.records import OutboundRoute, OwnDialRule
from sedge.core.records import ORGANISATION, CallerId, Defaults, Person, ServiceLine, Site
from sedge.core.workorders.task_base import (
    NOTHING_MORE,
    Name,
    NumberField,
    Prerequisites,
    Provision,
    Snapshot,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    holder_name,
    name_of,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore


class SetCallerId(Task):
    """What the called party sees: for a person, a site, or without a holder for the organisation.

    `shows` empty: what the site, then the organisation says; `caller_id` is the number, or for
    `own` the one of who has none.
    """

    kind: Literal["set_caller_id"] = "set_caller_id"
    takes = NOTHING_MORE
    holder: HolderRef | None = None
    shows: Literal["", "own", "number", "withheld"] = "own"
    caller_id: Annotated[str, Field(pattern=r"^(\+\d{5,15})?$")] = ""

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.numbers |= {self.caller_id} if self.caller_id else set()
        found.sites |= {self.holder.id} if self.holder and self._is_a_sites else set()
        found.records.add((Subject.DEFAULTS, ORGANISATION))
        return found

    @property
    def _is_a_sites(self) -> bool:
        return self.holder is not None and self.holder.kind is HolderKind.SITE

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.CALLER_IDS)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        if self.caller_id:
            yield Provision(Thing.ASSIGNED, self.caller_id)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whom = holder_name(self.holder, estate) if self.holder else "the organisation"
        above = "nobody"
        if self.holder:
            above = "the organisation" if self._is_a_sites else "the site"
        said = in_words(CallerId(shows=self.shows, number=self.caller_id), above)
        return f"Set the caller ID of {whom}", "to " + said

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        said = CallerId(shows=self.shows, number=self.caller_id)
        if self.holder is None:
            before = estate.get(Defaults, ORGANISATION)
            after = (before or Defaults(id=ORGANISATION)).copy_with(caller_id=said)
            return [changed(Subject.DEFAULTS, before, after, "organisation.caller-id-set")]
        if self._is_a_sites:
            site = estate.the(Site, self.holder.id)
            return [
                changed(Subject.SITE, site, site.copy_with(caller_id=said), "site.caller-id-set")
            ]
        person = estate.the(Person, self.holder.id)
        after = person.copy_with(caller_id=said)
        return [changed(Subject.PERSON, person, after, "person.caller-id-set")]


class SetCallerName(Task):
    """The name that is shown with a number's calls in North America (CNAM), told to its carrier;
    none where it is empty."""

    kind: Literal["set_caller_name"] = "set_caller_name"
    takes = NOTHING_MORE
    number: NumberField
    name: Annotated[str, Field(max_length=LONGEST_NAME, pattern=r"^[A-Za-z0-9 .,'&-]*$")] = ""

    needs = what_it_names
    provides = nothing
    waits = for_nothing
    works = at_once
    costs = free

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)
        yield Provision(Thing.FEATURE, f"{self.e164} {CNAM}")

    def describe(self, estate: Estate) -> tuple[str, str]:
        to = f"to {self.name}" if self.name else "to none"
        return f"Set the caller name of {self.shown}", to

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "number.caller-name-set", caller_name=self.name)

    def reversal(self, snapshots: Sequence[Snapshot], words: str) -> Task:
        """The carrier has to be told the name it had."""
        found = (s.before for s in snapshots if s.subject is Subject.NUMBER)
        before = next((b for b in found if b), {})
        return self.copy_with(name=before.get("caller_name", ""))


class SetCallingRights(Task):
    """Where a person, a service line or a site may call; all of it."""

    kind: Literal["set_calling_rights"] = "set_calling_rights"
    takes = NOTHING_MORE
    holder: HolderRef
    rights: tuple[Right, ...]

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.RIGHTS, self.holder.id)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whose = f"Set the calling rights of {holder_name(self.holder, estate)}"
        return whose, "to " + ", ".join(right.value for right in self.rights)

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        holder = estate.holder(self.holder)
        if not isinstance(holder, Person | ServiceLine | Site):
            message = f"{holder.name} says itself who may call where: set it there."
            raise NotAllowedNow(message, reason="downstream")
        action = f"{self.holder.subject.value.replace(' ', '-')}.rights-set"
        after = holder.copy_with(rights=self.rights)
        return [changed(self.holder.subject, holder, after, action)]


class SetDialPlan(Task):
    """The rules that a site has besides its country's, all of them, in their order."""

    kind: Literal["set_dial_plan"] = "set_dial_plan"
    takes = frozenset({May.TRUNKS})
    site: Name
    rules: tuple[OwnDialRule, ...]

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        rules = f"to {counted(len(self.rules), 'rule')} of its own" if self.rules else ""
        return (
            f"Set the dial plan of {name_of(estate, Site, self.site)}",
            rules or "to its country's rules alone",
        )

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        site = estate.the(Site, self.site)
        after = site.copy_with(dial_rules=self.rules)
        return [changed(Subject.SITE, site, after, "site.dial-plan-set")]


class SetOutboundRoutes(Task):
    """All routes of calls out, in their order."""

    kind: Literal["set_outbound_routes"] = "set_outbound_routes"
    takes = frozenset({May.TRUNKS})
    routes: tuple[OutboundRoute, ...]

    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.records.add((Subject.DEFAULTS, ORGANISATION))
        found.every_site = True
        return found

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Set the outbound routes", f"to {counted(len(self.routes), 'route')}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        before = estate.get(Defaults, ORGANISATION)
        after = (before or Defaults(id=ORGANISATION)).copy_with(routes=self.routes)
        return [changed(Subject.DEFAULTS, before, after, "organisation.routes-set")]
