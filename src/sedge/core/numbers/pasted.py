"""Numbers out of pasted text: a mail, a spreadsheet's cells, a list with rubbish between.

What is cut by line ends, tabs, commas and the like is looked at piece by piece; a piece that holds
several numbers with only blanks between is cut where whole numbers end. Dates, amounts and short
figures are not numbers and are passed over; what looks like a number and is none is reported.
"""

import re
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass

from sedge.core.numbers.e164 import read
from sedge.core.numbers.finding import Search, SearchKind, understand
from sedge.core.numbers.ranges import NumberSet, Span

LONGEST_PASTE = 2_000_000
LONGEST_RANGE = 10_000
_HARD = re.compile(
    r"[\n\r\t,;|<>\"“”'’‚‘\[\]{}]+|\s{3,}|:\s|\s(?:and|und|et|or|oder)\s", re.IGNORECASE
)
_TOKEN = re.compile(
    r"(?<![A-Za-z\d])(?<![A-Za-z]-)(?:tel:)?[+(*]?\d"
    r"(?:[\d\s().\-/–]|(?<=[-–])\+|(?<=[-–]\s)\+|\b(?:to|bis)\b|\.\.|(?<=\d)[xX?]{1,5}(?!\w))*"
    r"(?:;ext=\d{1,7}|\s*(?:ext\.?|x)\s*\d{1,7}\b)?",
    re.IGNORECASE,
)
_DATE = re.compile(
    r"^(?:\d{4}[-./]\d{1,2}[-./]\d{1,2}|\d{1,2}[-./]\d{1,2}[-./]\d{2,4})"
    r"(?:\s+\d{1,2}(?:[.:]\d{2})?)?$"
)
_FROM_TO = re.compile(
    r"^(?P<first>.*\d)\s*(?:\b(?:to|bis)\b|\.\.|\s[-–]\s|[-–](?=\+))\s*(?P<last>[+(\d].*)$",
    re.IGNORECASE,
)
_AND_ENDING = re.compile(r"^(?P<first>[+(\d].*\d)\s*/\s*(?P<last>\d{1,4})$")
_HOW_MANY = re.compile(r"\s\(\d{1,6}\)?$")  # behind a range, as we write it ourselves
_FREE_END = re.compile(r"\d[xX?]{1,5}$")
LEAST_DIGITS = 7


@dataclass(frozen=True)
class Pasted:
    """`numbers` in service, `found` how many pieces gave them, `unread` what looked like a number
    and is none."""

    numbers: NumberSet
    found: int
    unread: tuple[str, ...]

    @property
    def is_many(self) -> bool:
        """Whether it is a list rather than one thing to look for."""
        return self.found > 1


def numbers_in(text: str, home: str, also: tuple[str, ...] = ()) -> Pasted:
    """Every number in a text of at most two million characters. `home` and `also` are as for
    `read`."""
    text = unicodedata.normalize("NFKC", text[:LONGEST_PASTE])
    spans: list[Span] = []
    unread: list[str] = []
    found = 0
    for piece in _HARD.split(text):
        for token in _TOKEN.findall(piece or ""):
            for span, rest in _read(token.strip(" .-/(–"), home, also):
                if span:
                    found += 1
                    spans.append(span)
                elif len(re.sub(r"\D", "", rest)) >= LEAST_DIGITS and not _DATE.match(rest):
                    unread.append(rest[:60])
    return Pasted(NumberSet(spans), found, tuple(dict.fromkeys(unread)))


def _read(token: str, home: str, also: tuple[str, ...]) -> Iterator[tuple[Span | None, str]]:
    """Spans of one token, or the token itself where nothing can be made of it."""
    digits = re.sub(r"\D", "", token)
    if len(digits) < LEAST_DIGITS - 1 or _DATE.match(token):
        yield None, token
        return
    if (both := _AND_ENDING.match(token)) and (first := _whole(both["first"], home, also)):
        yield first, ""
        yield _from_to(both["first"], both["last"], home, also, alone=True), both["last"]
        return
    if whole := _whole(token, home, also):
        yield whole, ""
        return
    groups = token.split()
    start = 0
    while start < len(groups):
        for end in range(len(groups), start, -1):
            part = " ".join(groups[start:end])
            if whole := _whole(part, home, also):
                yield whole, ""
                start = end
                break
        else:
            yield None, " ".join(groups[start:])
            return


def _whole(text: str, home: str, also: tuple[str, ...]) -> Span | None:
    """The one number or range that all of the text is."""
    if (match := _FROM_TO.match(_HOW_MANY.sub("", text))) and (
        span := _from_to(match["first"], match["last"], home, also)
    ):
        return span
    candidates = () if _FREE_END.search(text) else read(text, home, also).candidates
    if candidates and len(re.sub(r"\D", "", text)) >= LEAST_DIGITS:
        n = int(candidates[0].e164)
        return Span(len(str(n)), n, n)
    search: Search = understand(text, home, also)
    if (
        search.kind is SearchKind.RANGE
        and 0 <= search.last - search.first < LONGEST_RANGE
        and len(str(search.first)) == len(str(search.last))
    ):
        return Span(len(str(search.first)), search.first, search.last)
    return None


def _from_to(
    first: str, last: str, home: str, also: tuple[str, ...], *, alone: bool = False
) -> Span | None:
    """From one number to another, each written in any way, the second perhaps by its last digits
    only; `alone`: only the second."""
    begins = read(first, home, also).candidates
    if not begins:
        return None
    begin, digits = begins[0].e164[1:], re.sub(r"\D", "", last)
    ends = read(last, home, also).candidates if len(digits) >= LEAST_DIGITS else ()
    end = ends[0].e164[1:] if ends else begin[: -len(digits)] + digits
    fits = len(begin) == len(end) and 0 <= int(end) - int(begin) < LONGEST_RANGE
    return Span(len(begin), int(end if alone else begin), int(end)) if fits else None
