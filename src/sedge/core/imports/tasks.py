"""Tasks that bring in what is the organisation's already, as it is found."""

from collections.abc import Iterator
from datetime import datetime
from typing import Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Capacity, Role, Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.facts import Money
from sedge.core.holding import HolderRef
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.life import ENDED, Event, State, next_state
from sedge.core.records import ORGANISATION, Account, Assignment, Defaults, Number
from sedge.core.retiring.quarantine import lasts_until
from sedge.core.safety.effective_spot import own_spot
from sedge.core.workorders.task_base import (
    E164,
    Name,
    Prerequisites,
    Provision,
    Task,
    Thing,
    at_once,
    for_nothing,
    free,
    holder_name,
    key_of,
    no_changes,
    not_at_all,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore


class AdoptNumber(Task):
    """A number that is the organisation's already, brought in as found."""

    kind: Literal["adopt_number"] = "adopt_number"
    takes = frozenset({May.IMPORT})
    may_be_new = True
    number: E164
    account: Name
    site: Name
    state: Literal["available", "reserved", "assigned", "aging", "administrative"] = "available"
    capacity: Capacity = Capacity.ANY
    monthly: Money
    holder: HolderRef | None = None
    role: Role = Role.MAIN
    spot: str | None = None
    until: datetime | None = None
    reason: str = Field(default="", max_length=200)
    label: str = Field(default="", max_length=80)
    trunk: str | None = None
    path: str | None = None

    needs = what_it_names
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.NUMBER, self.number)
        if self.state == "assigned":
            yield Provision(Thing.ASSIGNED, self.number)
            yield Provision(Thing.LISTED, self.number)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        if self.holder:
            yield Provision(Thing.LICENCE, key_of(self.holder))
            yield Provision(Thing.SPOT, key_of(self.holder))

    def brings(self) -> tuple[str, ...]:
        return (self.number,)

    def describe(self, estate: Estate) -> tuple[str, str]:
        held = f", held by {holder_name(self.holder, estate)}" if self.holder else ""
        return f"Import {self.shown}", f"{self.state}{held}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        account = estate.the(Account, self.account)
        state = next_state(None, Event.ADOPT, State(self.state))
        existing = estate.get(Number, self.number)
        if existing and existing.state not in ENDED:
            message = f"{existing.shown} is in the estate already, {existing.state}."
            raise NotAllowedNow(message, reason="exists", field="number")
        number = Number(
            id=f"{identity}-{self.number[1:]}",
            e164=self.number,
            capacity=self.capacity,
            state=state,
            state_until=self.until or self._until(state, estate),
            state_reason=self.reason,
            account=account.id,
            carrier=account.carrier,
            site=self.site,
            assignment=self._assignment(estate) if state is State.ASSIGNED else None,
            reserved_for=self.holder if state is State.RESERVED else None,
            spot=self.spot or (own_spot(self.holder, estate) if self.holder else None),
            path=self.path,
            trunk=self.trunk,
            label=self.label,
            monthly=self.monthly,
        )
        return [changed(Subject.NUMBER, None, number, "number.adopted")]

    def _until(self, state: State, estate: Estate) -> datetime | None:
        facts = describe(self.number)
        defaults = estate.get(Defaults, ORGANISATION)
        return lasts_until(state, facts.country, facts.kind, estate.now, defaults)

    def _assignment(self, estate: Estate) -> Assignment:
        if self.holder is None:
            message = "An assigned number needs its holder."
            raise NotAllowedNow(message, reason="no-holder", field="holder")
        now = estate.now
        return Assignment(holder=self.holder, role=self.role, since=now, works_from=now)


class ImportNumbers(Task):
    """The good rows of a file that was looked through.

    Numbers are brought in as found, small facts of known ones taken over; by thousands, past the
    changes of tasks (`services.imports.number_files`), as checks can't look at each.
    """

    kind: Literal["import_numbers"] = "import_numbers"
    takes = frozenset({May.IMPORT})
    for_good = "what a file imports (release what should not be here)"
    file: Name

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    apply = no_changes
    waits = for_nothing
    works = at_once
    costs = free
    reversal = not_at_all

    def describe(self, estate: Estate) -> tuple[str, str]:
        return "Import the numbers of a file", "as they are found"
