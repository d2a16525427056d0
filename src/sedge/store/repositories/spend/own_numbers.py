"""Which numbers are, or ever were, the organisation's own."""

from collections.abc import Callable

from sqlalchemy import Connection, select

from sedge.store.schema import projected


class Ours:
    """Whether a number is, or ever was, one of the organisation's; the hundreds that were looked at
    are remembered."""

    def __init__(self) -> None:
        self.hundreds: set[int] | None = None
        self.numbers: dict[int, set[int]] = {}
        self.known: dict[str, bool] = {"": False}
        self.read: dict[str, str] = {}  # what numbers as they are written stand for

    def within(self, connection: Connection) -> Callable[[str], bool]:
        """The question, asked of a connection while it is open."""
        known = self.known

        def is_ours(e164: str) -> bool:
            found = known.get(e164)
            if found is None:
                found = known[e164] = self._look(connection, e164)
            return found

        return is_ours

    def _look(self, connection: Connection, e164: str) -> bool:
        digits = e164[1:]
        if e164[0] != "+" or not digits.isascii() or not digits.isdigit():
            return False
        span = projected.span
        if self.hundreds is None:
            tens = connection.execute(select(span.c.number / 100).distinct()).scalars()
            self.hundreds = {int(hundred) for hundred in tens}
        number = int(digits)
        hundred = number // 100
        if hundred not in self.hundreds:
            return False
        if hundred not in self.numbers:
            first = hundred * 100
            query = select(span.c.number).where(span.c.number.between(first, first + 99))
            self.numbers[hundred] = set(connection.execute(query.distinct()).scalars())
        return number in self.numbers[hundred]
