"""Tasks of call paths: which one a number has, what it does, what people answer, and its proof."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, field_validator

from sedge.core.access.roles import May
from sedge.core.callpaths.steps import Path, groups_named, named_by, paths_named, people_named
from sedge.core.changes import changed, number_changed
from sedge.core.enums import Subject
from sedge.core.estate import Change, Estate
from sedge.core.holding import HolderRef
from sedge.core.load_spec import LoadSpec
from sedge.core.records import Answering, PathVersion, Person
from sedge.core.workorders.task_base import (
    NOTHING_MORE,
    Name,
    NumberField,
    Prerequisites,
    Provision,
    Task,
    Thing,
    Waiting,
    at_once,
    for_nothing,
    free,
    holder_name,
    name_of,
    no_changes,
    not_at_all,
    nothing,
    what_it_is_about,
    what_it_names,
)
from sedge.core.workorders.undo import restore

# stand where a path's id would
PAGES_OF_PATHS = frozenset(
    {"bring-in", "draw", "new", "out", "prove", "questions", "sounds", "week"}
)


class SetPath(Task):
    kind: Literal["set_path"] = "set_path"
    takes = NOTHING_MORE
    number: NumberField
    path: str

    needs = what_it_names
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PATH_OF, self.e164 or "")

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)
        yield Provision(Thing.PATH, self.path)
        yield Provision(Thing.ASSIGNED, self.e164 or "")

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Set the call path of {self.shown}", f"to {name_of(estate, PathVersion, self.path)}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        number = estate.number(self.known_number)
        path = estate.the(PathVersion, self.path)
        return number_changed(number, "number.path-set", path=path.id)


class PublishPath(Task):
    kind: Literal["publish_path"] = "publish_path"
    takes = NOTHING_MORE
    path: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]
    name: Name
    body: Path
    based_on: int | None = Field(
        default=None, description="the version that the drawing began from; 0 for a new path"
    )

    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    @field_validator("path")
    @classmethod
    def _no_page(cls, value: str) -> str:
        if value in PAGES_OF_PATHS:
            raise ValueError(f"“{value}” is the name of a page; give the path another id")
        return value

    def needs(self) -> LoadSpec:
        body = self.body.model_dump(mode="json")
        named = {pair for step in body["steps"].values() for pair in named_by(step)}
        return LoadSpec(
            paths={self.path, *paths_named(body)},
            path_users={self.path},
            people=set(people_named(body)),
            group_ids=set(groups_named(body)),
            records={pair for pair in named if pair[0] in {Subject.DEVICE, Subject.DOWNSTREAM}},
        )

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.PATH, self.path)
        yield Provision(Thing.PATHS)

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        for person in people_named(self.body.model_dump(mode="json")):
            yield Provision(Thing.PERSON, person)
        yield Provision(Thing.GROUPS)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Publish {self.name}", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        before = estate.get(PathVersion, self.path)
        path = PathVersion(
            id=self.path,
            name=self.name,
            number=before.number + 1 if before else 1,
            body=self.body.model_dump(mode="json"),
            in_force_from=estate.now,
            version=before.version if before else 0,
        )
        return [changed(Subject.PATH, before, path, "path.published")]


class RetirePath(Task):
    """A call path that is no longer needed: it is offered nowhere, until it is published again."""

    kind: Literal["retire_path"] = "retire_path"
    takes = NOTHING_MORE
    path: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,80}$")]

    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        itself = (Subject.PATH, self.path)
        return LoadSpec(paths={self.path}, path_users={self.path}, named={itself}, choices=True)

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PATHS)

    def describe(self, estate: Estate) -> tuple[str, str]:
        return f"Retire call path {name_of(estate, PathVersion, self.path)}", ""

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        path = estate.the(PathVersion, self.path)
        return [changed(Subject.PATH, path, path.retired_at(estate.now), "path.retired")]


class SetAnswering(Task):
    """A person's own answering rules: hours, ring time, devices, mobile, who may pick up, what
    then."""

    kind: Literal["set_answering"] = "set_answering"
    takes = NOTHING_MORE
    holder: HolderRef
    ring_seconds: Annotated[int, Field(ge=5, le=300)] = 25
    answering: Answering

    requires = what_it_is_about
    waits = for_nothing
    works = at_once
    costs = free
    reversal = restore

    def needs(self) -> LoadSpec:
        found = what_it_names(self)
        found.people |= {key for key in (*self.answering.pickup, self.answering.cover) if key}
        return found

    def provides(self) -> Iterator[Provision]:
        yield Provision(Thing.PREPARED)
        yield Provision(Thing.ANSWERING)

    def describe(self, estate: Estate) -> tuple[str, str]:
        whose = f"Set the answering rules of {holder_name(self.holder, estate)}"
        return whose, f"rung for {self.ring_seconds} s, then {self.answering.then}"

    def apply(self, estate: Estate, identity: str = "new") -> list[Change]:
        person = estate.the(Person, self.holder.id)
        after = person.copy_with(answering=self.answering, ring_seconds=self.ring_seconds)
        return [changed(Subject.PERSON, person, after, "person.answering-set")]


class PlaceTestCall(Task):
    """A call that proves a number; what it heard is kept once the telephone system has answered."""

    kind: Literal["place_test_call"] = "place_test_call"
    takes = frozenset({May.PLACE_TEST_CALL})
    for_good = "a test call"
    number: NumberField
    direction: Literal["in", "out"] = "in"

    needs = what_it_names
    provides = nothing
    apply = no_changes
    costs = free
    reversal = not_at_all

    def requires(self, prerequisites: Prerequisites) -> Iterator[Provision]:
        yield from what_it_is_about(self, prerequisites)
        yield Provision(Thing.SWITCHED)
        yield Provision(Thing.ASSIGNED, self.e164 or "")
        yield Provision(Thing.LISTED, self.e164 or "")
        yield Provision(Thing.PATH_OF, self.e164 or "")
        yield Provision(Thing.ANSWERING)
        yield Provision(Thing.CALLER_IDS)

    def describe(self, estate: Estate) -> tuple[str, str]:
        way = "to" if self.direction == "in" else "from"
        return f"Place a test call {self.direction}", f"{way} {self.shown}"

    def waits(self, estate: Estate) -> Waiting | None:
        number = estate.number(self.known_number)
        if number.assignment and number.assignment.works_from > estate.now:
            return Waiting(number.assignment.works_from, f"{number.shown} to work for its holder")
        return None

    def works(self, estate: Estate) -> str:
        return "when all before it works"
