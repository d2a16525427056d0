"""What the directory says of people and groups, held against what Sedge knows: differences become
proposals, never changes."""

from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import Any

from sedge.core.facts import Fact
from sedge.core.records import Group, Person, Site


class ProposalKind(StrEnum):
    JOINER = "joiner"
    MOVER = "mover"
    LEAVER = "leaver"
    CHANGED = "changed"
    GROUP = "group"


class Said(Fact):
    """Somebody as the directory has them. `id` is theirs in Sedge, now or to be; `external` the
    directory's own; `site` as it names it."""

    id: str
    external: str = ""
    name: str
    email: str
    site: str = ""
    department: str = ""
    job: str = ""
    extension: str = ""
    manager: str = ""
    active: bool = True


class SaidGroup(Fact):
    """A group as the directory has it; `members` are ids of people."""

    id: str
    external: str = ""
    name: str
    members: tuple[str, ...] = ()
    gone: bool = False


class Difference(Fact):
    """One fact: what Sedge has, what the directory says."""

    what: str
    here: str
    there: str


class Proposal(Fact):
    """What the directory proposes. `changes` are values of `ChangePerson`'s fields; `problem` says
    what somebody must decide first."""

    kind: ProposalKind
    about: str
    name: str
    said: dict[str, Any]
    differences: tuple[Difference, ...] = ()
    changes: dict[str, Any] = {}
    problem: str = ""


FACTS = {
    "name": "name",
    "email": "mail address",
    "department": "department",
    "job": "job",
    "extension": "extension",
}


def site_named(text: str, sites: Iterable[Site]) -> Site | None:
    """The site a directory means: by name, letters or id, whatever the case."""
    wanted = text.strip().lower()
    return next(
        (s for s in sites if wanted and wanted in {s.name.lower(), s.code.lower(), s.id.lower()}),
        None,
    )


def about_person(
    said: Said, person: Person | None, sites: Iterable[Site], people: Mapping[str, Person]
) -> Proposal | None:
    """What a directory's word of somebody comes to; None where all is as it says. What it leaves
    empty it says nothing of."""
    site, word = site_named(said.site, sites), said.model_dump()
    unknown = f"No site here is called “{said.site}”." if said.site and site is None else ""
    if person is None or person.left:
        if not said.active:
            return None
        problem = unknown or ("" if site else "The directory names no site; choose one.")
        joiner = ProposalKind.JOINER
        return Proposal(kind=joiner, about=said.id, name=said.name, said=word, problem=problem)
    if not said.active:
        leaver = ProposalKind.LEAVER
        return Proposal(kind=leaver, about=person.id, name=person.name, said=word)
    found = [
        Difference(what=words, here=getattr(person, f), there=getattr(said, f))
        for f, words in FACTS.items()
        if _differs(person, said, f)
    ]
    changes: dict[str, object] = {f: getattr(said, f) for f in FACTS if _differs(person, said, f)}
    if site and site.id != person.site:
        here = next((s.name for s in sites if s.id == person.site), person.site)
        found.insert(0, Difference(what="site", here=here, there=site.name))
        changes["site"] = site.id
    if said.manager and said.manager in people and said.manager != person.manager:
        known = people.get(person.manager or "")
        here = known.name if known else ""
        found.append(Difference(what="manager", here=here, there=people[said.manager].name))
        changes["manager"] = said.manager
    if said.external and said.external != person.known_elsewhere_as:
        changes["known_elsewhere_as"] = said.external
        if person.known_elsewhere_as:
            here = person.known_elsewhere_as
            found.append(Difference(what="id in the directory", here=here, there=said.external))
    if not found and not unknown:
        return None
    kind = ProposalKind.MOVER if "site" in changes or unknown else ProposalKind.CHANGED
    return Proposal(
        kind=kind,
        about=person.id,
        name=person.name,
        said=word,
        differences=tuple(found),
        changes=changes,
        problem=unknown,
    )


def _differs(person: Person, said: Said, field: str) -> bool:
    here, there = getattr(person, field), getattr(said, field)
    return bool(there) and (here.lower() != there.lower() if field == "email" else here != there)


def about_group(
    said: SaidGroup, group: Group | None, people: Mapping[str, Person]
) -> Proposal | None:
    """What a directory's word of a group comes to; members whom Sedge does not know are left out
    and named."""
    known = tuple(m for m in said.members if m in people and not people[m].left)
    if said.gone:
        if group is None or group.removed:
            return None
        return Proposal(
            kind=ProposalKind.GROUP,
            about=said.id,
            name=said.name,
            said=said.model_dump(),
            changes={"removed": True},
        )
    if group and not group.removed and set(group.members) == set(known) and group.name == said.name:
        return None
    here = set(group.members) if group and not group.removed else set()
    found = [Difference(what="in", here="", there=people[m].name) for m in known if m not in here]
    found += [
        Difference(what="out", here=people[m].name if m in people else m, there="")
        for m in sorted(here - set(known))
    ]
    if group and group.name != said.name:
        found.insert(0, Difference(what="name", here=group.name, there=said.name))
    missing = len(said.members) - len(known)
    problem = (
        f"{missing} of its members are not in Sedge yet; take them in first." if missing else ""
    )
    changes: dict[str, object] = {"name": said.name, "members": list(known), "removed": False}
    return Proposal(
        kind=ProposalKind.GROUP,
        about=said.id,
        name=said.name,
        said=said.model_dump(),
        differences=tuple(found),
        changes=changes,
        problem=problem,
    )
