"""Who is meant by what somebody typed: a name, a mail address or an extension."""

from sqlalchemy import func, or_

from sedge.core.errors import NotUnderstood
from sedge.core.records import RECORD_TYPES, HolderRef, Person
from sedge.services.context import Context
from sedge.store.schema import tables

MOST_PEOPLE = 60


def one_person(context: Context, line: str, *, field: str = "people") -> Person:
    """Who is meant by a name, a mail address or an extension. Raises NotUnderstood, with the
    candidates where there are several."""
    wanted = line.strip().lower()
    person = tables.person
    with context.reading() as reading:
        present = person.c.departed.is_(False)
        for column in (person.c.email, person.c.extension, person.c.name):
            condition = (
                column == line.strip()
                if column is person.c.extension
                else func.lower(column) == wanted
            )
            found = reading.records.where(Person, present, condition, limit=3)
            if len(found) == 1:
                return found[0]
            if found:
                names = ", ".join(p.email for p in found)
                raise NotUnderstood(
                    f"“{line.strip()}” may be {names}. Write the mail address.", field=field
                )
    raise NotUnderstood(
        f"Nobody is called “{line.strip()[:60]}” here. Write a name, a mail address or an"
        " extension.",
        field=field,
    )


def people_in(
    context: Context, text: str, *, most: int = MOST_PEOPLE, field: str = "people"
) -> list[Person]:
    """People named one a line: name, mail address or extension. Raises NotUnderstood naming who is
    meant by nobody."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) > most:
        raise NotUnderstood(
            f"At most {most} people at a time; these are {len(lines)}.", field=field
        )
    found = [one_person(context, line, field=field) for line in lines]
    ids = [p.id for p in found]
    if twice := next((p.name for p in found if ids.count(p.id) > 1), None):
        raise NotUnderstood(f"{twice} is there twice.", field=field)
    return found


def person_named(context: Context, typed: str) -> Person:
    """The person meant by an id, a mail address, an extension or a name. Raises NotUnderstood where
    there is none, or are several."""
    typed = typed.strip()
    table = tables.person
    with context.reading() as reading:
        known = reading.records.find(Person, typed) if typed else None
        if known:
            return known
        meant = or_(
            func.lower(table.c.email) == typed.lower(),
            func.lower(table.c.name) == typed.lower(),
            table.c.extension == (typed or "-"),
        )
        found = reading.records.where(Person, meant, table.c.departed.is_(False), limit=5)
        if not found and len(typed) >= 3:
            like = table.c.name.ilike(f"%{typed.replace('%', '').replace('_', '')}%")
            found = reading.records.where(
                Person, like, table.c.departed.is_(False), order_by=table.c.name, limit=5
            )
    if len(found) == 1:
        return found[0]
    if not found:
        raise NotUnderstood(
            "Nobody here is called that. Type a name, a mail address or an extension.",
            field="person",
        )
    raise NotUnderstood(
        f"Several are meant: {', '.join(p.name for p in found)}. Type the whole name or the mail"
        " address.",
        field="person",
    )


def name_of(context: Context, ref: HolderRef) -> str:
    """Raises NotFound."""
    with context.reading() as reading:
        found = reading.records.the(RECORD_TYPES[ref.subject], ref.id)
        return found.name  # type: ignore[attr-defined]
