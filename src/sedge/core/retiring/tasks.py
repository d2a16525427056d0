"""The task that ends a number's life: handed back to its carrier."""

from collections.abc import Iterator
from typing import Literal

from sedge.core.access.roles import May
from sedge.core.changes import number_changed
from sedge.core.estate import Change, Estate
from sedge.core.numbers.life import Event, State, next_state
from sedge.core.workorders.task_base import (
    Cost,
    NumberField,
    Prerequisites,
    Provision,
    Task,
    Thing,
    Waiting,
    not_at_all,
    nothing,
    outside_decides,
    what_it_is_about,
    what_it_names,
)


class ReleaseNumber(Task):
    """Hand a number back to its carrier; with `after_rest` once its rest is over."""

    kind: Literal["release_number"] = "release_number"
    takes = frozenset({May.RELEASE})
    for_good = "a release"
    asks_again = True
    number: NumberField
    after_rest: bool = False

    settles = outside_decides
    needs = what_it_names
    provides = nothing
    reversal = not_at_all

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.FREE, self.e164 or "")
        yield Provision(Thing.UNLISTED, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Release {self.shown}", "to its carrier, for good"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        """Agree the release; the number is `released` once carried out (`changes.release_done`)."""
        number = estate.number(self.known_number)
        next_state(number.state, Event.RELEASE)
        return number_changed(number, "number.release-agreed", leaving_on=estate.now)

    def waits(self, estate: Estate) -> Waiting | None:
        number = estate.number(self.known_number)
        rests_until = number.state_until if number.state is State.AGING else None
        if self.after_rest and rests_until and rests_until > estate.now:
            return Waiting(rests_until, f"the rest of {number.shown}")
        return None

    def works(self, estate: Estate) -> str:
        if self.after_rest:
            return "when its rest is over"
        return "when the carrier has carried it out"

    def costs(self, estate: Estate) -> Cost:
        return Cost(estate.number(self.known_number).monthly.times(-1))
