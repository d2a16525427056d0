"""How addresses are written: what is the same in two writings of one name, and what tells two names
apart.

Case, marks, spaces and usual abbreviations never matter. Kinds of street, directions and numerals
always do: *Towpath Row* and *Towpath Road* are two streets, however alike they look.
"""

import re
import unicodedata
from functools import lru_cache

ENGLISH = {
    "rd": "road",
    "ln": "lane",
    "ave": "avenue",
    "av": "avenue",
    "sq": "square",
    "pl": "place",
    "ct": "court",
    "crt": "court",
    "pde": "parade",
    "dr": "drive",
    "blvd": "boulevard",
    "boul": "boulevard",
    "cres": "crescent",
    "cr": "crescent",
    "ter": "terrace",
    "tce": "terrace",
    "cl": "close",
    "gdns": "gardens",
    "gr": "grove",
    "gro": "grove",
    "hl": "hill",
    "pk": "park",
    "pkwy": "parkway",
    "hwy": "highway",
    "whf": "wharf",
    "yd": "yard",
    "qy": "quay",
    "mt": "mount",
    "n": "north",
    "s": "south",
    "e": "east",
    "w": "west",
    "ne": "northeast",
    "nw": "northwest",
    "se": "southeast",
    "sw": "southwest",
}
GERMAN = {"str": "strasse", "pl": "platz", "al": "allee", "st": "sankt", "g": "gasse"}
FRENCH = {
    "av": "avenue",
    "ave": "avenue",
    "bd": "boulevard",
    "bld": "boulevard",
    "blvd": "boulevard",
    "boul": "boulevard",
    "r": "rue",
    "pl": "place",
    "all": "allee",
    "imp": "impasse",
    "ch": "chemin",
    "che": "chemin",
    "crs": "cours",
    "pass": "passage",
    "q": "quai",
    "st": "saint",
    "ste": "sainte",
    "fg": "faubourg",
    "fbg": "faubourg",
}
WORDS = {"DE": GERMAN, "FR": FRENCH}
GERMAN_END = re.compile(r"(?<=[a-z])str$")
TELLING = {
    *ENGLISH.values(),
    *FRENCH.values(),
    "street",
    "row",
    "quay",
    "place",
    "circle",
    "walk",
    "way",
    "mews",
    "green",
    "upper",
    "lower",
    "old",
    "new",
    "great",
    "little",
    "saint",
    "sainte",
    "sankt",
    "inner",
    "outer",
    "strasse",
    "weg",
    "gasse",
    "platz",
    "ufer",
    "ring",
    "damm",
    "steig",
    "hof",
    "allee",
    "neue",
    "alte",
    "obere",
    "untere",
    "northern",
    "southern",
    "eastern",
    "western",
    "bis",
    "ter",
    "quater",
    "rue",
    "du",
    "des",
    "de",
}
SAINTS = {"saint", "sainte", "sankt"}
GERMAN_KINDS = (
    "strasse",
    "gasse",
    "platz",
    "allee",
    "damm",
    "steig",
    "ufer",
    "ring",
    "weg",
    "hof",
    "treppe",
)
REGIONS = {
    "US": {"ma": "massachusetts", "ny": "new york"},
    "CA": {"on": "ontario", "qc": "quebec", "pq": "quebec"},
    "AU": {"nsw": "new south wales", "vic": "victoria"},
}
POST_BOX = re.compile(
    r"\b(p\W*o\W*box|post\s*office\s*box|postfach|post\s*box|boite\s+postale"
    r"|bp\s*\d+|locked\s+bag|gpo\s+box)\b",
    re.IGNORECASE,
)


def bare(text: str) -> str:
    """Small letters and digits without marks, one blank between words; apostrophes vanish."""
    plain = unicodedata.normalize("NFKD", text.casefold().replace("ß", "ss"))
    plain = "".join(ch for ch in plain if not unicodedata.combining(ch) and ch not in "'’‘`´")
    return " ".join(re.findall(r"[a-z0-9]+", plain))


@lru_cache(maxsize=20_000)
def street_words(text: str, country: str) -> tuple[str, ...]:
    """The words of a street's name, abbreviations written out as the country writes them."""
    words = bare(text).split()
    known = WORDS.get(country, ENGLISH)
    written = [
        GERMAN_END.sub("strasse", w) if country == "DE" else w
        for w in (known.get(w, w) for w in words)
    ]
    if country not in WORDS:
        written = [
            "saint" if w == "st" and i < len(written) - 1 else "street" if w in {"st", "str"} else w
            for i, w in enumerate(written)
        ]
    return tuple(_german_kind_apart(written) if country == "DE" else written)


def _german_kind_apart(words: list[str]) -> list[str]:
    """*Mühlenstraße*, *Mühlen-Straße* and *Mühlen Straße* are one: the kind of street stands as a
    word of its own."""
    if not words:
        return words
    last = words[-1]
    kind = next((k for k in GERMAN_KINDS if last.endswith(k) and last != k), None)
    return [*words[:-1], last[: -len(kind)], kind] if kind else words


def same_street(one: str, other: str, country: str) -> bool:
    return "".join(street_words(one, country)) == "".join(street_words(other, country))


def telling(text: str, country: str) -> tuple[str, ...]:
    """What must not differ between two writings of one street: its kind, directions, numerals, and
    whose name a saint's street has."""
    words = street_words(text, country)
    return tuple(w for i, w in enumerate(words) if _tells(w) or (i > 0 and words[i - 1] in SAINTS))


def _tells(word: str) -> bool:
    return word in TELLING or any(ch.isdigit() for ch in word)


def rest_of(text: str, country: str) -> str:
    words = street_words(text, country)
    return "".join(
        w for i, w in enumerate(words) if not _tells(w) and not (i > 0 and words[i - 1] in SAINTS)
    )


def city_words(text: str) -> str:
    """A city's name squeezed; *St* and *Saint* are one."""
    return "".join("saint" if w in {"st", "sankt"} else w for w in bare(text).split())


def region_words(text: str, country: str) -> str:
    plain = bare(text)
    return REGIONS.get(country, {}).get(plain, plain).replace(" ", "")


def postcode_of(text: str) -> str:
    return re.sub(r"[^A-Z0-9]", "", unicodedata.normalize("NFKC", text).upper())


def postcode_area(text: str, country: str) -> str:
    """The part of a postcode that stands for a district: the outward code (GB), the first three
    characters elsewhere."""
    plain = postcode_of(text)
    if country == "GB":
        return plain[:-3] if re.fullmatch(r"[A-Z]{1,2}\d[A-Z\d]?\d[A-Z]{2}", plain) else plain
    return plain[:3]


def is_post_box(text: str) -> bool:
    plain = unicodedata.normalize("NFKD", text)
    return bool(POST_BOX.search("".join(ch for ch in plain if not unicodedata.combining(ch))))
