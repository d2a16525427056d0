"""Coverage: of the numbers in use and the people of each site and floor, how many help would find, and why not the others."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sedge.core.records import Address, Site, Spot
from sedge.core.safety.spots import review_due, spot_problem

UNPLACED, ROOF = 500, 999  # where floors stand whose names nobody can place, and what is on the roof
NO_SPOT = "no spot: nobody would know where to send help"


@dataclass
class Share:
    """How many there are and how many of them help would find; `reasons` say why not, with how many each."""

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
        """Rounded down: 100 only when everybody is found."""
        return 100 * self.found // self.all if self.all else 100

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
    """`floors` by name, from the top of the building down; '' stands for what has no floor. `unconfirmed` spots nobody looked at in time."""

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
) -> list[SiteCoverage]:
    """Every site's coverage from counts of (site, kind, spot or '', how many), the least covered first."""
    by_id = {s.id: s for s in spots}
    problems = {s.id: spot_problem(s, addresses[s.address], now) or "" for s in spots}
    found = {site.id: SiteCoverage(site) for site in sites}
    for site, kind, spot, count in counts:
        if site not in found or count <= 0:
            continue
        problem = problems.get(spot, NO_SPOT) if spot else NO_SPOT
        floor = by_id[spot].floor if spot in by_id else ""
        found[site].whole.add(kind, count, problem)
        found[site].floors[floor].add(kind, count, problem)
    for spot in spots:
        if spot.site in found and not spot.removed and not spot.whole and review_due(spot, now):
            found[spot.site].unconfirmed += 1
    return sorted(found.values(), key=lambda c: (c.whole.per_cent, -c.whole.all, c.site.name))


def floor_order(name: str) -> tuple[int, str]:
    """Where a floor stands in a building, from below: basements under 0, the ground floor at 0. Names nobody can place come last."""
    plain = name.casefold().strip()
    digits = "".join(ch for ch in plain if ch.isdigit() or ch == "-").strip("-")
    below = any(word in plain for word in ("basement", "lower ground", "cellar", "untergeschoss", "keller", "sous-sol"))
    if below:
        return -int(digits or "1"), plain
    if any(word in plain for word in ("ground", "erdgeschoss", "rez-de-chaussée", "parterre")):
        return 0, plain
    if any(word in plain for word in ("mezzanine", "zwischengeschoss", "entresol")):
        return 0, plain + " above"
    if digits:
        return int(digits), plain
    return ROOF if any(word in plain for word in ("roof", "dach", "attic", "toit", "dome")) else UNPLACED, plain
