"""A trunk's list of numbers held against the one that the other side has."""

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import read
from sedge.core.trunks.records import NumberFormat, TrunkSettings
from sedge.core.trunks.settings import as_written

LONGEST_TEXT = 4_000_000
MOST_NUMBERS = 100_000
LONGEST_RANGE = 10_000
MOST_UNREAD = 50
FEWEST_DIGITS = 3
CELLS = re.compile(r"[;\t]|,(?=\s|\"|\D)|(?<=\D),|(?<=\d),(?=\+|0\d{3})")
RANGE = re.compile(r"^(?P<first>\+?[\d ]*\d)\s*(?:-|–|\bto\b|\.\.)\s*(?P<last>\+?\d[\d ]*)$")


@dataclass(frozen=True)
class TheirList:
    """Numbers (E.164) in their order, and the lines that nothing could be made of."""

    numbers: tuple[str, ...]
    unread: tuple[str, ...]


@dataclass(frozen=True)
class ListDifference:
    """`missing` are ours and not on their list: calls to them do not reach us. `extra` are on
    theirs alone."""

    missing: tuple[str, ...]
    extra: tuple[str, ...]

    @property
    def count(self) -> int:
        return len(self.missing) + len(self.extra)


def read_list(text: str, ours: Collection[str], settings: TrunkSettings, country: str) -> TheirList:
    """The other side's list as it comes: a number or a range a line, or a table with a column of
    them, in any format that the trunk has. Raises NotUnderstood."""
    if len(text) > LONGEST_TEXT:
        message = "This list is longer than a trunk's can be: give the numbers of this trunk alone."
        raise NotUnderstood(message, field="text", reason="too-long")
    forms = {form: number for number in ours for form in _forms(number, settings)}
    found: dict[str, None] = {}
    unread: list[str] = []
    for line in text.splitlines():
        numbers = list(_of_line(line, forms, country))
        if numbers:
            found |= dict.fromkeys(numbers)
        elif len(re.sub(r"\D", "", line)) >= FEWEST_DIGITS and len(unread) < MOST_UNREAD:
            unread.append(line.strip()[:80])
        if len(found) > MOST_NUMBERS:
            message = f"A list has at most {MOST_NUMBERS:,} numbers."
            raise NotUnderstood(message, field="text", reason="too-many")
    if not found:
        message = "No number was found in it. Paste one number a line, or a table with a column."
        raise NotUnderstood(message, field="text", reason="nothing")
    return TheirList(tuple(found), tuple(unread))


def difference(ours: Iterable[str], theirs: Iterable[str]) -> ListDifference:
    """In the order of the numbers."""
    here, there = set(ours), set(theirs)
    return ListDifference(tuple(sorted(here - there)), tuple(sorted(there - here)))


def _forms(number: str, settings: TrunkSettings) -> Iterator[str]:
    """The digits by which the other side may name one of our numbers."""
    national = as_written(number, NumberFormat.NATIONAL, 0)
    yield number.lstrip("+")
    yield national.lstrip("+")
    yield national.lstrip("+0")
    for way in (settings.expects, settings.sends):
        if way is NumberFormat.LAST_DIGITS:
            yield as_written(number, way, settings.last_digits)


def _of_line(line: str, forms: dict[str, str], country: str) -> Iterator[str]:
    """The numbers of a line: all of a line that has nothing else, else those of its first cell that
    has any."""
    cells = [plain for cell in CELLS.split(line) if (plain := cell.strip().strip("\"'"))]
    alone = [_one(plain, forms, country) for plain in cells]
    if all(alone):
        yield from alone
        return
    for plain in cells:
        if number := _one(plain, forms, country):
            yield number
            return
        if found := RANGE.match(plain):
            numbers = _between(found["first"], found["last"], forms, country)
            if numbers:
                yield from numbers
                return


def _one(text: str, forms: dict[str, str], country: str) -> str:
    digits = re.sub(r"[^\d]", "", text)
    if len(digits) < FEWEST_DIGITS or re.search(r"[^\d\s+()./\-]", text):
        return ""
    if known := forms.get(digits) or forms.get(digits.removeprefix("00")):
        return known
    candidates = read(text, country).candidates
    return candidates[0].e164 if candidates else ""


def _between(first: str, last: str, forms: dict[str, str], country: str) -> list[str]:
    """The numbers of a range; its last may be written by its end alone."""
    begins = _one(first, forms, country)
    tail = re.sub(r"\D", "", last)
    if not begins or len(tail) < 2:
        return []
    ends = _one(last, forms, country) or begins[: -len(tail)] + tail
    low, high = int(begins[1:]), int(ends[1:])
    if len(ends) != len(begins) or not low <= high < low + LONGEST_RANGE:
        return []
    return [f"+{number}" for number in range(low, high + 1)]
