"""The emergency matrix of an organisation."""

from dataclasses import dataclass

from sedge.core.records import Site, Trunk
from sedge.core.safety.emergency_matrix import Cell, holes_of, matrix
from sedge.services.context import Context
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


def _sites_and_trunks(context: Context) -> tuple[list[Site], list[Trunk]]:
    with context.reading() as reading:
        sites = reading.records.where(Site, order_by=tables.site.c.name)
        return sites, reading.records.all(Trunk)


def cells(context: Context) -> list[Cell]:
    return list(matrix(*_sites_and_trunks(context)))


def holes(context: Context) -> list[tuple[Site, str]]:
    """The sites from which an emergency number does not get out, with why."""
    sites, trunks = _sites_and_trunks(context)
    found: dict[str, str] = {}
    for (site, _), hole in holes_of(sites, trunks).items():
        found.setdefault(site, hole)
    return [(site, found[site.id]) for site in sites if site.id in found]


def rows(context: Context) -> list[Row]:
    """One row a site, those with holes first."""
    sites, trunks = _sites_and_trunks(context)
    found: dict[str, dict[str, Cell]] = {site.id: {} for site in sites}
    for cell in matrix(sites, trunks):
        found[cell.site].setdefault(cell.digits, cell)
    made = [Row(site, list(found[site.id].values())) for site in sites]
    return sorted(made, key=lambda row: (not row.holes, not row.is_single, row.site.name))
