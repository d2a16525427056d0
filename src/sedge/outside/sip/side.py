"""Where SIP is spoken from: which DNS is asked, and whose certificates are trusted."""

from collections.abc import Callable
from dataclasses import dataclass

from sedge.outside.sip.names import Names


@dataclass(frozen=True)
class Side:
    """`roots` are certificates (PEM) that are trusted besides the machine's."""

    names: Names
    roots: str = ""


class Sides:
    """Found out when it is first needed."""

    def __init__(self, find: Callable[[], Side]) -> None:
        self._find, self._found = find, None

    def side(self) -> Side:
        """Raises OutsideTrouble where it can't be found out."""
        if self._found is None:
            self._found = self._find()
        return self._found

    def close(self) -> None:
        self._found = None


def of_this_machine() -> Sides:
    return Sides(lambda: Side(Names()))
