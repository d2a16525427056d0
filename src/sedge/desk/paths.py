"""Call paths at the desk: which there are, and which numbers use them."""

import re
from dataclasses import dataclass
from functools import lru_cache

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.paths.patterns import DeskForm, plan_desk, read_desk
from sedge.core.paths.steps import Path, groups_named, people_named
from sedge.core.records import Group, Number, PathVersion, Person, Site
from sedge.core.workorders.tasks import PublishPath
from sedge.desk import workorders
from sedge.desk.desk import Desk
from sedge.store import tables
from sedge.store.records import is_open

MOST_PEOPLE = 500


@dataclass(frozen=True)
class PathView:
    published: PathVersion
    path: Path
    numbers: list[Number]
    names: dict[str, str]


def listing(desk: Desk) -> list[PathVersion]:
    with desk.reading() as reading:
        return reading.records.where(PathVersion, order_by=tables.path.c.name)


def counts(desk: Desk) -> dict[str, int]:
    from sqlalchemy import func, select

    life = tables.life
    with desk.reading() as reading:
        rows = reading.connection.execute(
            select(life.c.path, func.count()).where(is_open(), life.c.path.is_not(None)).group_by(life.c.path)
        ).all()
    return {row[0]: row[1] for row in rows}


def look(desk: Desk, key: str) -> PathView:
    """Raises NotFound."""
    with desk.reading() as reading:
        published = reading.records.the(PathVersion, key)
        numbers = reading.records.where(Number, tables.life.c.path == key, is_open(), order_by=tables.life.c.number, limit=200)
        people = reading.records.many(Person, set(people_named(published.body)))
        groups = reading.records.many(Group, groups_named(published.body))
    return PathView(published, Path.model_validate(published.body), numbers, {x.id: x.name for x in (*people, *groups)})


@dataclass(frozen=True)
class FormFacts:
    """What the form of a call path is filled with: the site it is for, whom one may choose, and the path as it is."""

    site: Site
    people: list[Person]
    groups: list[Group]
    holiday_places: tuple[tuple[str, str], ...]
    published: PathVersion | None
    form: DeskForm | None


def form_facts(desk: Desk, *, site: str = "", key: str = "") -> FormFacts:
    """For a new path of a site, or for one that is to be changed. `form` is None where its shape needs more than the form.

    Raises NotFound, NotUnderstood where there is no site yet.
    """
    with desk.reading() as reading:
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
                Person, table.c.site == of.id, table.c.departed.is_(False), order_by=table.c.name, limit=MOST_PEOPLE
            )
        }
        groups = [g for g in reading.records.where(Group, order_by=tables.group.c.name) if not g.removed]
    form = read_desk(Path.model_validate(published.body), of.timezone) if published else None
    return FormFacts(of, sorted(known.values(), key=lambda p: p.name), groups, holiday_places(of.country), published, form)


@lru_cache(maxsize=32)
def holiday_places(country: str) -> tuple[tuple[str, str], ...]:
    """Where public holidays can differ, with names: the country, or its subdivisions (ISO 3166-2)."""
    import holidays

    of = holidays.country_holidays(country)
    names = {code: name for name, code in of.subdivisions_aliases.items()}
    places = [(f"{country}-{part}", names.get(part, part)) for part in of.subdivisions]
    return tuple(sorted(places, key=lambda place: place[1])) or ((country, COUNTRIES[country].name),)


def plan(desk: Desk, name: str, form: DeskForm, *, key: str = "", reason: str = "") -> workorders.WorkOrder:
    """A work order, still a draft, that publishes the form as a call path: a new one, or the next version of `key`."""
    desk.require(May.CHANGE_ESTATE)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A call path needs a name of at most 80 characters.", field="name")
    path = key or _key_of(desk, name)
    task = PublishPath(path=path, name=name, body=plan_desk(form))
    return workorders.draft(desk, f"Publish {name}", [task], reason=reason)


def _key_of(desk: Desk, name: str) -> str:
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "path"
    with desk.reading() as reading:
        return plain if reading.records.find(PathVersion, plain) is None else f"{plain}-{desk.new_id('p')[2:]}"
