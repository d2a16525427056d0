"""What one may choose from while drawing a call path, and the patterns to begin with."""

from collections.abc import Callable
from dataclasses import dataclass

from sedge.core.callpaths.editing import Place
from sedge.core.callpaths.openings import holiday_places
from sedge.core.callpaths.ready_made import READY_MADE
from sedge.core.callpaths.steps import Path, Step, named_by
from sedge.core.errors import NotUnderstood
from sedge.core.records import Device, Downstream, Group, PathVersion, Person, Site
from sedge.services.callpaths.drawing import place_of
from sedge.services.callpaths.sounds import Sound, list_sounds
from sedge.services.context import Context
from sedge.store.schema import tables

MOST_PEOPLE = 500
PATTERNS = [
    ("", "From nothing: the holder of the number is rung"),
    *((key, made.words) for key, made in READY_MADE.items()),
]


@dataclass(frozen=True)
class Choices:
    """Whom and what a step of a path at a site can name."""

    site: Site
    people: list[Person]
    groups: list[Group]
    devices: list[tuple[str, str]]
    systems: list[tuple[str, str]]
    paths: list[tuple[str, str]]
    sounds: list[Sound]
    holiday_places: tuple[tuple[str, str], ...]
    more_people: bool = False


def choices(context: Context, site: str, step: Step | None) -> Choices:
    """People of the site, and whoever the step names already; groups, systems and paths of all
    sites."""
    named = {ref for subject, ref in named_by(step.model_dump(mode="json"))} if step else set()
    with context.reading() as reading:
        records = reading.records
        home = records.the(Site, site)
        table = tables.person
        here = records.where(
            Person,
            table.c.site == site,
            table.c.departed.is_(False),
            order_by=table.c.name,
            limit=MOST_PEOPLE + 1,
        )
        known = {p.id: p for p in (*here[:MOST_PEOPLE], *records.many(Person, named))}
        groups = [g for g in records.where(Group, order_by=tables.group.c.name) if not g.removed]
        owners = sorted(known)[:900]
        devices = (
            records.where(Device, tables.device.c.person.in_(owners))
            if step and step.kind == "ring"
            else []
        )
        systems = [s for s in records.all(Downstream) if not s.removed]
        path = tables.path
        paths = records.where(PathVersion, path.c.retired.is_(False), order_by=path.c.name)
    people = sorted(known.values(), key=lambda p: p.name.lower())
    return Choices(
        home,
        people,
        groups,
        sorted(((d.id, d.name) for d in devices if not d.removed), key=lambda d: d[1].lower()),
        [(s.id, s.name) for s in systems],
        [(p.id, p.name) for p in paths],
        list_sounds(context),
        holiday_places(home.country),
        len(here) > MOST_PEOPLE,
    )


def from_pattern(context: Context, name: str, site: str) -> Path:
    """A ready-made path for a site. Raises NotUnderstood for a name there is no pattern of."""
    made = READY_MADE.get(name)
    if made is None:
        raise NotUnderstood("There is no such pattern.", field="pattern")
    with context.reading() as reading:
        where: Place = place_of(reading.records.the(Site, site))
    build: Callable[[Place], Path] = made.build
    return build(where)
