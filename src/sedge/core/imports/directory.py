"""Who and what is here already, by every name a file may use for them."""

from collections.abc import Iterable
from dataclasses import dataclass, field

from sedge.core.records import (
    HolderKind,
    HolderRef,
    Person,
    ServiceLine,
    Site,
)


@dataclass(frozen=True)
class Directory:
    """Holders by what files call them; several where a name is not enough."""

    by_email: dict[str, HolderRef] = field(default_factory=dict)
    by_extension: dict[str, list[HolderRef]] = field(default_factory=dict)
    by_name: dict[str, list[HolderRef]] = field(default_factory=dict)
    names: dict[HolderRef, str] = field(default_factory=dict)
    sites: dict[HolderRef, str] = field(default_factory=dict)
    spots: dict[HolderRef, str | None] = field(default_factory=dict)

    @classmethod
    def of(
        cls, people: Iterable[Person], lines: Iterable[ServiceLine] = (), sites: Iterable[Site] = ()
    ) -> "Directory":
        found = cls()
        for person in people:
            ref = HolderRef(kind=HolderKind.PERSON, id=person.id)
            found._put(ref, person.name, person.site, person.spot)
            found.by_email[person.email.lower()] = ref
            if person.extension:
                found.by_extension.setdefault(person.extension, []).append(ref)
        for line in lines:
            found._put(
                HolderRef(kind=HolderKind.SERVICE_LINE, id=line.id), line.name, line.site, line.spot
            )
        for site in sites:
            found._put(HolderRef(kind=HolderKind.SITE, id=site.id), site.name, site.id, site.spot)
        return found

    def _put(self, ref: HolderRef, name: str, site: str, spot: str | None) -> None:
        self.names[ref], self.sites[ref], self.spots[ref] = name, site, spot
        self.by_name.setdefault(plain_name(name), []).append(ref)


def plain_name(name: str) -> str:
    """A name for comparing: small letters, single blanks, *Okafor, Ifeoma* turned round."""
    if name.count(",") == 1:
        last, first = name.split(",")
        name = f"{first} {last}"
    return " ".join(name.lower().split())
