"""Which numbers and holders a work order is about: kept beside its tasks, so that overlapping ones
are found without reading them."""

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import Connection, delete, insert

from sedge.core.records import Subject
from sedge.core.workorders.task_base import Task
from sedge.store.schema.holders import order_touch

MOST_TOLD = 200
OPEN = ("draft", "scheduled", "running")
Thing = tuple[str, str]


def things_of(tasks: Iterable[Task]) -> list[Thing]:
    """The numbers (E.164) and holders that tasks name, each once, as (subject, id)."""
    return list(
        dict.fromkeys((subject.value, key) for task in tasks for subject, key in task.names())
    )


def refilled(body: Any, mapping: Mapping[Thing, str]) -> Any:
    """A task's plain data with other numbers and holders in the places of those it names."""
    out = dict(body)
    for field in ("number", "person"):
        subject = Subject.NUMBER.value if field == "number" else Subject.PERSON.value
        if isinstance(out.get(field), str):
            out[field] = mapping.get((subject, out[field]), out[field])
    if out.get("numbers"):
        out["numbers"] = [mapping.get((Subject.NUMBER.value, n), n) for n in out["numbers"]]
    if holder := out.get("holder"):
        subject = {"service_line": Subject.SERVICE_LINE, "downstream": Subject.DOWNSTREAM}.get(
            holder["kind"], holder["kind"]
        )
        out["holder"] = {**holder, "id": mapping.get((str(subject), holder["id"]), holder["id"])}
    return out


def keep_subjects(connection: Connection, order: str, tasks: Iterable[Task]) -> None:
    """Note what a draft's tasks are about, in place of what was noted."""
    connection.execute(delete(order_touch).where(order_touch.c.work_order == order))
    rows = [
        {"work_order": order, "subject": subject, "ref": ref} for subject, ref in things_of(tasks)
    ]
    if rows:
        connection.execute(insert(order_touch), rows)
