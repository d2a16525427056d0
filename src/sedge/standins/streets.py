"""The made-up streets of the address register: some 3,000 stretches in the cities of the demo,
always the same ones."""

import random
from collections.abc import Iterator
from dataclasses import asdict, dataclass


@dataclass(frozen=True, slots=True)
class Stretch:
    """House numbers `first`..`last` of one side of a street (`side`: all, odd or even), which
    answering point serves it, and where its middle lies (WGS 84)."""

    street: str
    first: int
    last: int
    side: str
    city: str
    region: str
    postcode: str
    country: str
    psap: str
    latitude: float
    longitude: float

    def plain(self) -> dict[str, object]:
        return asdict(self)


@dataclass(frozen=True)
class City:
    name: str
    region: str
    country: str
    postcodes: str
    psap: str
    latitude: float
    longitude: float


CITIES = (
    City(
        "Leeds", "West Yorkshire", "GB", "LS{a} {b}ZZ", "Leeds operator assistance", 53.797, -1.548
    ),
    City(
        "Liverpool",
        "Merseyside",
        "GB",
        "L{a} {b}ZZ",
        "Liverpool operator assistance",
        53.405,
        -2.991,
    ),
    City(
        "Edinburgh",
        "City of Edinburgh",
        "GB",
        "EH{a} {b}ZZ",
        "Edinburgh operator assistance",
        55.953,
        -3.188,
    ),
    City("Cardiff", "Cardiff", "GB", "CF{a} {b}ZZ", "Cardiff operator assistance", 51.481, -3.179),
    City("Bristol", "Bristol", "GB", "BS{a} {b}ZZ", "Bristol operator assistance", 51.454, -2.588),
    City(
        "London",
        "Greater London",
        "GB",
        "SE{a} {b}ZZ",
        "London operator assistance",
        51.501,
        -0.091,
    ),
    City("Berlin", "Berlin", "DE", "10{a:01d}{c:02d}", "Leitstelle Berlin", 52.520, 13.405),
    City("Hamburg", "Hamburg", "DE", "20{a:01d}{c:02d}", "Leitstelle Hamburg", 53.551, 9.994),
    City("München", "Bayern", "DE", "80{a:01d}{c:02d}", "Leitstelle München", 48.137, 11.575),
    City("Paris", "Île-de-France", "FR", "750{c:02d}", "CODIS Paris", 48.857, 2.352),
    City("Lyon", "Auvergne-Rhône-Alpes", "FR", "690{c:02d}", "CODIS Lyon", 45.764, 4.836),
    City("Toronto", "Ontario", "CA", "M5{L} {a}Z{b}", "Toronto answering point", 43.653, -79.383),
    City("Montréal", "Québec", "CA", "H2{L} {a}Z{b}", "Montréal answering point", 45.502, -73.567),
    City("Boston", "Massachusetts", "US", "021{c:02d}", "Boston answering point", 42.360, -71.058),
    City("New York", "New York", "US", "100{c:02d}", "New York answering point", 40.713, -74.006),
    City(
        "Sydney", "New South Wales", "AU", "20{c:02d}", "Sydney answering point", -33.869, 151.209
    ),
    City("Melbourne", "Victoria", "AU", "30{c:02d}", "Melbourne answering point", -37.814, 144.963),
)
ENGLISH = (
    "Reed",
    "Heron",
    "Bulrush",
    "Kingfisher",
    "Marl",
    "Osier",
    "Tannery",
    "Ropewalk",
    "Saltmarsh",
    "Millrace",
    "Weir",
    "Lock",
    "Dyer",
    "Cooper",
    "Chandler",
    "Lantern",
    "Quarry",
    "Orchard",
    "Curlew",
    "Alder",
    "Teasel",
    "Kiln",
    "Foundry",
    "Granary",
    "Harrow",
    "Beacon",
    "Larkspur",
    "Moorhen",
    "Pinfold",
    "Tollbar",
)
SORTS = {
    "GB": ("Street", "Road", "Lane", "Avenue", "Square", "Place", "Court", "Quay", "Row", "Hill"),
    "US": (
        "Street",
        "Avenue",
        "Road",
        "Drive",
        "Boulevard",
        "Court",
        "Lane",
        "Place",
        "Terrace",
        "Square",
    ),
    "CA": (
        "Street",
        "Avenue",
        "Road",
        "Drive",
        "Crescent",
        "Court",
        "Lane",
        "Place",
        "Boulevard",
        "Square",
    ),
    "AU": (
        "Street",
        "Road",
        "Parade",
        "Avenue",
        "Crescent",
        "Lane",
        "Place",
        "Court",
        "Terrace",
        "Close",
    ),
}
GERMAN = (
    "Schilf",
    "Reiher",
    "Weiden",
    "Mühlen",
    "Gerber",
    "Seiler",
    "Laternen",
    "Speicher",
    "Schleusen",
    "Färber",
    "Ziegel",
    "Binsen",
    "Kranich",
    "Böttcher",
    "Fähr",
    "Lerchen",
    "Salz",
    "Töpfer",
    "Wehr",
    "Zoll",
    "Eisvogel",
    "Hafen",
    "Kohlen",
    "Torf",
    "Anger",
    "Brunnen",
    "Holunder",
    "Korn",
    "Linden",
    "Moor",
)
GERMAN_SORTS = ("straße", "weg", "gasse", "platz", "ufer", "allee", "ring", "damm", "steig", "hof")
FRENCH = (
    "des Roseaux",
    "du Héron",
    "des Saules",
    "du Moulin",
    "des Tanneurs",
    "des Cordiers",
    "de la Lanterne",
    "des Écluses",
    "du Grenier",
    "des Potiers",
    "du Passeur",
    "de l'Étang",
    "des Alouettes",
    "du Sel",
    "de la Tuilerie",
    "des Joncs",
    "du Verger",
    "de la Forge",
    "des Tonneliers",
    "Saint-Aubin",
)
FRENCH_SORTS = (
    "Rue",
    "Avenue",
    "Boulevard",
    "Place",
    "Quai",
    "Allée",
    "Impasse",
    "Chemin",
    "Cours",
    "Passage",
)
KNOWN = (
    ("Lanternfield Wharf", 1, 40, "all", "Leeds", "LS1 4ZZ"),
    ("Towpath Row", 1, 19, "odd", "Leeds", "LS1 5ZZ"),
    ("Towpath Road", 2, 60, "even", "Leeds", "LS1 6ZZ"),
    ("Saltgate Lane", 1, 120, "all", "Leeds", "LS2 7ZZ"),
    ("Mill Goit Street", 1, 80, "all", "Leeds", "LS3 1ZZ"),
    ("St Anne's Court", 1, 30, "all", "Leeds", "LS2 8ZZ"),
    ("Archive Quay", 1, 30, "all", "Liverpool", "L3 0ZZ"),
    ("Dome Hill", 1, 12, "all", "Edinburgh", "EH3 9ZZ"),
    ("Tide Parade", 1, 50, "all", "Cardiff", "CF10 4ZZ"),
    ("Millwheel Yard", 1, 24, "all", "Bristol", "BS1 6ZZ"),
    ("Speicherufer", 1, 60, "all", "Berlin", "10999"),
    ("Hafentreppe", 1, 24, "all", "Hamburg", "20459"),
    ("Laketide Avenue", 100, 480, "even", "Toronto", "M5V 0Z1"),
    ("Printers Row", 1, 99, "all", "Boston", "02118"),
    ("Rue du Faubourg Saint-Aubin", 1, 99, "odd", "Lyon", "69002"),
    ("Heronry Parade", 1, 90, "all", "Sydney", "2000"),
    ("Quai des Lanternes", 1, 40, "all", "Paris", "75001"),
    ("Harborline Street", 1, 80, "all", "Boston", "02110"),
)
EACH = 180


def stretches(each: int = EACH, seed: int = 5139) -> Iterator[Stretch]:
    """The known ones of the demo first, then about `each` a city."""
    by_name = {c.name: c for c in CITIES}
    for street, first, last, side, city, postcode in KNOWN:
        yield _stretch(by_name[city], street, first, last, side, postcode, random.Random(street))
    for city in CITIES:
        chance = random.Random(f"{seed} {city.name}")
        names = sorted(set(_names(city.country)))
        chance.shuffle(names)
        for name in names[: each * 2 // 3]:
            yield from _street(city, name, chance)


def _names(country: str) -> Iterator[str]:
    if country == "DE":
        yield from (f"{stem}{sort}" for stem in GERMAN for sort in GERMAN_SORTS)
    elif country == "FR":
        yield from (f"{sort} {rest}" for rest in FRENCH for sort in FRENCH_SORTS)
    else:
        yield from (f"{stem} {sort}" for stem in ENGLISH for sort in SORTS[country])


def _street(city: City, name: str, chance: random.Random) -> Iterator[Stretch]:
    """One stretch for short streets, an odd and an even side for long ones."""
    last = chance.randrange(12, 240)
    postcode = city.postcodes.format(
        a=chance.randrange(1, 9),
        b=chance.randrange(0, 10),
        c=chance.randrange(1, 99),
        L=chance.choice("ABCEGHJ"),
    )
    if last < 130:
        yield _stretch(city, name, 1, last, "all", postcode, chance)
        return
    yield _stretch(city, name, 1, last | 1, "odd", postcode, chance)
    yield _stretch(city, name, 2, last & ~1, "even", postcode, chance)


def _stretch(
    city: City, street: str, first: int, last: int, side: str, postcode: str, chance: random.Random
) -> Stretch:
    at = (
        round(city.latitude + chance.uniform(-0.05, 0.05), 5),
        round(city.longitude + chance.uniform(-0.07, 0.07), 5),
    )
    return Stretch(
        street, first, last, side, city.name, city.region, postcode, city.country, city.psap, *at
    )
