"""Reading telephone numbers as people type them, and saying what a number is.

`read` never passes a guess off as certain: it returns every reading that is a number in service,
most likely first, or one named problem. The ranges reserved for fiction count as in service.
"""

import re
import unicodedata
from collections.abc import Iterator
from contextvars import ContextVar
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import NamedTuple

import phonenumbers
from phonenumbers import NumberParseException, PhoneNumberFormat, PhoneNumberType, ValidationResult

from sedge.core.errors import NotOneNumber
from sedge.core.numbers.plan import AREA_COUNTRY, AREAS, COUNTRIES, Kind, fiction_range

MOST_DIGITS = 15  # ITU-T E.164 §6.1
LONGEST_TEXT = 200

_KINDS = {
    PhoneNumberType.FIXED_LINE: Kind.GEOGRAPHIC,
    PhoneNumberType.FIXED_LINE_OR_MOBILE: Kind.GEOGRAPHIC,
    PhoneNumberType.MOBILE: Kind.MOBILE,
    PhoneNumberType.TOLL_FREE: Kind.TOLL_FREE,
    PhoneNumberType.PREMIUM_RATE: Kind.PREMIUM,
    PhoneNumberType.SHARED_COST: Kind.SHARED_COST,
    PhoneNumberType.UAN: Kind.NATIONAL,
    PhoneNumberType.VOIP: Kind.NATIONAL,
}
_KEYPAD = str.maketrans("ABCDEFGHIJKLMNOPQRSTUVWXYZ", "22233344455566677778889999")  # ITU-T E.161
_EXTENSION = re.compile(
    r"(?:;\s*ext=|\bext(?:ension)?\.?\s*|(?<=\d)\s*x\s*|\s+#)(\d{1,7})\s*$", re.IGNORECASE
)
_LONE_LETTER = re.compile(r"(?<![A-Za-z])(?:([Oo])|[Il])(?![A-Za-z])")
_RANGE = re.compile(r"\d\s*(?:-|–|to|\.\.)\s*\+?\d{2,}\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class NumberFacts:
    """What the plan says of one number. `parts` are calling code, area digits ('' where none),
    subscriber digits."""

    e164: str
    country: str
    area: str
    kind: Kind
    national: str
    international: str
    parts: tuple[str, str, str]

    @property
    def shown(self) -> str:
        """As its reader has to see it: nationally at home, with plus and country code (ITU-T E.123)
        where it could be misread."""
        home = _reader.get()
        return self.national if home in {"", self.country} else self.international


_reader: ContextVar[str] = ContextVar("the reader's country", default="")


def read_by(country: str) -> None:
    """Whoever reads what is written from now on, in this thread or task, is at home in `country`
    (ISO 3166): the ambient half of a locale.

    Every desk says so when it begins to read or write, so that sentences of the core, pages, mails
    and files agree.
    """
    _reader.set(country)


class Candidate(NamedTuple):
    """One reading of a text: a number in service and the extension typed with it."""

    e164: str
    extension: str | None = None

    @property
    def facts(self) -> NumberFacts:
        return describe(self.e164)


@dataclass(frozen=True)
class Problem:
    """`code` is one of empty, not-a-number, too-short, too-long, no-such-area, not-in-service,
    a-range."""

    code: str
    sentence: str


class Reading(NamedTuple):
    """What `read` makes of a text: candidates, most likely first, or the problem."""

    text: str
    candidates: tuple[Candidate, ...]
    problem: Problem | None


def read(text: str, home: str, also: tuple[str, ...] = ()) -> Reading:
    """Every way `text` can be a number in service, most likely first.

    `home` is the country (ISO 3166) whose dialling habits the writer has; `also` are further
    countries the organisation has sites in, tried after it. Accepts E.123 and RFC 3966 forms,
    Unicode digits, E.161 letters.
    """
    known = _verdicts.get((text[:-2], len(text)))
    if _CANONICAL(text) and (known or (known is None and is_in_service(text))):
        return Reading(text, (Candidate(text),), None)
    if len(text) > LONGEST_TEXT:
        return Reading(
            text[:40] + "…",
            (),
            Problem("too-long", "This is too long to be one number; paste lists into the finder."),
        )
    plain, extension = _plain(text)
    digits = re.sub(r"\D", "", plain)
    if not digits:
        code = "empty" if not plain.strip() else "not-a-number"
        return Reading(
            text, (), Problem(code, "Type a number, such as 0113 496 0142 or +44 113 496 0142.")
        )
    found: dict[str, Candidate] = {}
    for e164 in _spellings(plain, digits, home, also):
        if e164 not in found and is_in_service(e164):
            found[e164] = Candidate(e164, extension)
    if found:
        return Reading(text, tuple(found.values()), None)
    return Reading(text, (), _problem(plain, digits, home))


def read_one(text: str, home: str, *, field: str = "number", also: tuple[str, ...] = ()) -> str:
    """The one most likely E.164 number in `text`. Raises NotOneNumber with the named problem."""
    reading = read(text, home, also)
    if reading.problem:
        raise NotOneNumber(
            reading.problem.sentence, field=field, reason=reading.problem.code, text=reading.text
        )
    return reading.candidates[0].e164


def ending(first: str, last: str) -> str:
    """What a range's last number adds to its first, both written alike, in whole groups: 0149 for
    0113 496 0100 and 0113 496 0149."""
    shared = [
        a == b
        for a, b in zip(re.split(r"(?<=[ -])", first), re.split(r"(?<=[ -])", last), strict=False)
    ]
    same = shared.index(False) if False in shared else len(shared)
    return "".join(re.split(r"(?<=[ -])", last)[same:])


_CANONICAL = re.compile(r"\+[1-9][0-9]{6,14}").fullmatch
_verdicts: dict[tuple[str, int], bool | None] = {}
MOST_VERDICTS = 200_000


def is_canonical(text: str) -> bool:
    """Whether a text is written as E.164 already: plus and 7 to 15 ASCII digits."""
    return _CANONICAL(text) is not None


def is_in_service(e164: str) -> bool:
    """Whether the plan knows these digits as a possible subscriber, the reserved ranges included.

    Plans are cut by prefixes, so the answer for an aligned hundred is remembered once its ends
    agree with what was asked; where they differ, each number is looked up. At most 200,000 hundreds
    are remembered.
    """
    hundred = e164[:-2], len(e164)
    known = _verdicts.get(hundred)
    if known is not None:
        return known
    found = _in_service(e164)
    if hundred not in _verdicts:
        if len(_verdicts) >= MOST_VERDICTS:
            _verdicts.clear()
        alike = all(_in_service(e164[:-2] + end) is found for end in ("00", "50", "99"))
        _verdicts[hundred] = found if alike else None
    return found


@lru_cache(maxsize=4096)
def _in_service(e164: str) -> bool:
    if fiction_range(e164[1:]):
        return True
    try:
        parsed = phonenumbers.parse(e164)
    except NumberParseException:
        return False
    return (
        phonenumbers.is_valid_number(parsed)
        and phonenumbers.format_number(parsed, PhoneNumberFormat.E164) == e164
    )


@lru_cache(maxsize=65_536)
def describe(e164: str) -> NumberFacts:
    """Country, area, kind and the written forms (ITU-T E.123) of a number in service.

    Plans don't tell numbers of one aligned hundred apart, so each hundred is described once and its
    last two digits put in.
    """
    like, end = _described(e164[:-2] + "00"), e164[-2:]
    if not (
        like.national.endswith("00")
        and like.international.endswith("00")
        and like.parts[2].endswith("00")
    ):
        return _described(e164)
    code, area, subscriber = like.parts
    return replace(
        like,
        e164=e164,
        national=like.national[:-2] + end,
        international=like.international[:-2] + end,
        parts=(code, area, subscriber[:-2] + end),
    )


def facts_of(e164: str) -> NumberFacts | None:
    """As `describe`; None for digits that belong to no country, as records of calls have them."""
    try:
        return describe(e164)
    except NumberParseException:
        return None


@lru_cache(maxsize=65_536)
def _described(e164: str) -> NumberFacts:
    digits = e164[1:]
    parsed = phonenumbers.parse(e164)
    fiction = fiction_range(digits)
    lead = next((digits[:n] for n in range(7, 2, -1) if digits[:n] in AREAS), "")
    code = str(parsed.country_code)
    country = (
        AREA_COUNTRY.get(lead)
        or (fiction.country if fiction else phonenumbers.region_code_for_number(parsed))
        or ""
    )
    kind = fiction.kind if fiction else _KINDS.get(phonenumbers.number_type(parsed), Kind.OTHER)
    area_digits = lead[len(code) :] or _area_digits(parsed)
    return NumberFacts(
        e164=e164,
        country=country,
        area=AREAS[lead] if lead else _geocoded(parsed),
        kind=kind,
        national=_national(parsed, digits, code, area_digits),
        international=phonenumbers.format_number(parsed, PhoneNumberFormat.INTERNATIONAL),
        parts=(code, area_digits, digits[len(code) + len(area_digits) :]),
    )


def in_national(text: str) -> str:
    """What somebody outside wrote, with E.164 numbers in it as people read them."""

    def shown(found: re.Match[str]) -> str:
        known = facts_of(found[0])
        return known.shown if known else found[0]

    return re.sub(r"\+[1-9]\d{6,14}", shown, text)


def block_of(e164: str, size: int = 100) -> str:
    """The aligned block's fixed digits with x for the free ones: `+44113496 01xx` without the
    space."""
    free = len(str(size)) - 1
    return e164[:-free] + "x" * free


def _plain(text: str) -> tuple[str, str | None]:
    """ASCII digits, plus and separators; letters as keypad digits where they stand inside a number;
    the extension apart."""
    text = unicodedata.normalize("NFKC", text)
    text = "".join(
        str(unicodedata.digit(ch)) if unicodedata.digit(ch, None) is not None else ch for ch in text
    )
    text = re.sub(r"^\s*(tel|sip|sips|callto):", "", text, flags=re.IGNORECASE)
    extension = None
    if match := _EXTENSION.search(text):
        extension, text = match.group(1), text[: match.start()]
    text = re.sub(r";.*$", "", text)
    text = re.sub(r"(\+\s*\d{1,3}\s*)\(\s*0\s*\)", r"\1", text)
    if (
        re.search(r"[A-Za-z]", text)
        and re.match(r"^[\s(+]*\d{1,}", text)
        and not _RANGE.search(text)
    ):
        text = _LONE_LETTER.sub(
            lambda found: "0" if found[1] else "1", text
        )  # a letter alone among digits is a slip for the digit
        text = text.upper().translate(_KEYPAD)
    return text, extension


def _spellings(plain: str, digits: str, home: str, also: tuple[str, ...]) -> Iterator[str]:
    """E.164 strings the typed digits may stand for, most likely first. None is checked yet."""
    if plain.lstrip().startswith("+"):
        yield from _sized("+" + digits)
        yield from _without_trunk(digits)
        return
    countries = [home, *(c for c in also if c != home and c in COUNTRIES)]
    for code in countries:
        country = COUNTRIES.get(code)
        if country and digits.startswith(country.international):
            yield from _sized("+" + digits[len(country.international) :])
    if digits.startswith("00"):
        yield from _sized("+" + digits[2:])
    if digits.startswith("011") and home not in {"US", "CA"}:
        yield from _sized("+" + digits[3:])
    at_home = list(_national_spellings(digits, home))
    with_code = (
        ["+" + digits] if any(digits.startswith(c.calling_code) for c in COUNTRIES.values()) else []
    )
    abroad = [
        s
        for code in countries[1:]
        if digits.startswith(COUNTRIES[code].trunk)
        for s in _national_spellings(digits, code)
    ]
    first, second = (with_code, at_home) if plain.startswith(" ") else (at_home, with_code)
    for spelling in (*first, *second, *abroad):
        yield from _sized(spelling)
    yield from _without_trunk(digits)


def _national_spellings(digits: str, code: str) -> Iterator[str]:
    country = COUNTRIES.get(code)
    if country is None:
        return
    if country.trunk and digits.startswith(country.trunk):
        yield f"+{country.calling_code}{digits[len(country.trunk) :]}"
    if country.trunk != "0" or not digits.startswith("0"):
        yield f"+{country.calling_code}{digits}"  # people leave the trunk prefix out, too


def _without_trunk(digits: str) -> Iterator[str]:
    """`+44 0113…`: people leave the trunk prefix in."""
    for country in COUNTRIES.values():
        if country.trunk == "0" and digits.startswith(country.calling_code + "0"):
            yield from _sized(f"+{country.calling_code}{digits[len(country.calling_code) + 1 :]}")


def _sized(e164: str) -> Iterator[str]:
    if 7 <= len(e164) - 1 <= MOST_DIGITS and e164[1] != "0":
        yield e164


def _problem(plain: str, digits: str, home: str) -> Problem:
    if _RANGE.search(plain) and len(digits) > 10:
        return Problem(
            "a-range", "This is a range; one number is wanted here. Type its first number alone."
        )
    if len(digits) > MOST_DIGITS + 3:
        return Problem(
            "too-long",
            f"{len(digits)} digits are too many; a number has at most {MOST_DIGITS} with its"
            " country code.",
        )
    region = None if plain.lstrip().startswith("+") else home
    try:
        parsed = phonenumbers.parse(plain.strip(), region)
    except NumberParseException as error:
        if error.error_type == NumberParseException.INVALID_COUNTRY_CODE:
            return Problem(
                "no-such-area", "No country has this code. Check the digits after the plus."
            )
        return Problem(
            "too-short",
            "Too few digits for a number. Add the area code, or search for the fragment in the"
            " finder.",
        )
    country = COUNTRIES.get(
        phonenumbers.region_code_for_country_code(parsed.country_code or 0) or home
    )
    name = country.name if country else "that country"
    if (
        country
        and (length := _usual_length(country.code))
        and len(phonenumbers.national_significant_number(parsed)) < length
    ):
        return Problem(
            "too-short",
            f"Too few digits for a number in {name}. Add the area code, or check the last digits.",
        )
    match phonenumbers.is_possible_number_with_reason(parsed):
        case ValidationResult.TOO_SHORT | ValidationResult.IS_POSSIBLE_LOCAL_ONLY:
            return Problem(
                "too-short",
                f"Too few digits for a number in {name}. Add the area code, or check the last"
                " digits.",
            )
        case ValidationResult.TOO_LONG:
            return Problem(
                "too-long",
                f"Too many digits for a number in {name}. If it is a range or two numbers, type"
                " one.",
            )
        case ValidationResult.IS_POSSIBLE:
            return Problem(
                "not-in-service",
                f"{name[0].upper()}{name[1:]}'s numbering plan has no such number in service. Check"
                " the area code.",
            )
        case _:
            return Problem(
                "no-such-area",
                f"{name[0].upper()}{name[1:]} has no numbers of this length and area. Check the"
                " digits.",
            )


@lru_cache
def _usual_length(country: str) -> int:
    """The digits a fixed-line number of a country has at least; 0 where they vary, as in
    Germany."""
    example = phonenumbers.PhoneMetadata.metadata_for_region(country)
    lengths = set(example.fixed_line.possible_length) if example and example.fixed_line else set()
    usual = {n for n in lengths if n > 6}
    return min(usual) if usual and max(usual) - min(usual) <= 1 else 0


def _area_digits(parsed: phonenumbers.PhoneNumber) -> str:
    length = phonenumbers.length_of_geographical_area_code(
        parsed
    ) or phonenumbers.length_of_national_destination_code(parsed)
    return phonenumbers.national_significant_number(parsed)[:length]


def _national(parsed: phonenumbers.PhoneNumber, digits: str, code: str, area: str) -> str:
    if code == "49" and area:  # the metadata joins short German subscriber numbers to their area
        return f"0{area} {digits[len(code) + len(area) :]}"
    return phonenumbers.format_number(parsed, PhoneNumberFormat.NATIONAL)


def _geocoded(parsed: phonenumbers.PhoneNumber) -> str:
    from phonenumbers import geocoder  # costs over a second to import

    return geocoder.description_for_number(parsed, "en") or ""
