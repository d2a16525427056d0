"""Call paths: which there are, and which numbers use them."""

import re
import secrets
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sedge.core.access.roles import May
from sedge.core.callpaths.openings import holiday_places
from sedge.core.callpaths.patterns import DeskForm, plan_desk, read_desk
from sedge.core.callpaths.steps import Path, named_by, people_named
from sedge.core.callpaths.tasks import PAGES_OF_PATHS, PublishPath, RetirePath
from sedge.core.errors import NotUnderstood
from sedge.core.records import RECORD_TYPES, Group, Number, PathVersion, Person, Site, Subject
from sedge.services.context import Context, Reading
from sedge.services.workorders import workorders
from sedge.store.repositories import callpaths as store
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_PEOPLE = 500


@dataclass(frozen=True)
class PathView:
    published: PathVersion
    path: Path
    numbers: list[Number]
    names: dict[str, str]


def list_paths(context: Context) -> list[PathVersion]:
    with context.reading() as reading:
        here = tables.path.c.retired.is_(False)
        return reading.records.where(PathVersion, here, order_by=tables.path.c.name)


def counts(context: Context) -> dict[str, int]:
    with context.reading() as reading:
        return store.users(reading.connection)


def versions(context: Context, key: str) -> list[tuple[int, datetime]]:
    """Numbers of the versions there have been with the moment each came in force, newest first."""
    with context.reading() as reading:
        return store.versions(reading.connection, key)


def drawings(context: Context) -> list[store.Draft]:
    """Call paths that somebody is drawing, the one changed last first; those published as they
    stand are done with."""
    with context.reading() as reading:
        found = store.drafts(reading.connection)
        published = {p.id: p for p in reading.records.many(PathVersion, [d.path for d in found])}
    return [d for d in found if not is_done(d, published.get(d.path))]


def is_drawn(context: Context, key: str) -> bool:
    return any(d.path == key for d in drawings(context))


def is_done(draft: store.Draft, published: PathVersion | None) -> bool:
    """Whether a drawing has been published as it stands."""
    return (
        published is not None
        and published.number > draft.based_on
        and draft.body.model_dump(mode="json") == published.body
    )


def is_published(context: Context, key: str) -> bool:
    with context.reading() as reading:
        return reading.records.find(PathVersion, key) is not None


def view_path(context: Context, key: str) -> PathView:
    """Raises NotFound."""
    with context.reading() as reading:
        published = reading.records.the(PathVersion, key)
        numbers = reading.records.where(
            Number, tables.life.c.path == key, is_open(), order_by=tables.life.c.number, limit=200
        )
        names = _names_in(reading, published.body)
    return PathView(published, Path.model_validate(published.body), numbers, names)


def _names_in(reading: Reading, body: dict[str, Any]) -> dict[str, str]:
    """What a stored path names besides numbers, by id."""
    wanted: dict[Subject, set[str]] = {}
    for step in body["steps"].values():
        for subject, key in named_by(step):
            wanted.setdefault(subject, set()).add(key)
    wanted.pop(Subject.NUMBER, None)
    records = (
        record
        for subject, keys in wanted.items()
        for record in reading.records.many(RECORD_TYPES[subject], keys)
    )
    return {record.id: record.name for record in records}  # type: ignore[attr-defined]


@dataclass(frozen=True)
class FormFacts:
    """What the form of a call path is filled with: the site it is for, whom one may choose, and the
    path as it is."""

    site: Site
    people: list[Person]
    groups: list[Group]
    holiday_places: tuple[tuple[str, str], ...]
    published: PathVersion | None
    form: DeskForm | None


def form_facts(context: Context, *, site: str = "", key: str = "") -> FormFacts:
    """For a new path of a site, or for one that is to be changed. `form` is None where its shape
    needs more than the form.

    Raises NotFound, NotUnderstood where there is no site yet.
    """
    with context.reading() as reading:
        published = reading.records.the(PathVersion, key) if key else None
        named = set(people_named(published.body)) if published else set()
        sites = reading.records.all(Site)
        if not sites:
            raise NotUnderstood("A call path belongs to a site. Add the site first.", field="site")
        known = {p.id: p for p in reading.records.many(Person, named)}
        home = site or next((p.site for p in known.values()), sites[0].id)
        of = reading.records.the(Site, home)
        table = tables.person
        known |= {
            p.id: p
            for p in reading.records.where(
                Person,
                table.c.site == of.id,
                table.c.departed.is_(False),
                order_by=table.c.name,
                limit=MOST_PEOPLE,
            )
        }
        groups = [
            g for g in reading.records.where(Group, order_by=tables.group.c.name) if not g.removed
        ]
    form = read_desk(Path.model_validate(published.body), of.timezone) if published else None
    return FormFacts(
        of,
        sorted(known.values(), key=lambda p: p.name),
        groups,
        holiday_places(of.country),
        published,
        form,
    )


def plan(
    context: Context, name: str, form: DeskForm, *, key: str = "", reason: str = ""
) -> workorders.WorkOrder:
    """A work order, still a draft, that publishes the form as a call path: a new one, or the next
    version of `key`."""
    context.require(May.CHANGE_ESTATE)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A call path needs a name of at most 80 characters.", field="name")
    path = key or _key_of(context, name)
    with context.reading() as reading:
        published = reading.records.find(PathVersion, path)
    task = PublishPath(
        path=path, name=name, body=plan_desk(form), based_on=published.number if published else 0
    )
    return workorders.draft(context, f"Publish {name}", [task], reason=reason)


def retire(context: Context, key: str) -> workorders.WorkOrder:
    """A work order, so that what still leads to it is seen. Raises NotFound."""
    context.require(May.CHANGE_ESTATE)
    with context.reading() as reading:
        path = reading.records.the(PathVersion, key)
    tasks = [RetirePath(path=key)]
    return workorders.draft(context, f"Retire call path {path.name}", tasks, look=True)


def free_key(reading: Reading, name: str) -> str:
    """An id for a new path that nothing published or drawn has yet."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "path"
    taken = (
        plain in PAGES_OF_PATHS
        or reading.records.find(PathVersion, plain) is not None
        or store.draft(reading.connection, plain) is not None
    )
    return plain if not taken else f"{plain}-{secrets.token_hex(3)}"


def _key_of(context: Context, name: str) -> str:
    with context.reading() as reading:
        return free_key(reading, name)
