"""Whether every emergency number of its country is reached from every site, by every kind of
holder, with and without the outside-line prefix, and over which trunks.

Rights, limits and full channels never hold such a call back, so they are not asked here; what can
is the dial plan, and that no trunk is left.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from sedge.core.enums import HolderKind, Reached
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialplan import dial
from sedge.core.records import Site, Trunk

HOLDERS = (HolderKind.PERSON, HolderKind.SERVICE_LINE, HolderKind.SITE, HolderKind.DOWNSTREAM)


@dataclass(frozen=True)
class Way:
    """A trunk that takes the call, in its turn; `why_not` says why it can't now."""

    trunk: str
    name: str
    at_site: bool
    why_not: str = ""


@dataclass(frozen=True)
class Cell:
    """What somebody reaches by an emergency number; `hole` is why nobody comes, '' where they do.
    `prefixed` None: the site has no outside-line prefix."""

    site: str
    digits: str
    holder: HolderKind
    plain: bool
    prefixed: bool | None
    ways: tuple[Way, ...]
    hole: str

    @property
    def first(self) -> Way | None:
        """The trunk that takes the call now."""
        return next((way for way in self.ways if not way.why_not), None)

    @property
    def spare(self) -> int:
        """How many trunks take it when the first one fails."""
        return max(0, sum(not way.why_not for way in self.ways) - 1)


def matrix(sites: Sequence[Site], trunks: Sequence[Trunk]) -> Iterator[Cell]:
    """A cell for each site, emergency number and kind of holder, in this order."""
    countries = {site.id: site.country for site in sites}
    for site in sites:
        ways = tuple(_ways(site, trunks, countries))
        for digits in COUNTRIES[site.country].emergency:
            plain, prefixed = _dialled(site, digits)
            hole = _hole(site, digits, ways, plain=plain, prefixed=prefixed)
            for holder in HOLDERS:
                yield Cell(site.id, digits, holder, plain, prefixed, ways, hole)


def _dialled(site: Site, digits: str) -> tuple[bool, bool | None]:
    def reaches(keys: str) -> bool:
        found = dial(keys, site)
        return found.kind is Reached.EMERGENCY and found.result == digits

    prefix = site.outside_prefix
    return reaches(digits), reaches(prefix + digits) if prefix else None


def _ways(site: Site, trunks: Sequence[Trunk], countries: dict[str, str]) -> Iterator[Way]:
    """The site's own trunks, then those of other sites in its country, whose operators can send
    help here."""
    in_turn = sorted(trunks, key=lambda x: (x.site != site.id, x.name))
    for trunk in in_turn:
        if countries.get(trunk.site) != site.country:
            continue
        why_not = "takes no emergency calls" if not trunk.emergency else ""
        why_not = why_not or trunk.why_not
        yield Way(trunk.id, trunk.name, trunk.site == site.id, why_not)


def _hole(
    site: Site, digits: str, ways: Sequence[Way], *, plain: bool, prefixed: bool | None
) -> str:
    if not plain:
        return f"The dial plan of {site.name} does not take {digits} for an emergency."
    if prefixed is False:
        return f"{site.outside_prefix} {digits} is not taken for an emergency."
    if not ways:
        return f"No trunk of {site.name} or its country takes a call."
    if all(way.why_not for way in ways):
        return f"{ways[0].name} {ways[0].why_not}, and no other trunk is left."
    return ""


def holes_of(sites: Sequence[Site], trunks: Sequence[Trunk]) -> list[str]:
    """Every hole of the matrix, each once."""
    return list(dict.fromkeys(cell.hole for cell in matrix(sites, trunks) if cell.hole))
