"""Who holds something: a person, a site, a service line or a downstream system, by id."""

from sedge.core.enums import HolderKind, Subject
from sedge.core.facts import Fact


class HolderRef(Fact):
    kind: HolderKind
    id: str

    def __hash__(self) -> int:
        return hash((self.kind, self.id))

    @property
    def subject(self) -> Subject:
        return {
            HolderKind.PERSON: Subject.PERSON,
            HolderKind.SITE: Subject.SITE,
            HolderKind.SERVICE_LINE: Subject.SERVICE_LINE,
            HolderKind.DOWNSTREAM: Subject.DOWNSTREAM,
        }[self.kind]
