"""All calls of a number to one place, asked for in one form."""

from collections.abc import Mapping

from sedge.core.callpaths.ready_made import MORE_THAN_ONE, OnePlace, path_to
from sedge.core.callpaths.steps import Path
from sedge.core.callpaths.tasks import PublishPath, SetPath
from sedge.core.enums import HolderKind
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import describe, read_one
from sedge.core.records import Group, Number, PathVersion, Person, Site
from sedge.core.workorders.task_base import Task
from sedge.services.callpaths.drawing import place_of
from sedge.services.callpaths.paths import free_key
from sedge.services.context import Context, Reading
from sedge.store.schema import tables

GROUP = "group"


def plan_calls_to(context: Context, number: str, form: Mapping[str, str]) -> tuple[list[Task], str]:
    """Tasks that send all calls of a number to one place, and the title of their work order.
    `form` has `holder` (`person:ID` or `group:ID`), `outside`, `sip`, `message` or the id of a
    published `path`. Raises NotUnderstood naming the field."""
    shown = describe(number).shown
    to = _place_of(form, context.organisation.home_country)
    with context.reading() as reading:
        if key := form.get("path"):
            if to.chosen:
                raise NotUnderstood(MORE_THAN_ONE, field="path")
            name = reading.records.the(PathVersion, key).name
            return [SetPath(number=number, path=key)], f"Route calls: {shown} to {name}"
        name = _name_of(reading, to)
        here = reading.records.the(Site, reading.records.the(Number, number).site)
        body = path_to(to, place_of(here))
        title = f"{shown} to {name}"
        if known := _published_as(reading, body):
            return [SetPath(number=number, path=known)], f"Route calls: {title}"
        key = free_key(reading, title)
    publish = PublishPath(path=key, name=title[:80], body=body, based_on=0)
    return [publish, SetPath(number=number, path=key)], f"Route calls: {title}"


def _published_as(reading: Reading, body: Path) -> str | None:
    """A published path that does the same; what was routed and undone leaves one behind."""
    wanted = body.model_dump(mode="json")
    published = reading.records.where(PathVersion, tables.path.c.retired.is_(False))
    return next((p.id for p in published if p.body == wanted), None)


def _place_of(form: Mapping[str, str], country: str) -> OnePlace:
    kind, _, key = form.get("holder", "").partition(":")
    if kind and kind not in {HolderKind.PERSON.value, GROUP}:
        raise NotUnderstood("Choose a person or a group.", field="who")
    outside = form.get("outside", "")
    return OnePlace(
        person=key if kind == HolderKind.PERSON.value else "",
        group=key if kind == GROUP else "",
        outside=read_one(outside, country, field="outside") if outside else "",
        sip=form.get("sip", ""),
        message=form.get("message", ""),
    )


def _name_of(reading: Reading, to: OnePlace) -> str:
    if to.person:
        return reading.records.the(Person, to.person).name
    if to.group:
        return reading.records.the(Group, to.group).name
    if to.outside:
        return describe(to.outside).shown
    return to.sip or "a message"
