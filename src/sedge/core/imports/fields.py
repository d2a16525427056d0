"""What the columns of a file mean: a field for each header, by the words people use for it.

A header that is not known means nothing until somebody says so; which header meant what is
remembered by the desk.
"""

import hashlib
import re
from collections.abc import Sequence

FIELDS = {
    "number": "Number",
    "state": "State",
    "site": "Site",
    "holder": "Holder's name",
    "email": "Holder's mail address",
    "extension": "Extension",
    "department": "Department",
    "label": "Label",
    "tags": "Tags",
    "cost_centre": "Cost centre",
    "note": "Note",
    "price": "Price a month",
    "currency": "Currency",
    "carrier": "Carrier",
    "account": "Account",
    "capacity": "Calls at once",
    "until": "Until",
    "spot": "Emergency spot",
    "floor": "Floor",
    "room": "Room",
    "trunk": "Trunk",
    "path": "Call path",
    "licence": "Licences",
    "known": "External IDs",
}
WORDS = {
    "number": (
        "number",
        "e164",
        "phone",
        "phone number",
        "telephone",
        "telephone number",
        "telephonenumber",
        "tel",
        "tel no",
        "ddi",
        "did",
        "direct dial",
        "rufnummer",
        "nummer",
        "telefon",
        "international",
        "main number",
        "line",
        "number national",
    ),
    "state": ("state", "status", "zustand", "in use"),
    "site": ("site", "location", "office", "standort", "branch", "site name"),
    "holder": (
        "holder",
        "name",
        "person",
        "display name",
        "displayname",
        "full name",
        "assigned to",
        "used by",
        "inhaber",
        "who",
        "staff member",
        "cn",
    ),
    "email": ("email", "e mail", "mail", "mail address", "email address", "upn"),
    "extension": ("extension", "ext", "internal", "durchwahl", "internal number", "short number"),
    "department": ("department", "team", "dept", "abteilung"),
    "label": ("label", "purpose", "description", "zweck", "used for"),
    "tags": ("tags", "tag", "keywords"),
    "cost_centre": ("cost centre", "cost center", "costcentre", "kostenstelle", "budget"),
    "note": ("note", "notes", "comment", "comments", "remark", "remarks", "bemerkung"),
    "price": ("a month", "price", "monthly", "price a month", "monthly price", "cost", "rental"),
    "currency": ("currency",),
    "carrier": ("carrier", "provider", "operator", "anbieter", "supplier"),
    "account": ("account", "carrier account"),
    "capacity": ("calls at once", "capacity", "calls"),
    "until": ("until", "reserved until", "till"),
    "spot": ("emergency spot", "spot", "spot code", "emergency location", "place"),
    "floor": ("floor", "etage", "level"),
    "room": ("room", "raum", "zone", "desk"),
    "trunk": ("trunk",),
    "path": ("call path", "path", "menu", "rings"),
    "licence": ("licence", "licences", "license", "licenses", "seat", "product"),
}
_BY_WORD = {word: name for name, words in WORDS.items() for word in words}
Mapping = dict[str, int]


FORMULA = (
    "=",
    "+",
    "-",
    "@",
    "\t",
    "\r",
)  # what a spreadsheet takes for the beginning of a formula


def plain_cell(cell: str) -> str:
    """A cell without blanks around it, and without the apostrophe that kept a spreadsheet from
    calculating it."""
    cell = cell.strip()
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(FORMULA) else cell


def normal(header: str) -> str:
    return re.sub(
        r"[^a-zäöüß0-9]+", " ", header.lower().replace("e.164", "e164").replace("e-mail", "email")
    ).strip()


def recognised(header: Sequence[str]) -> Mapping:
    """Field → column, the first that fits. `known:System` for columns headed *known as System* or
    *id in System*."""
    found: Mapping = {}
    for at, title in enumerate(header):
        plain = normal(title)
        if match := re.match(r"^(?:known as|id in|known elsewhere as)\s+(.+)$", plain):
            found[f"known:{match[1][:40]}"] = at
            continue
        name = _BY_WORD.get(plain)
        if name and name not in found:
            found[name] = at
    return found


def fingerprint(header: Sequence[str]) -> str:
    """The same for files with the same headers, whatever their order of words and signs."""
    return hashlib.sha256("\n".join(normal(title) for title in header).encode()).hexdigest()
