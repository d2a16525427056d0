"""Matching a typed civic address (RFC 5139) against the register's street segments.

*Corrected* needs a score of at least 92, at least 6 ahead of the next, the same house number and the same postcode
area; anything less is *ambiguous* or *unknown*: an ambulance is never sent to a guess.
"""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, field

from sedge.core.records import CivicElements, Verdict

ENOUGH, AHEAD, WORTH_SHOWING = 92.0, 6.0, 65.0
ABBREVIATIONS = {
    "st": "street", "rd": "road", "ln": "lane", "ave": "avenue", "sq": "square", "pl": "place", "ct": "court", "pde": "parade", "whf": "wharf",
    "str": "strasse", "straße": "strasse", "q": "quay", "ste": "sainte",
}  # fmt: skip


@dataclass(frozen=True)
class Segment:
    """A stretch of a street: house numbers `first`..`last` on one side (all, odd or even)."""

    street: str
    first: int
    last: int
    side: str
    city: str
    region: str
    postcode: str
    country: str
    psap: str

    def has(self, house_number: str) -> bool:
        match = re.match(r"\d+", house_number)
        if not match:
            return False
        n = int(match.group())
        parity = self.side == "all" or (n % 2 == 1) == (self.side == "odd")
        return self.first <= n <= self.last and parity


@dataclass(frozen=True)
class Candidate:
    elements: CivicElements
    score: float
    psap: str


@dataclass(frozen=True)
class Match:
    """`differences` say what a correction would change: field → (typed, register)."""

    verdict: Verdict
    candidates: list[Candidate]
    differences: dict[str, tuple[str, str]] = field(default_factory=dict)


def normalised(text: str) -> str:
    """Case, diacritics, punctuation and common abbreviations taken out."""
    plain = unicodedata.normalize("NFKD", text.casefold().replace("ß", "ss"))
    plain = "".join(ch for ch in plain if not unicodedata.combining(ch))
    words = re.findall(r"[a-z0-9]+", plain)
    return " ".join(ABBREVIATIONS.get(str(word), str(word)) for word in words)


def match(typed: CivicElements, segments: Sequence[Segment]) -> Match:
    """The register's verdict on a typed address."""
    from rapidfuzz import fuzz

    scored: list[Candidate] = []
    for segment in segments:
        if segment.country != typed.country or not segment.has(typed.house_number):
            continue
        street = fuzz.ratio(normalised(typed.street), normalised(segment.street))
        city = fuzz.ratio(normalised(typed.city), normalised(segment.city))
        postcode = fuzz.ratio(_postcode(typed.postcode), _postcode(segment.postcode))
        score = 0.6 * street + 0.2 * city + 0.2 * postcode
        scored.append(Candidate(_elements(typed, segment), round(score, 1), segment.psap))
    scored.sort(key=lambda c: -c.score)
    return _verdict(typed, [c for c in scored if c.score >= WORTH_SHOWING][:5])


def _verdict(typed: CivicElements, candidates: list[Candidate]) -> Match:
    if not candidates:
        return Match(Verdict.UNKNOWN, [])
    best = candidates[0]
    if _same(typed, best.elements):
        return Match(Verdict.EXACT, [best])
    ahead = best.score - (candidates[1].score if len(candidates) > 1 else 0.0)
    same_area = _area(typed.postcode) == _area(best.elements.postcode)
    if best.score >= ENOUGH and ahead >= AHEAD and same_area:
        return Match(Verdict.CORRECTED, [best], _differences(typed, best.elements))
    return Match(Verdict.AMBIGUOUS, candidates)


def _elements(typed: CivicElements, segment: Segment) -> CivicElements:
    return CivicElements(
        country=segment.country, region=segment.region, city=segment.city, street=segment.street, house_number=typed.house_number.strip(),
        postcode=segment.postcode, landmark=typed.landmark,
    )  # fmt: skip


def _same(typed: CivicElements, found: CivicElements) -> bool:
    fields = ("street", "city")
    return all(normalised(getattr(typed, f)) == normalised(getattr(found, f)) for f in fields) and _postcode(typed.postcode) == _postcode(
        found.postcode
    )


def _differences(typed: CivicElements, found: CivicElements) -> dict[str, tuple[str, str]]:
    names = ("street", "city", "region", "postcode")
    return {n: (getattr(typed, n), getattr(found, n)) for n in names if normalised(getattr(typed, n)) != normalised(getattr(found, n))}


def _postcode(text: str) -> str:
    return re.sub(r"\W", "", text).upper()


def _area(postcode: str) -> str:
    """The outward part (GB), else the first three characters."""
    plain = _postcode(postcode)
    return plain[:-3] if re.fullmatch(r"[A-Z]{1,2}\d[A-Z\d]?\d[A-Z]{2}", plain) else plain[:3]
