"""A carrier's invoice held against what it should say: line by line, and what it leaves out."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from typing import NamedTuple

from sedge.core.spend.months import to_minor_unit

ROUNDING = Decimal("0.01")  # a line; carriers round at other places than we do


class BilledFor(StrEnum):
    """What a line is about."""

    NUMBER = "number"
    CALLS = "calls"
    SEATS = "licence seats"
    ONCE = "paid once"
    OTHER = "other"


class Verdict(StrEnum):
    RIGHT = "right"
    ROUNDING = "rounding"
    WRONG_PRICE = "wrong price"
    WRONG_QUANTITY = "wrong quantity"
    NOT_OURS = "billed but not ours"
    AFTER_RELEASE = "billed after release"
    TWICE = "billed twice"
    NOT_BILLED = "ours but not billed"
    UNKNOWN = "not recognised"


IN_ORDER = frozenset({Verdict.RIGHT, Verdict.ROUNDING})


class LineState(StrEnum):
    """What has been decided about a line that is not right."""

    OPEN = "open"
    DISPUTED = "disputed"
    CREDITED = "credited"
    ACCEPTED = "accepted"


NEXT_STATES: dict[LineState, frozenset[LineState]] = {
    LineState.OPEN: frozenset({LineState.DISPUTED, LineState.ACCEPTED}),
    LineState.DISPUTED: frozenset({LineState.CREDITED, LineState.ACCEPTED, LineState.OPEN}),
    LineState.CREDITED: frozenset({LineState.DISPUTED}),
    LineState.ACCEPTED: frozenset({LineState.OPEN}),
}


class BilledLine(NamedTuple):
    """A line as it was billed; `number` in E.164, '' for none; `quantity` of numbers, seats or
    calls, 0 where none is told."""

    line: int
    about: BilledFor
    number: str
    words: str
    quantity: Decimal
    amount: Decimal


class Judged(NamedTuple):
    """A line with what it should have been; `expected` None where nothing like it was expected."""

    billed: BilledLine
    verdict: Verdict
    expected: Decimal | None

    @property
    def too_much(self) -> Decimal:
        """What is billed beyond what is owed; negative for too little."""
        return self.billed.amount - (self.expected or Decimal(0))


@dataclass(frozen=True)
class Expected:
    """What an account should be billed for a month: the fees of numbers, their calls, seats and
    set-up by what names them; `released` are numbers that had gone before the month."""

    fees: Mapping[str, Decimal] = field(default_factory=dict)
    calls: Mapping[str, Decimal] = field(default_factory=dict)
    seats: Mapping[str, tuple[Decimal, Decimal]] = field(default_factory=dict)
    once: Mapping[str, Decimal] = field(default_factory=dict)
    released: frozenset[str] = frozenset()

    @property
    def calls_in_all(self) -> Decimal:
        return sum(self.calls.values(), Decimal(0))


def judge(lines: Sequence[BilledLine], expected: Expected, currency: str) -> Iterator[Judged]:
    """Every line in its order, then what should have been billed and was not."""
    seen: set[tuple[BilledFor, str]] = set()
    for line in lines:
        key = line.about, line.number or line.words.casefold()
        is_again = key in seen and line.amount > 0
        seen.add(key)
        yield Judged(line, *_judged(line, expected, currency, is_again=is_again))
    yield from _left_out(lines, expected, currency, seen)


def _judged(
    line: BilledLine, expected: Expected, currency: str, *, is_again: bool
) -> tuple[Verdict, Decimal | None]:
    owed, quantity = _owed(line, expected, currency)
    if is_again and owed is not None:
        return Verdict.TWICE, Decimal(0)
    if owed is None:
        if line.number in expected.released:
            return Verdict.AFTER_RELEASE, Decimal(0)
        if line.number or line.about in {BilledFor.SEATS, BilledFor.ONCE}:
            return Verdict.NOT_OURS, Decimal(0)
        return Verdict.UNKNOWN, None
    apart = abs(line.amount - owed)
    if not apart:
        return Verdict.RIGHT, owed
    if apart <= ROUNDING:
        return Verdict.ROUNDING, owed
    if quantity is not None and line.quantity and line.quantity != quantity:
        return Verdict.WRONG_QUANTITY, owed
    return Verdict.WRONG_PRICE, owed


def _owed(
    line: BilledLine, expected: Expected, currency: str
) -> tuple[Decimal | None, Decimal | None]:
    """What a line should come to, and of how many; None where nothing like it is expected."""
    match line.about:
        case BilledFor.NUMBER:
            return expected.fees.get(line.number), Decimal(1)
        case BilledFor.CALLS if line.number:
            cost = expected.calls.get(line.number)
            return (to_minor_unit(cost, currency) if cost is not None else None), None
        case BilledFor.CALLS:
            return to_minor_unit(expected.calls_in_all, currency), None
        case BilledFor.SEATS:
            return expected.seats.get(line.words.casefold(), (None, None))
        case BilledFor.ONCE:
            words = line.words.casefold()
            named = [name for name in expected.once if name and name in words]
            return (expected.once[max(named, key=len)] if named else None), None
    return None, None


def _left_out(
    lines: Sequence[BilledLine],
    expected: Expected,
    currency: str,
    seen: set[tuple[BilledFor, str]],
) -> Iterator[Judged]:
    """What is ours and was not billed; calls as a whole where the invoice has them as a whole."""
    at = max((line.line for line in lines), default=0)
    owed: list[tuple[BilledFor, str, str, Decimal]] = [
        (BilledFor.NUMBER, number, "", fee) for number, fee in expected.fees.items() if fee
    ]
    by_number = any(line.about is BilledFor.CALLS and line.number for line in lines)
    in_all = any(line.about is BilledFor.CALLS and not line.number for line in lines)
    if by_number:
        owed += [
            (BilledFor.CALLS, number, "", cost)
            for number, cost in ((n, to_minor_unit(c, currency)) for n, c in expected.calls.items())
            if cost
        ]
    elif not in_all and (whole := to_minor_unit(expected.calls_in_all, currency)):
        owed.append((BilledFor.CALLS, "", "calls", whole))
    for about, number, words, amount in owed:
        if (about, number or words) in seen:
            continue
        at += 1
        line = BilledLine(at, about, number, words, Decimal(0), Decimal(0))
        yield Judged(line, Verdict.NOT_BILLED, amount)


def sums(judged: Iterable[Judged]) -> dict[Verdict, tuple[int, Decimal]]:
    """How many lines of each verdict, and what they are billed too much in all."""
    found: dict[Verdict, tuple[int, Decimal]] = {}
    for one in judged:
        count, amount = found.get(one.verdict, (0, Decimal(0)))
        found[one.verdict] = count + 1, amount + one.too_much
    return found
