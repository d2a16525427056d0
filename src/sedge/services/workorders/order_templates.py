"""Work orders kept as templates, and drafts made from them."""

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.records import Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.tasks import TASK
from sedge.services import people_lookup
from sedge.services.context import Context
from sedge.services.numbers.numbers import the_number
from sedge.services.workorders import workorders
from sedge.services.workorders.drafts import _mine
from sedge.store.projections import order_subjects as touching_store
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import holders as holder_tables
from sedge.store.schema import tables

TYPED = {Subject.NUMBER, Subject.PERSON, Subject.DEVICE}


MOST_CHOICES = 300


@dataclass(frozen=True)
class Template:
    """A work order kept to be used again: its tasks, and the slots (`subject`, id, how it is
    called) that may be filled otherwise."""

    id: str
    name: str
    created_by: str
    tasks: list[dict[str, Any]]
    slots: list[tuple[str, str, str]]


def keep_as_template(context: Context, key: str, name: str) -> Template:
    """Raises NotUnderstood for an empty name or one that is taken."""
    context.require(May.CHANGE_ESTATE)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A template needs a name of at most 80 characters.", field="name")
    table = holder_tables.order_template
    with context.writing() as writing:
        order = _mine(context, writing, key)
        if any(isinstance(x.body, t.PutBack) for x in order.tasks):
            raise NotAllowedNow("An undo can't be kept as a template.", reason="undo")
        if writing.connection.execute(select(table.c.id).where(table.c.name == name)).first():
            raise NotUnderstood(
                f"There is a template called {name} already. Choose another name.", field="name"
            )
        tasks = [x.body.model_dump(mode="json") for x in order.tasks]
        things = touching_store.things_of([x.body for x in order.tasks])
        names = writing.records.names(
            (Subject(kind), ref) for kind, ref in things if kind != Subject.NUMBER
        )
        slots = [
            (
                kind,
                ref,
                (
                    describe(ref).shown
                    if kind == Subject.NUMBER
                    else names.get((Subject(kind), ref), ref)
                ),
            )
            for kind, ref in things
        ]
        row = {
            "id": context.new_id("template"),
            "name": name,
            "created_by": context.actor,
            "created_at": writing.now,
        }
        writing.connection.execute(
            table.insert().values(**row, body=json.dumps({"tasks": tasks, "slots": slots}))
        )
        writing.record_event("template.kept", Subject.WORK_ORDER, order.id, name)
    return Template(row["id"], name, context.actor, tasks, slots)


def templates(context: Context) -> list[Template]:
    table = holder_tables.order_template
    with context.reading() as reading:
        rows = reading.connection.execute(select(table).order_by(table.c.name).limit(500)).all()
    return [_template(row) for row in rows]


def _template(row: Any) -> Template:
    body = json.loads(row.body)
    return Template(
        row.id, row.name, row.created_by, body["tasks"], [tuple(x) for x in body["slots"]]
    )


def the_template(context: Context, key: str) -> Template:
    """Raises NotFound."""
    found = next((x for x in templates(context) if x.id == key), None)
    if found is None:
        raise NotFound(
            "There is no such template. It may have been deleted.", subject="template", id=key
        )
    return found


def throw_away_template(context: Context, key: str) -> None:
    context.require(May.CHANGE_ESTATE)
    found = the_template(context, key)
    with context.writing() as writing:
        writing.connection.execute(
            holder_tables.order_template.delete().where(holder_tables.order_template.c.id == key)
        )
        writing.record_event("template.thrown-away", Subject.WORK_ORDER, key, found.name)


def choices_of(context: Context, template: Template) -> list[list[tuple[str, str]]]:
    """For each slot what it may be filled with, (id, name) by name; empty where there are too many
    to choose from and one types."""
    found: dict[str, list[tuple[str, str]]] = {}
    with context.reading() as reading:
        for kind in {Subject(kind) for kind, _, _ in template.slots} - TYPED:
            table = tables.RECORD_TABLES[kind]
            if "name" in table.c:
                rows = reading.connection.execute(
                    select(table.c.id, table.c.name)
                    .order_by(func.lower(table.c.name))
                    .limit(MOST_CHOICES + 1)
                )
                found[kind] = [(key, name) for key, name in rows]
    return [
        options if len(options := found.get(kind, [])) <= MOST_CHOICES else []
        for kind, _, _ in template.slots
    ]


def from_template(context: Context, key: str, filled: dict[int, str]) -> WorkOrder:
    """A draft of a template with its slots as they were, or as `filled` by their place: a number
    typed any way, a person by name, mail address or extension, anything else by its id.

    Raises NotUnderstood naming the slot that refers to nothing, or to several.
    """
    template = the_template(context, key)
    mapping = {
        (kind, ref): _filled(context, template.slots[i], filled.get(i, "").strip(), f"slot-{i}")
        for i, (kind, ref, _) in enumerate(template.slots)
    }
    tasks = [TASK.validate_python(touching_store.refilled(x, mapping)) for x in template.tasks]
    return workorders.draft(
        context, template.name, tasks, reason=f"from the template {template.name}"
    )


def _filled(context: Context, slot: tuple[str, str, str], typed: str, field: str) -> str:
    kind, ref, name = slot
    if kind == Subject.NUMBER:
        return the_number(context, typed or ref, field=field)
    if kind == Subject.PERSON and typed:
        try:
            return people_lookup.person_named(context, typed).id
        except NotUnderstood as problem:
            raise NotUnderstood(problem.message, field=field) from None
    value = typed or ref
    with context.reading() as reading:
        if (Subject(kind), value) not in reading.records.names([(Subject(kind), value)]):
            raise NotUnderstood(
                f"{name} is no longer here, so the template refers to nothing. Choose another"
                f" {kind} for it.",
                field=field,
            )
    return value
