"""Sets of telephone numbers as sorted disjoint intervals, per number of digits.

German numbers vary in length, so `+4930 23125` and `+4930 231250` must never touch: intervals are
kept apart by their number of digits. Every operation costs by intervals, not by numbers.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import groupby

Interval = tuple[int, int]
BLOCK_SIZES = (10_000, 1_000, 100, 10)


@dataclass(frozen=True)
class Span:
    """The numbers `first`..`last`, both included, of `digits` digits each."""

    digits: int
    first: int
    last: int

    def __len__(self) -> int:
        return self.last - self.first + 1

    def __str__(self) -> str:
        return f"+{self.first}" if self.first == self.last else f"+{self.first}–{str(self.last)[-self._differing() :]}"

    def _differing(self) -> int:
        first, last = str(self.first), str(self.last)
        shared = next((i for i, (a, b) in enumerate(zip(first, last, strict=True)) if a != b), len(first))
        return max(2, len(first) - shared)


class NumberSet:
    """An immutable set of E.164 numbers. `+` and digits outside, integers inside."""

    __slots__ = ("_by_length",)

    def __init__(self, spans: Iterable[Span] = ()) -> None:
        grouped: dict[int, list[Interval]] = {}
        for span in spans:
            grouped.setdefault(span.digits, []).append((span.first, span.last))
        self._by_length = {digits: _merged(intervals) for digits, intervals in sorted(grouped.items())}

    @classmethod
    def of(cls, numbers: Iterable[str | int]) -> "NumberSet":
        """From single numbers, `+44…` or integers."""
        values = sorted({int(n) for n in numbers})
        return cls(Span(len(str(n)), n, n) for n in values)

    @property
    def spans(self) -> list[Span]:
        """The shortest list of ranges, ascending by length and number."""
        return [Span(digits, first, last) for digits, intervals in self._by_length.items() for first, last in intervals]

    def __len__(self) -> int:
        return sum(len(span) for span in self.spans)

    def __iter__(self) -> Iterator[int]:
        for span in self.spans:
            yield from range(span.first, span.last + 1)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, NumberSet) and self._by_length == other._by_length

    def __hash__(self) -> int:
        return hash(tuple(self.spans))

    def __contains__(self, number: str | int) -> bool:
        value = int(number)
        return any(first <= value <= last for first, last in self._by_length.get(len(str(value)), []))

    def __or__(self, other: "NumberSet") -> "NumberSet":
        return NumberSet((*self.spans, *other.spans))

    def __and__(self, other: "NumberSet") -> "NumberSet":
        return self - (self - other)

    def __sub__(self, other: "NumberSet") -> "NumberSet":
        out: list[Span] = []
        for digits, intervals in self._by_length.items():
            holes = other._by_length.get(digits, [])
            out += [Span(digits, a, b) for a, b in _without(intervals, holes)]
        return NumberSet(out)

    def longest_run(self) -> Span | None:
        return max(self.spans, key=lambda s: (len(s), -s.first), default=None)

    def first_run(self, length: int) -> Span | None:
        """The lowest `length` consecutive numbers, or None."""
        found = next((s for s in self.spans if len(s) >= length), None)
        return Span(found.digits, found.first, found.first + length - 1) if found else None

    def runs_of(self, length: int) -> Iterator[Span]:
        """Non-overlapping runs of exactly `length`, starting at round numbers where one fits."""
        for span in self.spans:
            start = span.first
            aligned = -(-span.first // 10) * 10
            if span.last - aligned + 1 >= length:
                start = aligned
            while start + length - 1 <= span.last:
                yield Span(span.digits, start, start + length - 1)
                start += length

    def blocks(self, sizes: tuple[int, ...] = BLOCK_SIZES) -> list[Span]:
        """Cover by the fewest aligned blocks of the given sizes (largest first); leftovers are single numbers."""
        out: list[Span] = []
        for span in self.spans:
            start = span.first
            while start <= span.last:
                size = next((s for s in sizes if start % s == 0 and start + s - 1 <= span.last), 1)
                out.append(Span(span.digits, start, start + size - 1))
                start += size
        return out


def _merged(intervals: list[Interval]) -> list[Interval]:
    out: list[Interval] = []
    for first, last in sorted(intervals):
        if out and first <= out[-1][1] + 1:
            out[-1] = (out[-1][0], max(out[-1][1], last))
        else:
            out.append((first, last))
    return out


def _without(intervals: list[Interval], holes: list[Interval]) -> Iterator[Interval]:
    for first, last in intervals:
        for hole_first, hole_last in holes:
            if hole_last < first or hole_first > last:
                continue
            if hole_first > first:
                yield first, hole_first - 1
            first = hole_last + 1  # noqa: PLW2901
        if first <= last:
            yield first, last


def consecutive(numbers: Iterable[int]) -> list[list[int]]:
    """Ascending numbers grouped into their runs."""
    ordered = sorted(numbers)
    return [[n for _, n in group] for _, group in groupby(enumerate(ordered), lambda pair: pair[1] - pair[0])]
