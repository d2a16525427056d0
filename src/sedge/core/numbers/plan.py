"""What the numbering plans say, for the countries Sedge works in: data, with its sources.

Areas: the national plans (Ofcom's National Telephone Numbering Plan, BNetzA's Ortsnetzkennzahlen,
NANPA). Fiction: the ranges regulators set aside for drama and tests; they are read as valid
although the `phonenumbers` metadata rejects some of them (+44 115 496, +44 7700 900, +44 1632 960,
FR 06 39 98).
"""

from dataclasses import dataclass
from enum import StrEnum


class Kind(StrEnum):
    GEOGRAPHIC = "geographic"
    NATIONAL = "national"
    TOLL_FREE = "toll-free"
    MOBILE = "mobile"
    SHARED_COST = "shared-cost"
    PREMIUM = "premium"
    OTHER = "other"


@dataclass(frozen=True)
class Country:
    """`international` is dialled before a country code from here, `trunk` before a national
    number."""

    code: str
    name: str
    calling_code: str
    international: str
    trunk: str
    currency: str
    timezone: str
    language: str
    emergency: tuple[str, ...]
    outside_line: str = "9"


COUNTRIES = {
    c.code: c
    for c in (
        Country(
            "GB", "United Kingdom", "44", "00", "0", "GBP", "Europe/London", "en", ("999", "112")
        ),
        Country(
            "DE", "Germany", "49", "00", "0", "EUR", "Europe/Berlin", "de", ("112", "110"), "0"
        ),
        Country(
            "FR",
            "France",
            "33",
            "00",
            "0",
            "EUR",
            "Europe/Paris",
            "fr",
            ("112", "15", "17", "18"),
            "0",
        ),
        Country("US", "United States", "1", "011", "1", "USD", "America/New_York", "en", ("911",)),
        Country("CA", "Canada", "1", "011", "1", "CAD", "America/Toronto", "en", ("911",)),
        Country(
            "AU",
            "Australia",
            "61",
            "0011",
            "0",
            "AUD",
            "Australia/Sydney",
            "en",
            ("000", "112"),
            "0",
        ),
    )
}


def country_name(code: str) -> str:
    """As people say it; the code itself for a country Sedge does not know."""
    return COUNTRIES[code].name if code in COUNTRIES else code


WITH_ARTICLE = frozenset({"GB", "US", "NL", "AE"})


def the_country(code: str) -> str:
    """As in “numbers of the United Kingdom”."""
    return f"the {country_name(code)}" if code in WITH_ARTICLE else country_name(code)


LANGUAGES = {"en": "English", "de": "German", "fr": "French"}

# Area names by E.164 digits before the subscriber number. Only areas the demo and the reserved
# ranges use;
# others are looked up in the `phonenumbers` geocoder, which is imported only then.
AREAS = {
    "44113": "Leeds",
    "44114": "Sheffield",
    "44115": "Nottingham",
    "44116": "Leicester",
    "44117": "Bristol",
    "44118": "Reading",
    "44121": "Birmingham",
    "44131": "Edinburgh",
    "44141": "Glasgow",
    "44151": "Liverpool",
    "44161": "Manchester",
    "4420": "London",
    "44191": "Tyneside",
    "4428": "Northern Ireland",
    "4429": "Cardiff",
    "441632": "no area",
    "44306": "UK-wide",
    "44808": "freephone",
    "44909": "premium services",
    "447700": "mobile",
    "4930": "Berlin",
    "4940": "Hamburg",
    "4969": "Frankfurt",
    "49221": "Cologne",
    "4989": "Munich",
    "1416": "Toronto",
    "1617": "Boston",
    "1800": "toll-free",
    "331": "Paris region",
    "332": "north-west France",
    "333": "north-east France",
    "334": "south-east France",
    "335": "south-west France",
    "33639": "mobile",
}


def areas_called(text: str) -> tuple[str, ...]:
    """Country code and area digits of the areas whose name has a word beginning with each word of
    the text: 44113 for `leeds`."""
    wanted = [word for word in text.casefold().split() if len(word) >= 3]
    named = ((lead, name.casefold().split()) for lead, name in AREAS.items())
    return tuple(
        lead
        for lead, words in named
        if wanted and all(any(w.startswith(x) for w in words) for x in wanted)
    )


def is_area_code(digits: str, home: str) -> bool:
    """Whether the digits are an area code as dialled at home: 0113, or 113."""
    country = COUNTRIES.get(home)
    return (
        country is not None
        and f"{country.calling_code}{digits.removeprefix(country.trunk)}" in AREAS
    )


AREA_COUNTRY = {"1416": "CA", "1617": "US", "1800": "US"}

NORTH_AMERICA_OTHER = {
    "CA": (
        "204",
        "226",
        "236",
        "249",
        "250",
        "289",
        "306",
        "343",
        "365",
        "403",
        "416",
        "418",
        "431",
        "437",
        "438",
        "450",
        "506",
        "514",
        "519",
        "548",
        "579",
        "581",
        "587",
        "604",
        "613",
        "639",
        "647",
        "672",
        "705",
        "709",
        "778",
        "780",
        "782",
        "807",
        "819",
        "825",
        "867",
        "873",
        "902",
        "905",
    )
}


@dataclass(frozen=True)
class FictionRange:
    """Numbers `first`..`last` (E.164 digits) of one length, reserved for fiction and tests."""

    first: int
    last: int
    kind: Kind
    country: str


def _fiction(
    country: str, lead: str, subscriber: str, width: int, kind: Kind = Kind.GEOGRAPHIC
) -> FictionRange:
    """`lead` and `subscriber` are fixed digits, followed by `width` free ones."""
    fixed = COUNTRIES[country].calling_code + lead + subscriber
    return FictionRange(int(fixed + "0" * width), int(fixed + "9" * width), kind, country)


FICTION = (
    *(
        _fiction("GB", area, "4960", 3)
        for area in ("113", "114", "115", "116", "117", "118", "121", "131", "141", "151", "161")
    ),
    _fiction("GB", "20", "79460", 3),
    _fiction("GB", "191", "4980", 3),
    _fiction("GB", "28", "96496", 3),
    _fiction("GB", "29", "20180", 3),
    _fiction("GB", "808", "1570", 3, Kind.TOLL_FREE),
    _fiction("GB", "306", "9990", 3, Kind.NATIONAL),
    _fiction("GB", "909", "8790", 3, Kind.PREMIUM),
    _fiction("GB", "7700", "900", 3, Kind.MOBILE),
    _fiction("GB", "1632", "960", 3, Kind.GEOGRAPHIC),
    _fiction("DE", "30", "23125", 3),
    _fiction("DE", "40", "66969", 3),
    _fiction("DE", "69", "90009", 3),
    _fiction("DE", "221", "4710", 3),
    _fiction("DE", "89", "99998", 3),
    *(_fiction("FR", lead, "", 4) for lead in ("19900", "26191", "35301", "46571", "53649")),
    _fiction("FR", "63998", "", 4, Kind.MOBILE),
    *(_fiction("AU", area, sub, 4) for area in ("2", "3", "7", "8") for sub in ("5550", "7010")),
)


def fiction_range(digits: str) -> FictionRange | None:
    """The reserved range these E.164 digits lie in, if any. North American ones follow a rule, not
    a list."""
    if len(digits) == 11 and digits[0] == "1" and digits[4:7] == "555" and digits[7:9] == "01":
        area = digits[1:4]
        if area == "800":
            return (
                FictionRange(18005550199, 18005550199, Kind.TOLL_FREE, "US")
                if digits.endswith("0199")
                else None
            )
        if area[0] in "23456789":
            country = "CA" if area in NORTH_AMERICA_OTHER["CA"] else "US"
            return FictionRange(
                int(digits[:9] + "00"), int(digits[:9] + "99"), Kind.GEOGRAPHIC, country
            )
    number = int(digits) if digits else 0
    return next((r for r in FICTION if r.first <= number <= r.last), None)
