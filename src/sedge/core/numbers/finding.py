"""What the finder understands: how a typed text becomes a search.

Digits are matched against E.164 digits and, with the trunk prefix taken off, against the national
form.
"""

import re
import unicodedata
from dataclasses import dataclass
from enum import StrEnum

from sedge.core.numbers.e164 import read
from sedge.core.numbers.plan import COUNTRIES


class SearchKind(StrEnum):
    NOTHING = "nothing"
    EXACT = "exact"
    RANGE = "range"
    LEADING = "leading"
    ENDING = "ending"
    FRAGMENT = "fragment"
    EXTENSION = "extension"
    WORDS = "words"


@dataclass(frozen=True)
class Search:
    """`exact` are whole numbers; `first`..`last` a range; `leading` are E.164 digits a number may
    begin with; `digits` lists fragments of which any may match anywhere (or, for an ending, at the
    end). `extension` was typed alone, or behind a number.
    """

    kind: SearchKind
    exact: tuple[str, ...] = ()
    first: int = 0
    last: int = 0
    digits: tuple[str, ...] = ()
    words: str = ""
    leading: tuple[str, ...] = ()
    extension: str = ""


_RANGE = re.compile(
    r"^(?P<first>[+\d][\d\s().\-/]*?\d)\s*(?:–|\.\.|-|\bto\b)\s*(?P<last>\+?\d{2,})$"
)
_LABEL = re.compile(
    r"^(?:tel(?:ephone)?|phone|mob(?:ile)?|cell|fax|direct|ddi|[tmpf])\b\s*[.:]+\s*(?=[+(\d])",
    re.IGNORECASE,
)
_ASIDE = re.compile(r"(?<=\d)\s*[(\[][^)\]\d]*[)\]]$")  # (mobile), behind a number
_EXTENSION = re.compile(r"^(?:ext(?:ension)?\b\.?|x)\s*(\d{1,7})$", re.IGNORECASE)


def understand(text: str, home: str, also: tuple[str, ...] = ()) -> Search:
    """The search meant by `text`: `0113 496 0142`, `*0142`, `496 01`, `0113 496 0100-0149`, `+44
    113 496 01xx`, `okafor`."""
    text = unicodedata.normalize("NFKC", text).strip()[:200]
    text = _ASIDE.sub("", _LABEL.sub("", text))
    digits = re.sub(r"\D", "", text)
    if not text:
        return Search(SearchKind.NOTHING)
    if alone := _EXTENSION.match(text):
        return Search(SearchKind.EXTENSION, extension=alone[1])
    if text.startswith("*") and digits:
        return Search(SearchKind.ENDING, digits=(digits,))
    if re.search(r"[A-Za-z]", re.sub(r"(?i)[x?]+$", "", text)) and not re.match(
        r"(?i)^\s*tel:", text
    ):
        is_number = re.match(r"[+(]?\d", text) and len(digits) >= 3
        return (
            _number_or_words(text, home, also)
            if is_number
            else Search(SearchKind.WORDS, words=text)
        )
    if pattern := re.match(r"(?i)^([+\d\s().\-/]+?)[x?]+$", text):
        return _leading(pattern.group(1), text, home)
    if between := _range(text, home, also):
        return between
    if not digits:
        return Search(SearchKind.WORDS, words=text)
    return _number_or_fragment(text, digits, home, also)


def _number_or_words(text: str, home: str, also: tuple[str, ...]) -> Search:
    reading = read(text, home, also)
    if reading.candidates:
        return Search(
            SearchKind.EXACT,
            exact=tuple(c.e164 for c in reading.candidates),
            words=text,
            extension=reading.candidates[0].extension or "",
        )
    return Search(SearchKind.WORDS, words=text)


def _number_or_fragment(text: str, digits: str, home: str, also: tuple[str, ...]) -> Search:
    reading = read(text, home, also)
    if reading.candidates and len(digits) >= 7:
        return Search(
            SearchKind.EXACT,
            exact=tuple(c.e164 for c in reading.candidates),
            digits=(digits,),
            words=text,
        )
    typed, *whole = _forms(text, digits, home)
    if text.startswith("+"):
        return Search(SearchKind.FRAGMENT, words=text, leading=(typed,))
    return Search(SearchKind.FRAGMENT, digits=(typed,), words=text, leading=tuple(whole))


def _forms(text: str, digits: str, home: str) -> tuple[str, ...]:
    """The fragment as E.164 digits may contain it: without international or trunk prefix."""
    if text.startswith("+"):
        return (digits,)
    country = COUNTRIES.get(home)
    forms = [digits]
    if country and digits.startswith(country.international):
        forms.append(digits[len(country.international) :])
    elif country and country.trunk and digits.startswith(country.trunk) and len(digits) > 3:
        forms.append(country.calling_code + digits[len(country.trunk) :])
    return tuple(dict.fromkeys(form for form in forms if form))


def _leading(fixed: str, text: str, home: str) -> Search:
    digits = re.sub(r"\D", "", fixed)
    free = len(re.sub(r"[^xX?]", "", text))
    forms = _forms(fixed, digits, home)
    lead = forms[-1]
    return (
        Search(SearchKind.RANGE, first=int(lead + "0" * free), last=int(lead + "9" * free))
        if lead
        else Search(SearchKind.NOTHING)
    )


def _range(text: str, home: str, also: tuple[str, ...]) -> Search | None:
    match = _RANGE.match(text)
    if not match:
        return None
    reading = read(match["first"], home, also)
    if not reading.candidates or len(re.sub(r"\D", "", match["first"])) < 7:
        return None
    first = reading.candidates[0].e164[1:]
    tail = match["last"]
    if tail.startswith("+") or len(tail) >= len(first):
        last = read(tail, home, also).candidates
        end = int(last[0].e164) if last else 0
    else:
        end = int(first[: -len(tail)] + tail)
    return Search(SearchKind.RANGE, first=int(first), last=end) if end >= int(first) else None
