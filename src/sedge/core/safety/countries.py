"""What each country asks of emergency data, as a table: detail of spots, how often somebody looks,
whom to tell; and how addresses are typed.

The same strictness everywhere by default, taken from the strictest: direct dialling and
notification (US 47 CFR 9.16), a dispatchable location (47 CFR 9.3), detail above one floor or 3,700
m² (a common threshold of US state law). An organisation may ask for more.
"""

from dataclasses import dataclass

from sedge.core.numbers.plan import COUNTRIES
from sedge.core.policy import POLICY
from sedge.core.records import CivicElements


@dataclass(frozen=True)
class CountryRules:
    """A spot needs floor and room above `floors` floors or `area_m2`; it is looked at every
    `review_days`; `told` says whether the site's security desk must hear of a call for help.
    `source` names where that comes from."""

    country: str
    emergency: tuple[str, ...]
    floors: int
    area_m2: int
    review_days: int
    told: bool
    source: str


def _rules(country: str, source: str) -> CountryRules:
    return CountryRules(
        country,
        COUNTRIES[country].emergency,
        POLICY.floors_need_detail,
        POLICY.area_needs_detail_m2,
        POLICY.confirm_days,
        told=True,
        source=source,
    )


AS_EVERYWHERE = "asked here as everywhere; no law of its own that says more"
RULES = {
    rules.country: rules
    for rules in (
        _rules(
            "GB",
            "999 and 112 without a prefix: Communications Act 2003, General Condition A3; the rest"
            " as everywhere",
        ),
        _rules(
            "DE",
            "110 and 112, passed on by the number dialled: Telekommunikationsgesetz § 164; the rest"
            " as everywhere",
        ),
        _rules(
            "FR",
            "15, 17, 18 and 112: Code des postes et des communications électroniques D. 98-8; the"
            " rest as everywhere",
        ),
        _rules(
            "US",
            "direct dialling, notification, dispatchable location: 47 CFR 9.3 and 9.16; floors and"
            " area from state law",
        ),
        _rules("CA", AS_EVERYWHERE),
        _rules("AU", AS_EVERYWHERE),
    )
}


def needs_detail(country: str, floors: int, area_m2: int) -> bool:
    """Whether a spot there must name a floor and a room or zone."""
    rules = RULES[country]
    return floors > rules.floors or area_m2 > rules.area_m2


@dataclass(frozen=True)
class AddressField:
    """One part of an address as it is typed: the element of RFC 5139 it becomes, its usual name
    there, an example, whether it must be."""

    name: str
    element: str
    label: str
    example: str
    required: bool = True
    wide: bool = False


def _fields(*rows: tuple[str, str, str]) -> tuple[AddressField, ...]:
    elements = {
        "house_number": "HNO",
        "street": "RD",
        "city": "A3",
        "postcode": "PC",
        "region": "A1",
        "building": "BLD",
    }
    return tuple(
        AddressField(n, elements[n], label, example, n not in {"region", "building"}, n == "street")
        for n, label, example in rows
    )


FORMS: dict[str, tuple[AddressField, ...]] = {
    "GB": _fields(
        ("building", "Building", "Wharf House"),
        ("house_number", "House number", "12"),
        ("street", "Street", "Lanternfield Wharf"),
        ("city", "Post town", "Leeds"),
        ("postcode", "Postcode", "LS1 4ZZ"),
        ("region", "County", "West Yorkshire"),
    ),
    "DE": _fields(
        ("street", "Straße", "Speicherufer"),
        ("house_number", "Hausnummer", "8"),
        ("postcode", "Postleitzahl", "10999"),
        ("city", "Ort", "Berlin"),
        ("region", "Land", "Berlin"),
        ("building", "Gebäude", "Haus B"),
    ),
    "FR": _fields(
        ("building", "Bâtiment", "Bât. B"),
        ("house_number", "Numéro", "21 bis"),
        ("street", "Voie", "Rue du Faubourg Saint-Aubin"),
        ("postcode", "Code postal", "69002"),
        ("city", "Commune", "Lyon"),
        ("region", "Région", "Auvergne-Rhône-Alpes"),
    ),
    "US": _fields(
        ("house_number", "House number", "33"),
        ("street", "Street", "Printers Row"),
        ("city", "City", "Boston"),
        ("region", "State", "MA"),
        ("postcode", "ZIP code", "02118"),
        ("building", "Building", "Print Room"),
    ),
    "CA": _fields(
        ("house_number", "House number", "240"),
        ("street", "Street", "Laketide Avenue"),
        ("city", "City", "Toronto"),
        ("region", "Province", "ON"),
        ("postcode", "Postal code", "M5V 0Z1"),
        ("building", "Building", "Annex"),
    ),
    "AU": _fields(
        ("building", "Building", "East Pavilion"),
        ("house_number", "House number", "15"),
        ("street", "Street", "Heronry Parade"),
        ("city", "Suburb or town", "Sydney"),
        ("region", "State", "NSW"),
        ("postcode", "Postcode", "2000"),
    ),
}


def line_example(country: str) -> str:
    """An address of the country in one line."""
    examples = {field.name: field.example for field in FORMS[country]}
    return CivicElements(country=country, **examples).one_line
