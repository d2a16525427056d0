"""Matching a typed civic address (RFC 5139) against the register's street segments.

*Exact*: the same address, however it is written. *Corrected*: the difference is a slip of the pen,
in a score of at least 92, at least 6 ahead of the next, with the same house number and postcode
area, and nothing that tells two streets apart is different. Anything less is *ambiguous* or
*unknown*: an ambulance is never sent to a guess.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from rapidfuzz import fuzz
from rapidfuzz.distance import OSA

from sedge.core.records import CivicElements, Verdict
from sedge.core.safety import address_spelling
from sedge.core.safety.address_spelling import (
    city_words,
    postcode_area,
    postcode_of,
    region_words,
    rest_of,
    same_street,
    street_words,
    telling,
)

ENOUGH, AHEAD, WORTH_SHOWING = 92.0, 6.0, 65.0
SLIPS = ((4, 0), (8, 1))  # letters that may be wrong in a name of up to so many
SLIPS_LONG = 2
MOST_CANDIDATES = 5
HOUSE_NUMBER = re.compile(
    r"(\d{1,5})\s*([a-z]|bis|ter|quater)?(?:\s*[-–/]\s*(\d{1,5})\s*([a-z])?)?", re.IGNORECASE
)


@dataclass(frozen=True)
class Segment:
    """A stretch of a street: house numbers `first`..`last` on one side (all, odd or even); its
    middle in WGS 84."""

    street: str
    first: int
    last: int
    side: str
    city: str
    region: str
    postcode: str
    country: str
    psap: str
    latitude: float | None = None
    longitude: float | None = None

    def has(self, house_number: str) -> bool:
        """Whether a house number, or both ends of a typed range, lie on this stretch."""
        match = HOUSE_NUMBER.fullmatch(house_number.strip())
        return bool(match) and all(self._has(int(n)) for n in (match[1], match[3]) if n)

    def _has(self, n: int) -> bool:
        return self.first <= n <= self.last and (
            self.side == "all" or (n % 2 == 1) == (self.side == "odd")
        )

    @property
    def numbers(self) -> str:
        """Which house numbers it has, in words."""
        return f"{self.first} to {self.last}" + (
            f", {self.side} ones" if self.side != "all" else ""
        )


@dataclass(frozen=True)
class Candidate:
    elements: CivicElements
    score: float
    psap: str
    point: tuple[float, float] | None = None


@dataclass(frozen=True)
class Match:
    """`differences` say what a correction would change: field → (typed, register). `why` completes
    an unknown: what the register has instead."""

    verdict: Verdict
    candidates: list[Candidate]
    differences: dict[str, tuple[str, str]] = field(default_factory=dict)
    why: str = ""


ASKED_CARRIER = "the answering point that the carrier chooses"  # nobody here knows which that is


def by_hand(typed: CivicElements) -> Match:
    """What stands for a verdict where there is no register: the address as it was typed, which
    somebody has to have checked."""
    return Match(Verdict.BY_HAND, [Candidate(typed, 0.0, ASKED_CARRIER)])


def match(typed: CivicElements, segments: Sequence[Segment]) -> Match:
    """The register's verdict on a typed address."""
    here = [s for s in segments if s.country == typed.country]
    scored = sorted(((_score(typed, s), s) for s in here), key=lambda pair: -pair[0])
    having = [(score, s) for score, s in scored if s.has(typed.house_number)]
    lacking = [(score, s) for score, s in scored if not s.has(typed.house_number)]
    candidates = _distinct(typed, [pair for pair in having if pair[0] >= WORTH_SHOWING])
    best = next(
        (c for c in candidates if _is_same(typed, c.elements)),
        candidates[0] if candidates else None,
    )
    why = _why(typed, lacking)
    if best is None or (
        why and not _is_same(typed, best.elements) and not _is_street(typed, best.elements)
    ):
        return Match(
            Verdict.UNKNOWN, [], why=why
        )  # the street is there and has no such number: another street would be a guess
    if _is_same(typed, best.elements):
        differences = _differences(typed, best.elements)
        return Match(Verdict.CORRECTED if differences else Verdict.EXACT, [best], differences)
    meant = _nearer(typed, lacking, best)
    if meant is None and _is_slip(typed, best, candidates[1:]):
        return Match(Verdict.CORRECTED, [best], _differences(typed, best.elements))
    return Match(Verdict.AMBIGUOUS, candidates, why=_lacks(meant, typed) if meant else "")


def _score(typed: CivicElements, segment: Segment) -> float:
    street = fuzz.ratio(
        " ".join(street_words(typed.street, typed.country)),
        " ".join(street_words(segment.street, typed.country)),
    )
    city = fuzz.ratio(city_words(typed.city), city_words(segment.city))
    postcode = fuzz.ratio(postcode_of(typed.postcode), postcode_of(segment.postcode))
    return 0.6 * street + 0.2 * city + 0.2 * postcode


def _distinct(typed: CivicElements, scored: Sequence[tuple[float, Segment]]) -> list[Candidate]:
    """One candidate for each address: the two sides of a street are one."""
    found: dict[tuple[str, str, str], Candidate] = {}
    for score, s in scored:
        point = (
            (s.latitude, s.longitude)
            if s.latitude is not None and s.longitude is not None
            else None
        )
        found.setdefault(
            (s.street, s.city, s.postcode),
            Candidate(_elements(typed, s), round(score, 1), s.psap, point),
        )
    return list(found.values())[:MOST_CANDIDATES]


def _is_same(typed: CivicElements, found: CivicElements) -> bool:
    """Whether street, city and postcode are the same address, however they are written."""
    return (
        same_street(typed.street, found.street, typed.country)
        and city_words(typed.city) == city_words(found.city)
        and postcode_of(typed.postcode) == postcode_of(found.postcode)
    )


def _is_street(typed: CivicElements, found: CivicElements) -> bool:
    return same_street(typed.street, found.street, typed.country) and city_words(
        typed.city
    ) == city_words(found.city)


def _is_slip(typed: CivicElements, best: Candidate, others: Sequence[Candidate]) -> bool:
    """Whether the difference is a slip of the pen, and nobody else could be meant."""
    found, country = best.elements, typed.country
    ahead = best.score - (others[0].score if others else 0.0)
    return (
        best.score >= ENOUGH
        and ahead >= AHEAD
        and telling(typed.street, country) == telling(found.street, country)
        and _near(rest_of(typed.street, country), rest_of(found.street, country))
        and _near(city_words(typed.city), city_words(found.city), least=1)
        and postcode_area(typed.postcode, country) == postcode_area(found.postcode, country)
        and _is_postcode_slip(postcode_of(typed.postcode), postcode_of(found.postcode))
        and (
            not typed.region
            or region_words(typed.region, country) == region_words(found.region, country)
        )
    )


def _is_postcode_slip(one: str, other: str) -> bool:
    return len(one) == len(other) and _letters_off(one, other) <= 1


def _near(one: str, other: str, *, least: int = 0) -> bool:
    """Whether so few letters differ that it is a slip; `least` may differ even in a short name."""
    length = min(len(one), len(other))
    return _letters_off(one, other) <= max(
        least, next((slips for upto, slips in SLIPS if length <= upto), SLIPS_LONG)
    )


def _letters_off(one: str, other: str) -> int:
    return OSA.distance(one, other)


def _nearer(
    typed: CivicElements, lacking: Sequence[tuple[float, Segment]], best: Candidate
) -> Segment | None:
    """Another street that reads at least as much like the typed one, but has no such house number:
    it may be the one that is meant."""
    others = (
        pair
        for pair in lacking
        if not same_street(pair[1].street, best.elements.street, typed.country)
    )
    return next((s for score, s in others if score >= best.score), None)


def _why(typed: CivicElements, lacking: Sequence[tuple[float, Segment]]) -> str:
    same = [
        s
        for _, s in lacking
        if same_street(typed.street, s.street, typed.country)
        and city_words(typed.city) == city_words(s.city)
    ]
    return _lacks(same[0], typed, same) if same else ""


def _lacks(segment: Segment, typed: CivicElements, others: Sequence[Segment] = ()) -> str:
    ranges = " and ".join(
        dict.fromkeys(s.numbers for s in others or (segment,) if s.street == segment.street)
    )
    return f"{segment.street} has no number {typed.house_number.strip()[:20]}; it has {ranges}."


def _elements(typed: CivicElements, segment: Segment) -> CivicElements:
    return typed.copy_with(
        region=segment.region,
        city=segment.city,
        street=segment.street,
        house_number=typed.house_number.strip(),
        postcode=segment.postcode,
    )


def _differences(typed: CivicElements, found: CivicElements) -> dict[str, tuple[str, str]]:
    """What is different once the ways of writing are taken out; an empty region is filled in
    without a word."""
    country = typed.country
    same = {
        "street": same_street(typed.street, found.street, country),
        "city": city_words(typed.city) == city_words(found.city),
        "region": (
            not typed.region.strip()
            or region_words(typed.region, country) == region_words(found.region, country)
        ),
        "postcode": postcode_of(typed.postcode) == postcode_of(found.postcode),
    }
    return {
        name: (getattr(typed, name), getattr(found, name))
        for name, alike in same.items()
        if not alike
    }


def what_is_wrong(typed: CivicElements) -> tuple[str, str] | None:
    """What no register could match: the field and a sentence; None where it can be asked."""
    for name in ("street", "city"):
        if address_spelling.is_post_box(getattr(typed, name)):
            return (
                name,
                (
                    "A post box is no place where responders can find anybody. Type the"
                    " street and house"
                    " number."
                ),
            )
    if re.fullmatch(r"\s*-?\d{1,3}[.,]\d{2,}\s*[,; ]\s*-?\d{1,3}[.,]\d{2,}\s*", typed.street):
        return (
            "street",
            (
                "Coordinates alone are not enough for an ambulance crew. Type the street and house"
                " number."
            ),
        )
    for name in ("street", "city"):
        if not any(ch.isalpha() for ch in address_spelling.bare(getattr(typed, name))):
            return (
                name,
                f"There are no letters in the {name}. Type its name as it stands on the sign.",
            )
    if not HOUSE_NUMBER.fullmatch(typed.house_number.strip()):
        return "house_number", "Type the house number alone, such as 12, 12a or 12-14."
    return None
