"""Who is to have each number of a port from the switch on: proposed from what the losing carrier
lists and from who is at the site.

Only a name that is the same, at the port's site and nobody else's, is sure; everything else is for
somebody to look at.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz

from sedge.core.holding import HolderRef
from sedge.core.porting.records import PortLine

ALIKE, AHEAD = 86.0, 6.0  # of 100: how like a listed name must be, and how much more than the next
LEAST_EXTENSION = 3


@dataclass(frozen=True)
class Candidate:
    """Somebody who could have a number; `extension` '' where there is none."""

    ref: HolderRef
    name: str
    site: str
    extension: str = ""


@dataclass(frozen=True)
class Proposal:
    """`why` completes *proposed, since …*."""

    ref: HolderRef
    name: str
    why: str
    sure: bool


def propose(
    lines: Iterable[PortLine], candidates: Sequence[Candidate], site: str
) -> dict[str, Proposal]:
    """By E.164, for the lines that nobody has been chosen for; each holder is proposed once."""
    chosen = [line.holder for line in lines if line.holder]
    given = set(chosen)
    found: dict[str, Proposal] = {}
    for line in lines:
        if line.holder or line.refused:
            continue
        free = [c for c in candidates if c.ref not in given]
        proposal = _by_name(line.used_for, free, site) or _by_extension(line.e164, free, site)
        if proposal:
            found[line.e164] = proposal
            given.add(proposal.ref)
    return found


def _by_name(listed: str, candidates: Sequence[Candidate], site: str) -> Proposal | None:
    wanted = _ways(listed)
    if not wanted:
        return None
    same = [c for c in candidates if wanted & _ways(c.name)]
    here = [c for c in same if c.site == site]
    if len(here) == 1:
        return Proposal(here[0].ref, here[0].name, f"its carrier lists “{listed}”", sure=True)
    if len(same) == 1:
        return Proposal(
            same[0].ref, same[0].name, f"its carrier lists “{listed}”; at another site", sure=False
        )
    initials = [
        c
        for c in candidates
        if c.site == site and any(_initial(w, way) for w in wanted for way in _ways(c.name))
    ]
    best = (
        initials[0]
        if len(initials) == 1
        else _most_alike(wanted, [c for c in candidates if c.site == site])
    )
    return (
        Proposal(
            best.ref, best.name, f"its carrier lists “{listed}”, which is much like it", sure=False
        )
        if best
        else None
    )


def _most_alike(wanted: set[str], candidates: Sequence[Candidate]) -> Candidate | None:
    scored = [
        (max(fuzz.token_sort_ratio(w, way) for w in wanted for way in _ways(c.name)), c.name, c)
        for c in candidates
        if _ways(c.name)
    ]
    scored.sort(key=lambda x: (-x[0], x[1]))
    if (
        scored
        and scored[0][0] >= ALIKE
        and (len(scored) == 1 or scored[0][0] - scored[1][0] >= AHEAD)
    ):
        return scored[0][2]
    return None


def _initial(listed: str, name: str) -> bool:
    """Whether a listed *r tolliver* is short for *rufus tolliver*."""
    short, full = listed.split(), name.split()
    return (
        len(short) == 2
        and len(full) >= 2
        and short[-1] == full[-1]
        and len(short[0]) == 1
        and full[0].startswith(short[0])
    )


def _by_extension(e164: str, candidates: Sequence[Candidate], site: str) -> Proposal | None:
    fitting = [
        c
        for c in candidates
        if c.site == site and len(c.extension) >= LEAST_EXTENSION and e164.endswith(c.extension)
    ]
    if len(fitting) == 1:
        return Proposal(
            fitting[0].ref,
            fitting[0].name,
            f"extension {fitting[0].extension} is its last digits",
            sure=False,
        )
    return None


def _ways(name: str) -> set[str]:
    """The ways a name may be meant, to compare by: whole, and each side of a comma (a job before
    it, a place after it)."""
    parts = (name, *name.split(","))
    return {
        way
        for part in parts
        if (way := " ".join(part.casefold().replace(".", " ").replace(",", " ").split()))
    }
