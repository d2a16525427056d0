"""Free numbers offered beside the field of a form: the best with why, and the map they lie in."""

from dataclasses import dataclass
from urllib.parse import urlencode

from markupsafe import Markup

from sedge.core.enums import HolderKind
from sedge.core.numbers.e164 import describe
from sedge.core.records import HolderRef
from sedge.services.context import Context
from sedge.services.numbers import estate
from sedge.services.workorders.planner.suggestions import suggest_numbers
from sedge.store.repositories.numbers import Filter
from sedge.web.numbers.views import cell_name
from sedge.web.shared.drawings.blockmap import MapCell, block_map

FIELD = "number"
MOST_MAPS = 2
PARAMETER = {
    HolderKind.PERSON: "person",
    HolderKind.SERVICE_LINE: "line",
    HolderKind.SITE: "site",
}


@dataclass(frozen=True)
class Offer:
    """`href` is the form with this number in it, for those without JavaScript."""

    shown: str
    why: str
    href: str


@dataclass(frozen=True)
class Offers:
    """`order` leads to ordering numbers for the site; `maps` are the hundreds of the first
    offers, each with its title."""

    name: str
    rows: list[Offer]
    maps: list[tuple[str, Markup]]
    order: str

    @property
    def best(self) -> str:
        return self.rows[0].shown if self.rows else ""


def offers_for(
    context: Context, holder: HolderRef, name: str, site: str, phone: str = ""
) -> Offers:
    """What is free for a holder, who gets a `phone` too; no rows where nothing is."""
    asked = {PARAMETER[holder.kind]: holder.id} | ({"phone": phone} if phone else {})
    here = f"/work-orders/new/assign?{urlencode(asked)}&"
    found = suggest_numbers(context, holder)
    hundreds = list(dict.fromkeys((s.number.site, int(s.number.e164) // 100) for s in found))
    return Offers(
        name=name,
        rows=[
            Offer(describe(s.number.e164).shown, s.why, f"{here}number={s.number.e164.lstrip('+')}")
            for s in found
        ],
        maps=[
            _map(context, where, hundred, here, int(found[0].number.e164))
            for where, hundred in hundreds[:MOST_MAPS]
        ],
        order=f"/supply/for-site?{urlencode({'site': site} | asked)}",
    )


def _map(context: Context, site: str, hundred: int, here: str, best: int) -> tuple[str, Markup]:
    first = hundred * 100
    found, _ = estate.blocks(context, Filter(site=site), within=(first, first + 99))
    cells = [
        MapCell(cell.number, cell.state, cell_name(cell.state, cell.holder_name))
        for block in found
        for cell in block.cells
    ]
    title = f"{describe(f'+{first}').shown[:-2]}xx"
    return title, block_map(title, cells, chosen=best, address=here, fills=FIELD)
