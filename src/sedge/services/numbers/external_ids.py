"""Ids under which other systems know a number, site, area or emergency spot: noted, looked up,
exported, matched on import."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotFound, NotUnderstood
from sedge.core.numbers.e164 import describe
from sedge.core.numbers.plan import AREAS
from sedge.core.records import RECORD_TYPES, Area, Number, Subject
from sedge.formats import sheets
from sedge.services.context import Context, Reading
from sedge.services.numbers.numbers import known_with, the_number
from sedge.store.schema import projected

KINDS = {s.value: s for s in (Subject.NUMBER, Subject.SITE, Subject.AREA, Subject.SPOT)}
ACTIONS = {
    Subject.NUMBER: "number.labelled",
    Subject.SITE: "site.changed",
    Subject.AREA: "area.noted",
    Subject.SPOT: "spot.changed",
}
A_PAGE = 200


@dataclass(frozen=True)
class Known:
    """`name` is how the thing is called here, `ref` its id here, `value` its id in the other
    `system`."""

    kind: str
    ref: str
    name: str
    system: str
    value: str


def list_ids(
    context: Context, *, find: str = "", system: str = "", kind: str = "", limit: int = A_PAGE
) -> list[Known]:
    """Ids noted, by system and value; `find` is part of the value."""
    table = projected.known_as
    query = (
        select(table.c.subject, table.c.ref, table.c.system, table.c.value)
        .order_by(table.c.system, table.c.value)
        .limit(limit)
    )
    if find:
        query = query.where(table.c.value.icontains(find, autoescape=True))
    if system:
        query = query.where(table.c.system == system)
    if kind:
        query = query.where(table.c.subject == kind)
    with context.reading() as reading:
        rows = reading.connection.execute(query).all()
        others = [(Subject(row.subject), row.ref) for row in rows if row.subject != Subject.NUMBER]
        names = reading.records.names(others)
    return [
        Known(
            row.subject,
            row.ref,
            (
                describe(row.ref).shown
                if row.subject == Subject.NUMBER
                else names.get((Subject(row.subject), row.ref)) or row.ref
            ),
            row.system,
            row.value,
        )
        for row in rows
    ]


def systems(context: Context) -> list[str]:
    table = projected.known_as
    with context.reading() as reading:
        return [
            name
            for (name,) in reading.connection.execute(
                select(table.c.system).distinct().order_by(table.c.system)
            )
        ]


def note(context: Context, kind: str, which: str, system: str, value: str) -> Any:
    """Note an id, or forget it where it is empty. `which` is a number in any writing, a site's name
    or code, a spot's code, an area's leading digits or name. Raises NotUnderstood, NotFound."""
    context.require(May.EDIT_FACTS)
    subject = KINDS.get(kind)
    if subject is None:
        raise NotUnderstood(f"Ids are noted for: {', '.join(KINDS)}.", field="kind")
    number = the_number(context, which, field="which") if subject is Subject.NUMBER else ""
    with context.writing() as writing:
        record = (
            writing.records.the(Number, number)
            if number
            else _thing(writing, subject, which.strip())
        )
        after = record.copy_with(known_as=known_with(record.known_as, [(system, value)]))
        if after == record:
            return record
        before = record if record.version else None
        return writing.save([changed(subject, before, after, ACTIONS[subject])])[0].after


def _thing(reading: Reading, subject: Subject, which: str) -> Any:
    wanted = which.lower()
    if subject is Subject.AREA:
        digits = "".join(c for c in which if c.isdecimal())
        lead = (
            digits
            if digits in AREAS
            else next((lead for lead, name in AREAS.items() if name.lower() == wanted), "")
        )
        if not lead:
            raise NotFound(
                f"No area is called “{which[:40]}”. Write its name or its leading digits with the"
                " country code.",
                field="which",
            )
        return reading.records.find(Area, lead) or Area(id=lead, name=AREAS[lead])
    for record in reading.records.all(RECORD_TYPES[subject]):
        names = [
            getattr(record, "id", ""),
            getattr(record, "name", ""),
            getattr(record, "code", ""),
        ]
        if wanted and wanted in [name.lower() for name in names]:
            return record
    raise NotFound(f"No {subject} is called “{which[:40]}”. Check its name or code.", field="which")


def exported(context: Context) -> Iterator[bytes]:
    rows = ([k.kind, k.ref, k.name, k.system, k.value] for k in list_ids(context, limit=1_000_000))
    return sheets.to_csv(["kind", "here", "name", "system", "there"], rows)
