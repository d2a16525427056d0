"""Whether every emergency number of its country is reached from every site, by every kind of
holder, with and without the outside-line prefix, and over which trunks.

Rights, limits and full channels never hold such a call back, so they are not asked here; what can
is the dial plan, and that no trunk is left.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from heapq import merge
from itertools import islice
from typing import Any

from sedge.core.enums import HolderKind, Reached
from sedge.core.errors import NotAllowedNow
from sedge.core.estate import Change
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.dialling.dialplan import dial
from sedge.core.records import Site, Trunk

MOST_OTHERS = 8  # trunks of other sites that are named
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
    `prefixed` None: the site has no outside-line prefix. `ways` are the site's own trunks and the
    first of its country; `spare` counts all that take it when the first one fails."""

    site: str
    digits: str
    holder: HolderKind
    plain: bool
    prefixed: bool | None
    ways: tuple[Way, ...]
    hole: str
    spare: int

    @property
    def first(self) -> Way | None:
        """The trunk that takes the call now."""
        return next((way for way in self.ways if not way.why_not), None)


def matrix(sites: Sequence[Site], trunks: Sequence[Trunk]) -> Iterator[Cell]:
    """A cell for each site, emergency number and kind of holder, in this order."""
    for found in _sites(sites, trunks):
        for digits, (plain, prefixed) in found.dialled.items():
            hole = _hole(found, digits)
            for holder in HOLDERS:
                yield Cell(
                    found.site.id,
                    digits,
                    holder,
                    plain,
                    prefixed,
                    found.ways,
                    hole,
                    max(0, found.carrying - 1),
                )


def holes_of(sites: Sequence[Site], trunks: Sequence[Trunk]) -> dict[tuple[str, str], str]:
    """Why nobody comes, by the site and the emergency number of each hole."""
    return {
        (found.site.id, digits): hole
        for found in _sites(sites, trunks)
        for digits in found.dialled
        if (hole := _hole(found, digits))
    }


Dialling = tuple[Sequence[Site], Sequence[Trunk]]


def new_holes(before: Dialling, after: Dialling) -> list[str]:
    """Why nobody comes any more where somebody came, at sites that were there before."""
    were, known = holes_of(*before), {site.id for site in before[0]}
    return [
        hole
        for (site, digits), hole in holes_of(*after).items()
        if site in known and (site, digits) not in were
    ]


def _dials_by(record: object) -> object:
    """What of a record decides whether help comes; whether a trunk is up is measured, not
    changed."""
    match record:
        case Site():
            return (
                record.country,
                record.outside_prefix,
                record.extension_digits,
                record.dial_rules,
            )
        case Trunk():
            return record.site, record.emergency, record.state, record.serves
    return None


def those_that_dial(changes: Iterable[Change]) -> dict[str, Any]:
    """Sites and trunks after changes that decide whether help comes, by their ids."""
    replaced = (c for c in changes if c.before is not None and c.after is not None)
    return {c.id: c.after for c in replaced if _dials_by(c.before) != _dials_by(c.after)}


def refuse_new_holes(changed: Mapping[str, Any], before: Dialling) -> None:
    """Raises NotAllowedNow where nobody would come any more, from a site where somebody came."""
    sites, trunks = before
    after = (
        [changed.get(site.id, site) for site in sites],
        [changed.get(trunk.id, trunk) for trunk in trunks],
    )
    new = new_holes(before, after)
    if new:
        message = f"{new[0]} Until now emergency calls got out from there."
        raise NotAllowedNow(message, reason="emergency-hole")


@dataclass(frozen=True)
class _AtSite:
    """What holds for a site: its trunks in their turn, how many that serve it take calls, and of
    each emergency number whether it is reached without and with the prefix."""

    site: Site
    ways: tuple[Way, ...]
    carrying: int
    dialled: dict[str, tuple[bool, bool | None]]


def _sites(sites: Sequence[Site], trunks: Sequence[Trunk]) -> Iterator[_AtSite]:
    """Trunks are put in order once for a country, and what is dialled is worked out once for sites
    whose dial plans are alike."""
    countries = {site.id: site.country for site in sites}
    there: dict[str, list[Trunk]] = {}
    own: dict[str, list[Trunk]] = {}
    chosen: dict[str, list[Trunk]] = {}  # trunks that do not serve every site, by those they serve
    for trunk in sorted(trunks, key=_turn):
        country = countries.get(trunk.site, "")
        own.setdefault(trunk.site, []).append(trunk)
        if not trunk.serves:
            there.setdefault(country, []).append(trunk)
        for site in {trunk.site, *trunk.serves} if trunk.serves else ():
            if countries.get(site) == country:
                chosen.setdefault(site, []).append(trunk)
    carrying = {key: sum(not _why_not(x) for x in found) for key, found in there.items()}
    plans: dict[object, dict[str, tuple[bool, bool | None]]] = {}
    for site in sites:
        mine = sorted(own.get(site.id, []), key=lambda x: x.name)
        alone = chosen.get(site.id, [])
        around = merge(there.get(site.country, []), alone, key=_turn)
        others = islice((x for x in around if x.site != site.id), MOST_OTHERS)
        ways = [Way(x.id, x.name, True, _why_not(x)) for x in mine]
        ways += [Way(x.id, x.name, False, _why_not(x)) for x in others]
        plan = (site.country, site.outside_prefix, site.extension_digits, site.dial_rules)
        if plan not in plans:
            plans[plan] = {d: _dialled(site, d) for d in COUNTRIES[site.country].emergency}
        left = carrying.get(site.country, 0) + sum(not _why_not(x) for x in alone)
        yield _AtSite(site, tuple(ways), left, plans[plan])


def _turn(trunk: Trunk) -> tuple[bool, str]:
    return bool(_why_not(trunk)), trunk.name


def _why_not(trunk: Trunk) -> str:
    return trunk.why_not if trunk.emergency else "takes no emergency calls"


def _dialled(site: Site, digits: str) -> tuple[bool, bool | None]:
    def reaches(keys: str) -> bool:
        found = dial(keys, site)
        return found.kind is Reached.EMERGENCY and found.result == digits

    prefix = site.outside_prefix
    return reaches(digits), reaches(prefix + digits) if prefix else None


def _hole(found: _AtSite, digits: str) -> str:
    name, (plain, prefixed) = found.site.name, found.dialled[digits]
    if not plain:
        return f"The dial plan of {name} does not take {digits} for an emergency."
    if prefixed is False:
        return f"{found.site.outside_prefix} {digits} of {name} is not taken for an emergency."
    if not found.ways:
        return f"No trunk of {name} or its country takes its calls."
    if not found.carrying:
        first = found.ways[0]
        return f"{first.name} {first.why_not}, and no other trunk is left for {name}."
    return ""
