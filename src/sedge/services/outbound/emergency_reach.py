"""The emergency matrix of an organisation."""

from dataclasses import dataclass

from sedge.core.records import Site, Trunk
from sedge.core.safety.emergency_matrix import Cell, matrix
from sedge.services.context import Desk
from sedge.store.schema import tables


@dataclass(frozen=True)
class Row:
    """A site with one cell for each emergency number of its country; every kind of holder reaches
    the same."""

    site: Site
    cells: list[Cell]

    @property
    def holes(self) -> list[str]:
        return list(dict.fromkeys(cell.hole for cell in self.cells if cell.hole))

    @property
    def is_single(self) -> bool:
        """Whether nothing is left when one trunk fails."""
        return any(not cell.hole and not cell.spare for cell in self.cells)


def cells(desk: Desk) -> list[Cell]:
    with desk.reading() as reading:
        sites = reading.records.where(Site, order_by=tables.site.c.name)
        trunks = reading.records.all(Trunk)
    return list(matrix(sites, trunks))


def rows(desk: Desk) -> list[Row]:
    """One row a site, those with holes first."""
    with desk.reading() as reading:
        sites = {s.id: s for s in reading.records.where(Site, order_by=tables.site.c.name)}
    found: dict[str, dict[str, Cell]] = {key: {} for key in sites}
    for cell in cells(desk):
        found[cell.site].setdefault(cell.digits, cell)
    made = [Row(sites[key], list(by_digits.values())) for key, by_digits in found.items()]
    return sorted(made, key=lambda row: (not row.holes, not row.is_single, row.site.name))
