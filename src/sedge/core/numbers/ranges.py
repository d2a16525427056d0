"""Sets of telephone numbers as sorted disjoint intervals, per number of digits.

German numbers vary in length, so `+4930 23125` and `+4930 231250` must never touch: intervals are
kept apart by their number of digits. Every operation costs by intervals, not by numbers.
"""

import re
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import islice, pairwise
from operator import sub

from sedge.core.errors import NotUnderstood

Interval = tuple[int, int]
BLOCK_SIZES = (10_000, 1_000, 100, 10)
_WRITTEN = re.compile(r"\+?([1-9]\d{5,14})(?:[-–](\d{1,15}))?")


@dataclass(frozen=True)
class Span:
    """The numbers `first`..`last`, both included, of `digits` digits each."""

    digits: int
    first: int
    last: int

    def __len__(self) -> int:
        return self.last - self.first + 1

    def __str__(self) -> str:
        return (
            f"+{self.first}"
            if self.first == self.last
            else f"+{self.first}–{str(self.last)[-self._differing() :]}"
        )

    def _differing(self) -> int:
        first, last = str(self.first), str(self.last)
        shared = next(
            (i for i, (a, b) in enumerate(zip(first, last, strict=True)) if a != b), len(first)
        )
        return max(2, len(first) - shared)


_LONGER = {
    10**digits for digits in range(19)
}  # where a number has a digit more than the one before


class NumberSet:
    """An immutable set of E.164 numbers. `+` and digits outside, integers inside."""

    __slots__ = ("_by_length",)

    def __init__(self, spans: Iterable[Span] = ()) -> None:
        grouped: dict[int, list[Interval]] = {}
        for span in spans:
            grouped.setdefault(span.digits, []).append((span.first, span.last))
        self._by_length = {
            digits: _merged(intervals) for digits, intervals in sorted(grouped.items())
        }

    @classmethod
    def _from(cls, by_length: dict[int, list[Interval]]) -> "NumberSet":
        """From intervals that are sorted, disjoint and apart already."""
        made = cls.__new__(cls)
        made._by_length = {
            digits: intervals for digits, intervals in sorted(by_length.items()) if intervals
        }
        return made

    @classmethod
    def of(cls, numbers: Iterable[str | int]) -> "NumberSet":
        """From single numbers, `+44…` or integers."""
        grouped: dict[int, list[Interval]] = {}
        ordered = sorted(set(map(int, numbers)))
        begins = [
            i
            for i in range(1, len(ordered))
            if ordered[i] != ordered[i - 1] + 1 or ordered[i] in _LONGER
        ]
        for begin, end in zip([0, *begins], [*begins, len(ordered)], strict=True):
            if begin < end:
                grouped.setdefault(len(str(ordered[begin])), []).append(
                    (ordered[begin], ordered[end - 1])
                )
        return cls._from(grouped)

    @classmethod
    def parse(cls, written: str, *, field: str = "numbers", most: int = 10_000) -> "NumberSet":
        """From what `written` gives: ranges of E.164 digits with commas or blanks between. Raises
        NotUnderstood."""
        spans = []
        for part in written.replace(",", " ").split():
            match = _WRITTEN.fullmatch(part)
            first, tail = (match[1], match[2] or "") if match else ("", "")
            last = first[: len(first) - len(tail)] + tail
            if not match or len(last) != len(first) or last < first:
                raise NotUnderstood(
                    f"“{part[:40]}” is no range of numbers. Write it as 441134960100-149.",
                    field=field,
                )
            spans.append(Span(len(first), int(first), int(last)))
        found = cls(spans)
        if len(found) > most:
            raise NotUnderstood(
                f"At most {most:,} numbers at a time; these are {len(found):,}. Choose fewer.",
                field=field,
            )
        return found

    @property
    def written(self) -> str:
        """The shortest list of ranges as text that `parse` reads:
        `441134960100-49,441134960200`."""
        return ",".join(
            _written(first, last)
            for intervals in self._by_length.values()
            for first, last in intervals
        )

    @property
    def spans(self) -> list[Span]:
        """The shortest list of ranges, ascending by length and number."""
        return [
            Span(digits, first, last)
            for digits, intervals in self._by_length.items()
            for first, last in intervals
        ]

    def __len__(self) -> int:
        return sum(
            last - first + 1 for intervals in self._by_length.values() for first, last in intervals
        )

    def __bool__(self) -> bool:
        return bool(self._by_length)

    def __iter__(self) -> Iterator[int]:
        for intervals in self._by_length.values():
            for first, last in intervals:
                yield from range(first, last + 1)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, NumberSet) and self._by_length == other._by_length

    def __hash__(self) -> int:
        return hash(tuple(self.spans))

    def __contains__(self, number: str | int) -> bool:
        value = int(number)
        intervals = self._by_length.get(len(str(value)), [])
        at = bisect_right(intervals, value, key=lambda interval: interval[0]) - 1
        return at >= 0 and value <= intervals[at][1]

    def __or__(self, other: "NumberSet") -> "NumberSet":
        return self._combined(other, lambda a, b: _merged([*a, *b]))

    def __and__(self, other: "NumberSet") -> "NumberSet":
        return self._combined(other, lambda a, b: list(_common(a, b)))

    def __sub__(self, other: "NumberSet") -> "NumberSet":
        return self._combined(other, lambda a, b: list(_without(a, b)))

    def _combined(
        self, other: "NumberSet", how: Callable[[list[Interval], list[Interval]], list[Interval]]
    ) -> "NumberSet":
        lengths = {*self._by_length, *other._by_length}
        return NumberSet._from(
            {n: how(self._by_length.get(n, []), other._by_length.get(n, [])) for n in lengths}
        )

    def longest_run(self) -> Span | None:
        best = (0, 0, 0, 0)  # length, first, digits, last; of several the lowest
        for digits, intervals in self._by_length.items():
            for first, last in intervals:
                if last - first + 1 > best[0]:
                    best = (last - first + 1, first, digits, last)
        length, first, digits, last = best
        return Span(digits, first, last) if length else None

    def first_run(self, length: int) -> Span | None:
        """The lowest `length` consecutive numbers, or None."""
        found = next((s for s in self.spans if len(s) >= length), None)
        return Span(found.digits, found.first, found.first + length - 1) if found else None

    def runs_of(self, length: int) -> Iterator[Span]:
        """Non-overlapping runs of exactly `length`, starting at round numbers where one fits."""
        for span in self.spans:
            for start in tidy_cut(span.first, span.last, length):
                yield Span(span.digits, start, start + length - 1)

    def blocks(self, sizes: tuple[int, ...] = BLOCK_SIZES) -> list[Span]:
        """Cover by the fewest aligned blocks of the given sizes (largest first); leftovers are
        single numbers."""
        out: list[Span] = []
        for digits, intervals in self._by_length.items():
            for first, last in intervals:
                start = first
                while start <= last:
                    size = 1
                    for size in sizes:
                        if not start % size and start + size - 1 <= last:
                            break
                    else:
                        size = 1
                    out.append(Span(digits, start, start + size - 1))
                    start += size
        return out


def _written(first: int, last: int) -> str:
    if first == last:
        return str(first)
    one, other = str(first), str(last)
    shared = 0
    while one[shared] == other[shared]:
        shared += 1
    return f"{one}-{other[min(shared, len(one) - 2) :]}"


def _merged(intervals: list[Interval]) -> list[Interval]:
    out: list[Interval] = []
    for first, last in sorted(intervals):
        if out and first <= out[-1][1] + 1:
            out[-1] = (out[-1][0], max(out[-1][1], last))
        else:
            out.append((first, last))
    return out


def _without(intervals: list[Interval], holes: list[Interval]) -> Iterator[Interval]:
    """One sweep over both lists; each is looked at once."""
    at = 0
    for first, last in intervals:
        start = first
        while at < len(holes) and holes[at][1] < start:
            at += 1
        upcoming = at
        while upcoming < len(holes) and holes[upcoming][0] <= last:
            hole_first, hole_last = holes[upcoming]
            if hole_first > start:
                yield start, hole_first - 1
            start = hole_last + 1
            upcoming += 1
        at = max(at, upcoming - 1)
        if start <= last:
            yield start, last


def _common(one: list[Interval], other: list[Interval]) -> Iterator[Interval]:
    """What both lists have, in one sweep."""
    i = j = 0
    while i < len(one) and j < len(other):
        first, last = max(one[i][0], other[j][0]), min(one[i][1], other[j][1])
        if first <= last:
            yield first, last
        if one[i][1] < other[j][1]:
            i += 1
        else:
            j += 1


def consecutive(numbers: Iterable[int]) -> list[list[int]]:
    """Ascending numbers grouped into their runs."""
    ordered = sorted(numbers)
    steps = map(
        sub, islice(ordered, 1, None), ordered
    )  # in C: a pass over 100,000 pairs in Python takes 50 ms
    cuts = [0, *[i for i, step in enumerate(steps, start=1) if step != 1], len(ordered)]
    return [ordered[begin:end] for begin, end in pairwise(cuts) if begin < end]


def tidy_cut(first: int, last: int, length: int) -> Iterator[int]:
    """Where runs of `length` begin within a stretch, without overlapping; at round numbers where
    one fits."""
    aligned = -(-first // 10) * 10
    start = aligned if last - aligned + 1 >= length else first
    return iter(range(start, last - length + 2, length))
