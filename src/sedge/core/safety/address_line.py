"""An address typed in one line, read into its parts, and the register's addresses that it may mean.
These are suggestions for somebody to choose from; whether help can be sent there is judged
afterwards, by `addresses.match`."""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from rapidfuzz import fuzz

from sedge.core.records import CivicElements
from sedge.core.safety.address_spelling import bare, city_words, postcode_of
from sedge.core.safety.addresses import HOUSE_NUMBER, Segment

POSTCODES = {
    "GB": r"[A-Z]{1,2}\d[A-Z\d]?\s?\d[A-Z]{2}",
    "CA": r"[A-Z]\d[A-Z]\s?\d[A-Z]\d",
    "US": r"\d{5}(?:-\d{4})?",
    "AU": r"\d{4}",
}
FIVE_DIGITS = r"\d{5}"
REGIONS = {"US": r"[A-Z]{2}", "CA": r"[A-Z]{2}", "AU": r"[A-Z]{2,3}"}
LONGEST_LINE, MOST_READINGS, MOST_SUGGESTED = 200, 4, 5
# `Speicherufer 8 Berlin`: where the number stands behind the street, a town may follow it at once
TOWN_BEHIND_NUMBER = re.compile(
    rf"^([^\d,]+?\s{HOUSE_NUMBER.pattern})\s+(?=[^\W\d]{{3}})", re.IGNORECASE
)
# what is within a house: `Flat 3`, `Apt. 4B`, `Whg. 12`, `#7`, `2nd floor`, `3. OG`
_WITHIN = (
    r"flat|apartment|apt|unit|suite|ste|studio|room|rm|level|floor|fl|shop|wohnung|whg|zimmer|etage"
    r"|appartement|appt|app|bâtiment|bât|escalier|étage|porte"
)
UNIT = (
    rf"(?:(?:(?:{_WITHIN})\b\.?\s*(?:no\.?\s*)?|\#\s*)(?:\d{{1,4}}[A-Z]?|[A-Z]\d{{0,3}})"
    r"|\d{1,2}(?:st|nd|rd|th|er|e|ème|\.)?\s+(?:floor|etage|og|stock|étage)"
    r"|(?:ground|top|basement)\s+floor|(?:rez-de-chaussée|erdgeschoss))(?!\w)"
)
UNIT_ALONE = re.compile(UNIT, re.IGNORECASE)
UNIT_BEFORE = re.compile(rf"(?:^|(?<=,))\s*({UNIT})\s+(?=\d)", re.IGNORECASE)
UNIT_BEHIND = re.compile(rf"(?<=[^\W\d])\s+({UNIT})\s*(?=,|$)", re.IGNORECASE)
ALIKE = 62.0  # of 100: a street that is begun, or written with a slip
ELSEWHERE, FAR_BEHIND = 12.0, 25.0


@dataclass(frozen=True)
class AddressParts:
    """What of an address was typed, as it was typed."""

    house_number: str = ""
    street: str = ""
    city: str = ""
    postcode: str = ""
    region: str = ""
    building: str = ""

    @property
    def is_whole(self) -> bool:
        return bool(self.house_number and self.street and self.city and self.postcode)


def read_line(line: str, country: str) -> list[AddressParts]:
    """How a line can be read, the likeliest first: `12 Lanternfield Wharf, Leeds LS1 4ZZ`, or
    `Speicherufer 8, 10999 Berlin`; without commas where a town may begin is left open. A flat, a
    floor or a suite is part of the building, wherever it is typed."""
    text = re.sub(r"\s*[\r\n]+\s*", ", ", line[:LONGEST_LINE].strip())
    postcode, text = _taken(POSTCODES.get(country, FIVE_DIGITS), text)
    region = ""
    if country in REGIONS:
        region, text = _taken(rf"(?<=[\s,])(?:{REGIONS[country]})\s*,?\s*$", text)
    text = UNIT_BEHIND.sub(r", \1", UNIT_BEFORE.sub(r"\1, ", text))
    text = TOWN_BEHIND_NUMBER.sub(r"\1, ", text)
    typed = [p for part in text.split(",") if (p := " ".join(part.split()))]
    units = [part for part in typed if UNIT_ALONE.fullmatch(part)]
    parts = [part for part in typed if part not in units]
    if len(parts) > 2 and HOUSE_NUMBER.fullmatch(parts[0]):
        parts[:2] = [f"{parts[0]} {parts[1]}"]
    at = next((i for i, part in enumerate(parts) if _numbered(part)), None)
    if at is None:
        return []
    number, street = _numbered(parts[at]) or ("", "")
    known = AddressParts(
        house_number=number,
        street=street,
        city=parts[at + 1] if at + 1 < len(parts) else "",
        postcode=postcode,
        region=region or (parts[at + 2] if at + 2 < len(parts) else ""),
        building=", ".join([*units, *parts[:at]]),
    )
    return [known] if known.city else list(_split(known))[:MOST_READINGS]


def _taken(pattern: str, text: str) -> tuple[str, str]:
    """The last thing in a text that fits, in capitals, and the text without it."""
    found = list(re.finditer(rf"\b{pattern}(?![\w])", text, re.IGNORECASE))
    if not found:
        return "", text
    at = found[-1]
    if HOUSE_NUMBER.fullmatch(at[0]) and at.start() == 0:
        return "", text  # the house number, which may look like a postcode
    return at[0].strip(" ,").upper(), f"{text[: at.start()]}, {text[at.end() :]}"


def _numbered(part: str) -> tuple[str, str] | None:
    """House number and street, whichever comes first."""
    number = HOUSE_NUMBER.pattern
    if found := re.fullmatch(rf"(?P<number>{number}),?\s+(?P<street>.*\D.*)", part, re.IGNORECASE):
        return found["number"].strip(), found["street"].strip()
    if found := re.fullmatch(rf"(?P<street>\D.*?)\s+(?P<number>{number})", part, re.IGNORECASE):
        return found["number"].strip(), found["street"].strip()
    return None


def _split(known: AddressParts) -> Iterator[AddressParts]:
    """A street and a town without a comma between: the town may be the last word, or more."""
    words = known.street.split()
    yield known
    for count in range(1, len(words)):
        street, city = " ".join(words[:-count]), " ".join(words[-count:])
        yield replace(known, street=street, city=city)


@dataclass(frozen=True)
class Suggestion:
    """An address of the register, and how much what was typed is like it: 100 is all of it."""

    likeness: float
    address: CivicElements


def suggest(parts: AddressParts, segments: Sequence[Segment], country: str) -> Iterator[Suggestion]:
    """The register's addresses with that house number that the street may mean."""
    for s in segments:
        likeness = _likeness(parts, s)
        if s.country == country and likeness >= ALIKE and s.has(parts.house_number):
            meant = CivicElements(
                country=country,
                region=s.region,
                city=s.city,
                street=s.street,
                house_number=parts.house_number,
                postcode=s.postcode,
                building=parts.building,
            )
            yield Suggestion(likeness, meant)


def likeliest(found: Iterable[Suggestion]) -> list[CivicElements]:
    """Each address once, the likeliest first, without those that are far behind it."""
    best: dict[str, Suggestion] = {}
    for one in sorted(found, key=lambda s: (-s.likeness, s.address.one_line)):
        best.setdefault(one.address.one_line, one)
    ranked = list(best.values())[:MOST_SUGGESTED]
    return [one.address for one in ranked if one.likeness > ranked[0].likeness - FAR_BEHIND]


def _likeness(parts: AddressParts, segment: Segment) -> float:
    """How a street that is typed or begun fits, with its town and postcode where they are typed."""
    typed, street = bare(parts.street), bare(segment.street)
    score = max(fuzz.ratio(typed, street), fuzz.ratio(typed, street[: len(typed)]))
    if parts.city and not city_words(segment.city).startswith(city_words(parts.city)):
        score -= ELSEWHERE
    if parts.postcode and postcode_of(parts.postcode) != postcode_of(segment.postcode):
        score -= ELSEWHERE
    return score
