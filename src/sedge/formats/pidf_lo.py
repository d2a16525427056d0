"""PIDF-LO: a place as other systems and answering points take it (RFC 4119, RFC 5139 civic
elements, RFC 5491 usage), as XML."""

from dataclasses import dataclass
from datetime import datetime
from xml.etree import ElementTree

PIDF = "urn:ietf:params:xml:ns:pidf"
GEOPRIV = "urn:ietf:params:xml:ns:pidf:geopriv10"
CIVIC = "urn:ietf:params:xml:ns:pidf:geopriv10:civicAddr"
GML = "http://www.opengis.net/gml"
PREFIXES = {"": PIDF, "gp": GEOPRIV, "ca": CIVIC, "gml": GML}
WGS84 = "urn:ogc:def:crs:EPSG::4326"

# The order of RFC 5139's schema (a sequence), which a validating reader insists on.
ELEMENTS = (
    "country",
    "A1",
    "A3",
    "RD",
    "HNO",
    "HNS",
    "LMK",
    "LOC",
    "FLR",
    "NAM",
    "PC",
    "BLD",
    "ROOM",
    "PLC",
    "ADDCODE",
)


@dataclass(frozen=True)
class Place:
    """`civic` maps element names of RFC 5139 to text; empty ones are left out. `entity` is who or
    what is there (`tel:` or `pres:`)."""

    entity: str
    id: str
    civic: dict[str, str]
    language: str
    at: datetime
    point: tuple[float, float] | None = None


def pidf_lo(place: Place) -> bytes:
    """The document, with the civic address and, where known, the point (a second tuple: RFC 5491
    rule 8 asks that one place stands in one tuple; both describe the same place, the more exact one
    first)."""
    for prefix, name in PREFIXES.items():
        ElementTree.register_namespace(prefix, name)
    presence = ElementTree.Element(f"{{{PIDF}}}presence", entity=place.entity)
    _tuple(presence, f"{place.id}-civic", place, _civic(place))
    if place.point:
        _tuple(presence, f"{place.id}-point", place, _point(place.point))
    ElementTree.indent(presence)
    return ElementTree.tostring(presence, xml_declaration=True, encoding="UTF-8") + b"\n"


def _tuple(
    presence: ElementTree.Element, key: str, place: Place, location: ElementTree.Element
) -> None:
    tuple_ = ElementTree.SubElement(presence, f"{{{PIDF}}}tuple", id=key)
    status = ElementTree.SubElement(tuple_, f"{{{PIDF}}}status")
    geopriv = ElementTree.SubElement(status, f"{{{GEOPRIV}}}geopriv")
    ElementTree.SubElement(geopriv, f"{{{GEOPRIV}}}location-info").append(location)
    ElementTree.SubElement(geopriv, f"{{{GEOPRIV}}}usage-rules")
    ElementTree.SubElement(geopriv, f"{{{GEOPRIV}}}method").text = "Manual"
    ElementTree.SubElement(tuple_, f"{{{PIDF}}}timestamp").text = place.at.isoformat()


def _civic(place: Place) -> ElementTree.Element:
    civic = ElementTree.Element(
        f"{{{CIVIC}}}civicAddress", {"{http://www.w3.org/XML/1998/namespace}lang": place.language}
    )
    for name in ELEMENTS:
        if text := place.civic.get(name, "").strip():
            ElementTree.SubElement(civic, f"{{{CIVIC}}}{name}").text = _plain(text)
    return civic


def _point(at: tuple[float, float]) -> ElementTree.Element:
    point = ElementTree.Element(f"{{{GML}}}Point", srsName=WGS84)
    ElementTree.SubElement(point, f"{{{GML}}}pos").text = f"{at[0]} {at[1]}"
    return point


def _plain(text: str) -> str:
    """Without characters that XML can't hold."""
    return "".join(ch for ch in text if ch in "\t\n\r" or ord(ch) >= 0x20)
