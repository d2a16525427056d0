"""Tasks of a number's life: give it, take it back, reserve it, set it aside, move it, label it."""

from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Annotated, Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import number_changed, step
from sedge.core.enums import Role, Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import counted
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.life import Event, State
from sedge.core.policy import POLICY
from sedge.core.records import Assignment, Number, Product, Site, Spot
from sedge.core.retiring.quarantine import MOST_REST, rest_of
from sedge.core.safety.effective_spot import effective_spot, misplaced, spot_when_given
from sedge.core.workorders.task_base import (
    E164,
    NOTHING_MORE,
    Name,
    NumberField,
    Prerequisites,
    Provision,
    Task,
    Thing,
    Waiting,
    at_once,
    for_nothing,
    free,
    holder_name,
    key_of,
    name_of,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore

Reason = Annotated[str, Field(max_length=200)]
Tag = Annotated[str, Field(min_length=1, max_length=40)]
ROLES_IN_WORDS = {
    "main": "the main",
    "extra": "an extra",
    "mailbox access": "the mailbox access",
}


class AssignNumber(Task):
    kind: Literal["assign_number"] = "assign_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef
    role: Role = Role.MAIN
    spot: str | None = None

    needs = what_it_names
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.ASSIGNED, self.e164 or "")

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)
        yield Provision(Thing.LICENCE, key_of(self.holder))
        yield Provision(Thing.GIVEN_UP, key_of(self.holder))
        yield Provision(Thing.PERSON_CHANGED, self.holder.id)
        yield Provision(Thing.FREE, self.e164 or "")
        yield Provision(Thing.AT_ITS_SITE, self.e164 or "")
        yield Provision(Thing.SPOT, key_of(self.holder))
        yield Provision(Thing.SPOT, self.e164 or "")
        yield Provision(Thing.RIGHTS, self.holder.id)

    def describe(self, estate: Estate) -> tuple[str, str]:
        spot = f", at {name_of(estate, Spot, self.spot)}" if self.spot else ""
        role = ROLES_IN_WORDS.get(self.role.value, self.role.value)
        return (
            f"Assign {self.shown}",
            f"to {holder_name(self.holder, estate)} as {role} number{spot}",
        )

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        spot = spot_when_given(number, self.holder, self.spot, estate)
        works_from = max([estate.now, *(g.works_from for g in estate.grants_of(self.holder))])
        assignment = Assignment(
            holder=self.holder, role=self.role, since=estate.now, works_from=works_from
        )
        site = estate.site_of(self.holder)
        if number.site != site.id:
            here, name = estate.the(Site, number.site).name, estate.holder(self.holder).name
            raise NotAllowedNow(
                f"{number.shown} belongs to {here}, and {name} is at {site.name}. Move the number"
                " there first.",
                reason="other-site",
                site=site.id,
            )
        values = step(number, Event.ASSIGN, assignment=assignment, spot=spot.id if spot else None)
        return number_changed(number, "number.assigned", **values)

    def waits(self, estate: Estate) -> Waiting | None:
        number = estate.number(self.known_number)
        if number.usable_from and number.usable_from > estate.now:
            return Waiting(number.usable_from, f"{number.shown} to become usable at its carrier")
        asked = estate.carrier_of(number).asks_of.get(self.holder.kind, ())
        late = [
            g
            for g in estate.grants_of(self.holder)
            if g.product in asked and g.works_from > estate.now
        ]
        if late:
            last = max(late, key=lambda g: g.works_from)
            return Waiting(last.works_from, f"{estate.the(Product, last.product).name} to work")
        return None

    def works(self, estate: Estate) -> str:
        waits = self.waits(estate) if estate.get(Number, self.e164 or "") else None
        return f"from {estate.clock(waits.until)}" if waits else "at once"


class UnassignNumber(Task):
    """`rest` is the days of rest, None for the policy's. `holder`, where known, must still have it.

    `announcement` is what callers hear while it rests; empty: that it is not in use.
    """

    kind: Literal["unassign_number"] = "unassign_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef | None = None
    rest: int | None = Field(default=None, ge=0, le=MOST_REST)
    announcement: str = Field(default="", max_length=300)

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.shown.add(self.e164 or "")
        found.rung_back.add(self.e164 or "")
        return found

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.FREE, self.e164 or "")
        if self.holder:
            yield Provision(Thing.GIVEN_UP, key_of(self.holder))

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.CALLER_IDS)

    def describe(self, estate: Estate) -> tuple[str, str]:
        rest = "and let it rest" if self.rest != 0 else "without a rest"
        return f"Take {self.shown} back", rest

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        rest = rest_of(number, estate) if self.rest is None else self.rest
        values = step(
            number,
            Event.UNASSIGN,
            State.AGING if rest else State.AVAILABLE,
            state_until=estate.now + timedelta(days=rest) if rest else None,
            announcement=self.announcement if rest else "",
        )
        name = estate.holder(number.holder).name if number.holder else ""
        if name:
            values |= {"held_before": name, "held_until": estate.now}
        gone = {"assignment": None, "path": None, "label": ""}
        return number_changed(number, "number.unassigned", **values, **gone)


class ReserveNumber(Task):
    kind: Literal["reserve_number"] = "reserve_number"
    takes = NOTHING_MORE
    number: NumberField
    holder: HolderRef | None = None
    reason: Reason = ""
    until: datetime | None = None

    needs = what_it_names
    provides = nothing
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whom = holder_name(self.holder, estate) if self.holder else self.reason
        return f"Reserve {self.shown}", f"for {whom}" if whom else ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        values = step(
            number,
            Event.RESERVE,
            state_until=self.until or estate.now + timedelta(days=POLICY.reserved_days),
            state_reason=self.reason,
            reserved_for=self.holder,
        )
        return number_changed(number, "number.reserved", **values)


class UnreserveNumber(Task):
    kind: Literal["unreserve_number"] = "unreserve_number"
    takes = NOTHING_MORE
    number: NumberField

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.FREE, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Take the reservation of {self.shown} back", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "number.unreserved", **step(number, Event.UNRESERVE))


class SetAside(Task):
    kind: Literal["set_aside"] = "set_aside"
    takes = NOTHING_MORE
    number: NumberField
    reason: Reason = ""

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Set {self.shown} aside", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        values = step(number, Event.SET_ASIDE, state_reason=self.reason)
        return number_changed(number, "number.set-aside", **values)


class ReturnNumber(Task):
    kind: Literal["return_number"] = "return_number"
    takes = NOTHING_MORE
    number: NumberField

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.FREE, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Return {self.shown}", "to the available ones"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "number.returned", **step(number, Event.RETURN))


class EndRest(Task):
    kind: Literal["end_rest"] = "end_rest"
    takes = NOTHING_MORE
    number: NumberField
    reason: str = Field(min_length=3, max_length=200)

    needs = what_it_names
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.FREE, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"End the rest of {self.shown}", f"because: {self.reason}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        return number_changed(number, "number.rest-ended", **step(number, Event.END_REST))


class MoveNumber(Task):
    """To another site of the organisation. Its spot, if that is at the old site, does not go
    along."""

    kind: Literal["move_number"] = "move_number"
    takes = NOTHING_MORE
    number: NumberField
    site: Name

    needs = what_it_names
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.AT_ITS_SITE, self.e164 or "")

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.FREE, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Move {self.shown}", f"to {name_of(estate, Site, self.site)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number, site = estate.number(self.known_number), estate.the(Site, self.site)
        if number.site == site.id:
            return []
        spot = effective_spot(number, estate)
        kept = spot.id if spot and not misplaced(spot, number.holder, site.id, estate) else None
        return number_changed(number, "number.moved-site", site=site.id, spot=kept)


class LabelNumbers(Task):
    """Small facts of many numbers; what is None or empty stays.

    `tags` replaces all, `add_tags` and `drop_tags` change some.
    """

    kind: Literal["label_numbers"] = "label_numbers"
    takes = frozenset({May.EDIT_FACTS})
    numbers: tuple[E164, ...] = Field(min_length=1, max_length=10_000)
    label: str | None = Field(default=None, max_length=80)
    note: str | None = Field(default=None, max_length=2000)
    cost_centre: str | None = Field(default=None, max_length=40)
    tags: tuple[Tag, ...] | None = Field(default=None, max_length=50)
    add_tags: tuple[Tag, ...] = Field(default=(), max_length=50)
    drop_tags: tuple[Tag, ...] = Field(default=(), max_length=50)

    provides = nothing
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        return LoadSpec(numbers=set(self.numbers))

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield Provision(Thing.SWITCHED)

    def names(self) -> Iterator[tuple[Subject, str]]:
        return ((Subject.NUMBER, number) for number in self.numbers)

    def describe(self, estate: Estate) -> tuple[str, str]:
        parts = [
            f"as “{self.label}”" if self.label else "",
            f"cost centre {self.cost_centre}" if self.cost_centre else "",
            f"with {', '.join(self.add_tags)}" if self.add_tags else "",
            f"without {', '.join(self.drop_tags)}" if self.drop_tags else "",
        ]
        said = ", ".join(part for part in parts if part)
        return f"Label {counted(len(self.numbers), 'number')}", said

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        plain = {"label": self.label, "note": self.note, "cost_centre": self.cost_centre}
        given = {name: value for name, value in plain.items() if value is not None}
        changes: list[Change] = []
        for e164 in self.numbers:
            number = estate.number(e164)
            tags = set(number.tags if self.tags is None else self.tags)
            tags = (tags - set(self.drop_tags)) | set(self.add_tags)
            values = {**given, "tags": tuple(sorted(tags))}
            if any(getattr(number, name) != value for name, value in values.items()):
                changes += number_changed(number, "number.labelled", **values)
        return changes
