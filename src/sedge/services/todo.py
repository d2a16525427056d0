"""One thing that waits for somebody, as Today tells it: what, why it matters, where it is done."""

from dataclasses import dataclass
from enum import StrEnum

from sedge.core.numbers.card_facts import Mark

PLURALS = {"person": "people"}
MOST_COUNTED = 1_000


class Kind(StrEnum):
    """What a line is about, as Today groups it."""

    EMERGENCY = "Emergency"
    CALLS = "Calls"
    CARRIERS = "Carriers"
    CHECKS = "Checks"
    LICENCES = "Licences"
    NUMBERS = "Numbers"
    PEOPLE = "People"
    PORTS = "Ports"
    SPEND = "Spend"
    SUPPLY = "Supply"
    SYSTEM = "System"
    WORK_ORDERS = "Work orders"


@dataclass(frozen=True)
class Todo:
    """One line: what, why it matters, where it is done."""

    mark: Mark
    what: str
    why: str
    href: str
    words: str
    kind: Kind = Kind.NUMBERS

    @property
    def is_urgent(self) -> bool:
        """Calls, money or somebody's safety are at stake now."""
        return self.mark is Mark.WRONG


def how_many(n: int, thing: str) -> str:
    """A number of things in words; where counting stopped, that there are more."""
    many = f"over {MOST_COUNTED:,}" if n > MOST_COUNTED else f"{n:,}"
    return f"{many} {thing if n == 1 else PLURALS.get(thing, thing + 's')}"
