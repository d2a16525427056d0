"""The columns of the number list: the same on screen, in what is exported, and by their titles in
what is imported."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal

from sedge.core.access.roles import AccessRole, May, allowed
from sedge.core.numbers.e164 import describe
from sedge.services.numbers.estate import Row


@dataclass(frozen=True)
class Column:
    """`value` is plain text, `cell` what a spreadsheet gets (None: the text); `sort` the order the
    list offers for it, '' for none; `is_code` asks for the monospaced face; `is_money` is for those
    who may see prices."""

    key: str
    title: str
    value: Callable[[Row], str]
    sort: str = ""
    is_code: bool = False
    cell: Callable[[Row], Decimal | date | None] | None = None
    is_money: bool = False

    def exported(self, row: Row) -> str | Decimal | date:
        found = self.cell(row) if self.cell else None
        return self.value(row) if found is None else found


def _day(moment: object) -> str:
    return f"{moment:%Y-%m-%d}" if moment else ""


def _date(moment: datetime | None) -> date | None:
    return moment.date() if moment else None


def _price(row: Row) -> Decimal:
    return row.number.monthly.rounded().amount


def _known(row: Row) -> str:
    return "; ".join(f"{system}: {value}" for system, value in sorted(row.number.known_as.items()))


COLUMNS = {
    c.key: c
    for c in (
        Column("number", "Number", lambda r: r.number.shown, "number", is_code=True),
        Column("e164", "E.164", lambda r: r.number.e164, is_code=True),
        Column(
            "international",
            "International",
            lambda r: describe(r.number.e164).international,
            is_code=True,
        ),
        Column("state", "State", lambda r: r.number.state.value),
        Column(
            "until",
            "Until",
            lambda r: _day(r.number.state_until),
            "until",
            cell=lambda r: _date(r.number.state_until),
        ),
        Column("holder", "Holder", lambda r: r.holder_name, "holder"),
        Column(
            "holder_kind",
            "Holder is a",
            lambda r: r.number.holder.kind.value.replace("_", " ") if r.number.holder else "",
        ),
        Column(
            "role", "Role", lambda r: r.number.assignment.role.value if r.number.assignment else ""
        ),
        Column("site", "Site", lambda r: r.site_name),
        Column("area", "Area", lambda r: describe(r.number.e164).area),
        Column("country", "Country", lambda r: r.number.country),
        Column("kind", "Kind", lambda r: r.number.kind.value),
        Column("capacity", "Calls at once", lambda r: r.number.capacity.value),
        Column("carrier", "Carrier", lambda r: r.carrier_name),
        Column("account", "Account", lambda r: r.number.account),
        Column("label", "Label", lambda r: r.number.label, "label"),
        Column("tags", "Tags", lambda r: ", ".join(r.number.tags)),
        Column("cost_centre", "Cost centre", lambda r: r.number.cost_centre),
        Column("note", "Note", lambda r: r.number.note),
        Column("price", "A month", lambda r: str(_price(r)), "price", cell=_price, is_money=True),
        Column("currency", "Currency", lambda r: r.number.monthly.currency, is_money=True),
        Column("spot", "Emergency spot", lambda r: r.number.spot or "", is_code=True),
        Column("trunk", "Trunk", lambda r: r.number.trunk or ""),
        Column("path", "Call path", lambda r: r.number.path or ""),
        Column(
            "usable",
            "Usable from",
            lambda r: _day(r.number.usable_from),
            cell=lambda r: _date(r.number.usable_from),
        ),
        Column("known_as", "External IDs", _known),
        Column(
            "changed",
            "Last changed",
            lambda r: _day(r.since),
            "changed",
            cell=lambda r: _date(r.since),
        ),
    )
}
USUAL = ("number", "state", "holder", "site", "label", "price")


def chosen(text: str, role: AccessRole) -> list[Column]:
    """Columns from their keys with commas between; unknown ones are passed over, the number comes
    first. Empty: the usual ones."""
    keys = [key for key in text.split(",") if key in COLUMNS] or list(USUAL)
    return [
        COLUMNS[key] for key in dict.fromkeys(("number", *keys)) if COLUMNS[key] in seen_by(role)
    ]


def seen_by(role: AccessRole) -> list[Column]:
    """The columns a role may see."""
    return [c for c in COLUMNS.values() if not c.is_money or allowed(role, May.SEE_MONEY)]
