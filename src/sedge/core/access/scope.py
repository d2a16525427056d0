"""How far somebody reaches: which records of the estate they may change.

The unit of work asks `Scope.refuse_outside` before it saves, whatever function wants to save. A
member who is kept to sites changes records of those sites only, as they were before and as they
will be after, and no record that belongs to the whole organisation. One thing moves along with what
they may do: the count of seats in use when they grant a licence. This knows no database; the sites
of a record that has none of its own are looked up by the caller (`Lookup`).
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sedge.core.enums import Subject
from sedge.core.errors import Forbidden
from sedge.core.estate import Change
from sedge.core.licences.records import Grant, Subscription
from sedge.core.records import Device, Group, Number, PathVersion, Proof, Site

Pair = tuple[Subject, str]
Sites = Mapping[Pair, frozenset[str]]
Lookup = Callable[[set[Pair]], Sites]
OF_A_SITE = frozenset(
    {
        Subject.NUMBER,
        Subject.PERSON,
        Subject.SITE,
        Subject.SERVICE_LINE,
        Subject.DEVICE,
        Subject.DOWNSTREAM,
        Subject.ADDRESS,
        Subject.SPOT,
        Subject.GRANT,
        Subject.TRUNK,
        Subject.SBC,
        Subject.PATH,
        Subject.GROUP,
        Subject.PROOF,
        Subject.ORDER,
    }
)
NOWHERE: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Scope:
    """The sites somebody is kept to; None: the whole organisation."""

    sites: frozenset[str] | None = None

    @property
    def is_whole(self) -> bool:
        return self.sites is None

    def covers(self, site: str | None) -> bool:
        """Whether a site is inside; None stands for what belongs to the whole organisation."""
        return self.sites is None or site in self.sites

    def require(self, site: str | None, name: str = "") -> None:
        """Raises Forbidden for a site that is outside."""
        if not self.covers(site):
            raise _outside(site, name)

    def refuse_outside(self, changes: Iterable[Change], look_up: Lookup) -> None:
        """Raises Forbidden for the first change of a record that is, or would come to be,
        outside."""
        if self.sites is None:
            return
        kept = [c for c in changes if not _moves_along(c)]
        wanted = {pair for c in kept for side in _sides(c) for pair in _refers(side)}
        known = dict(look_up(wanted)) if wanted else {}
        for change in kept:
            if site := getattr(change.after, "site", None):
                known[change.subject, change.id] = known.get(
                    (change.subject, change.id), NOWHERE
                ) | {site}
        for change in kept:
            name = _name(change.after)
            if change.subject not in OF_A_SITE:
                raise _outside(None, name)
            for side in _sides(change):
                for site in sorted(_sites(side, known)):
                    self.require(site, name)


def _outside(site: str | None, name: str) -> Forbidden:
    what = name or "This"
    if site is None:
        return Forbidden(
            f"{what} belongs to the whole organisation, and you manage your own sites. Ask an"
            " administrator."
        )
    return Forbidden(
        f"{what} is at another site, and you manage your own sites. Ask an administrator.",
        site=site,
    )


def _name(record: object) -> str:
    return getattr(record, "national", "") or getattr(record, "name", "")


def _sides(change: Change) -> list[object]:
    return [side for side in (change.before, change.after) if side is not None]


def _moves_along(change: Change) -> bool:
    """Seats in use are counted when a grant begins or ends; the seats that were bought stay as they
    are."""
    before, after = change.before, change.after
    return (
        isinstance(after, Subscription)
        and before is not None
        and before.copy_with(used=after.used, version=after.version) == after
    )


def _refers(record: object) -> set[Pair]:
    """The records whose sites a record belongs to beside its own."""
    match record:
        case Grant():
            return {(record.holder.subject, record.holder.id)}
        case Device():
            return {(Subject.PERSON, record.person)}
        case Group():
            return {(Subject.PERSON, key) for key in record.members}
        case Proof():
            return {(Subject.NUMBER, record.e164)}
        case Number():
            return {(ref.subject, ref.id) for ref in (record.holder, record.reserved_for) if ref}
        case PathVersion():
            return {(Subject.PATH, record.id)}
        case _:
            return set()


def _sites(record: Any, known: Sites) -> frozenset[str]:
    if isinstance(record, Site):
        return frozenset({record.id})
    own = {record.site} if getattr(record, "site", None) else set()
    return frozenset(own).union(*(known.get(pair, NOWHERE) for pair in _refers(record)))
