"""Coverage: of the numbers in use and the people of each site and floor, how many help would find,
and why not the others."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sedge.core.records import Address, Site, Spot
from sedge.core.safety.spots import review_due, spot_problem

NO_SPOT = "no spot: nobody would know where to send responders"
OTHER_SITE = "the spot is at another site"


@dataclass
class Share:
    """How many there are and how many of them help would find; `reasons` say why not, with how many
    each."""

    numbers: int = 0
    people: int = 0
    found_numbers: int = 0
    found_people: int = 0
    reasons: dict[str, int] = field(default_factory=lambda: defaultdict(int))

    @property
    def all(self) -> int:
        return self.numbers + self.people

    @property
    def found(self) -> int:
        return self.found_numbers + self.found_people

    @property
    def per_cent(self) -> int:
        """Rounded down: 100 only when everybody is found, and there is somebody to be found."""
        return 100 * self.found // self.all if self.all else 0

    @property
    def is_empty(self) -> bool:
        return self.all == 0

    def add(self, kind: str, count: int, problem: str) -> None:
        if kind == "number":
            self.numbers += count
            self.found_numbers += 0 if problem else count
        else:
            self.people += count
            self.found_people += 0 if problem else count
        if problem:
            self.reasons[problem] += count


@dataclass
class SiteCoverage:
    """`floors` by name, from the top of the building down; '' stands for what has no floor.
    `unconfirmed` spots nobody looked at in time."""

    site: Site
    whole: Share = field(default_factory=Share)
    floors: dict[str, Share] = field(default_factory=lambda: defaultdict(Share))
    unconfirmed: int = 0


def coverage_of(
    counts: Iterable[tuple[str, str, str, int]],
    spots: Sequence[Spot],
    addresses: Mapping[str, Address],
    sites: Sequence[Site],
    now: datetime,
    elsewhere: Mapping[tuple[str, str, str], int] | None = None,
) -> list[SiteCoverage]:
    """Every site's coverage from counts of (site, kind, spot or '', how many), the least covered
    first, those without anybody last.

    `elsewhere` are, by (site, kind, spot), those whose spot is at another site and right there all
    the same: their own.
    """
    by_id = {s.id: s for s in spots}
    problems = {s.id: spot_problem(s, addresses[s.address], now) or "" for s in spots}
    found = {site.id: SiteCoverage(site) for site in sites}
    for site, kind, spot, count in counts:
        if site not in found or count <= 0:
            continue
        problem = problems.get(spot, NO_SPOT) if spot else NO_SPOT
        floor = by_id[spot].floor if spot in by_id else ""
        own = min(count, (elsewhere or {}).get((site, kind, spot), 0))
        away = count - own if spot in by_id and by_id[spot].site != site and not problem else 0
        for part, why in ((count - away, problem), (away, OTHER_SITE)):
            if part:
                found[site].whole.add(kind, part, why)
                found[site].floors[floor].add(kind, part, why)
    for spot in spots:
        if spot.site in found and not spot.removed and not spot.whole and review_due(spot, now):
            found[spot.site].unconfirmed += 1
    return sorted(
        found.values(),
        key=lambda c: (c.whole.is_empty, c.whole.per_cent, -c.whole.all, c.site.name),
    )
