"""Tasks that settle a difference between a carrier's list and ours."""

from decimal import Decimal
from typing import Literal

from pydantic import Field

from sedge.core.access.roles import May
from sedge.core.carriers.reconciliation import MEANINGS, DriftKind, as_told
from sedge.core.changes import number_changed, step
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change, Estate
from sedge.core.numbers.life import Event
from sedge.core.workorders.task_base import (
    E164,
    Name,
    Task,
    at_once,
    for_nothing,
    free,
    no_changes,
    not_at_all,
    nothing,
    outside_decides,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore

DriftWord = Literal["not listed", "not ours", "other price", "other state", "other trunk"]


class FollowCarrier(Task):
    """Make our record of a number what its carrier lists; `theirs` as the comparison found it."""

    kind: Literal["follow_carrier"] = "follow_carrier"
    takes = frozenset({May.SEE_MONEY})
    number: E164
    drift: DriftWord
    theirs: str = Field(max_length=200)

    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    @property
    def price(self) -> Decimal:
        """What the carrier asks a month, where that is the difference."""
        return Decimal(self.theirs.split()[0])

    def describe(self, estate: Estate) -> tuple[str, str]:
        return _settled(self.shown, MEANINGS[DriftKind(self.drift)].follow, self.theirs)

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        match DriftKind(self.drift):
            case DriftKind.PRICE:
                monthly = number.monthly.copy_with(amount=self.price)
                return number_changed(number, "number.price-taken-over", monthly=monthly)
            case DriftKind.TRUNK:
                return number_changed(number, "trunk.listed", trunk=self.theirs)
            case DriftKind.NOT_LISTED | DriftKind.STATE:
                gone = {"assignment": None, "path": None, "trunk": None, "fallback": ""}
                gone |= {"leaving_on": None, "spot": None, "registered_spot": None}
                values = step(number, Event.WITHDRAW, **gone)
                return number_changed(number, "number.withdrawn", **values)
            case DriftKind.NOT_OURS:
                message = "A number that is not ours is imported, with its site."
                raise NotAllowedNow(message, reason="not-ours")


class TellCarrier(Task):
    """Tell a carrier that its list is to be what is so here; with `not ours`: hand the number back.

    `ours` as it is told. Nothing changes here; the carrier is to change.
    """

    kind: Literal["tell_carrier"] = "tell_carrier"
    takes = frozenset({May.RELEASE})
    for_good = "what a carrier was told"
    may_be_new = True
    number: E164
    account: Name
    drift: DriftWord
    ours: str = Field(default="", max_length=200)

    settles = outside_decides
    needs = what_it_names
    provides = nothing
    requires = what_it_is_about
    apply = no_changes
    waits = for_nothing
    costs = free
    reversal = not_at_all

    def describe(self, estate: Estate) -> tuple[str, str]:
        return _settled(self.shown, MEANINGS[DriftKind(self.drift)].tell, self.ours)

    def works(self, estate: Estate) -> str:
        return "when the carrier has corrected it"


def _settled(number: str, what: str, value: str) -> tuple[str, str]:
    """A difference from a carrier's list and the way in which it is settled."""
    return f"{number}: {what[0].lower()}{what[1:]}", as_told(value)
