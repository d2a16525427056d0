"""Importing people: a preview with good rows, bad rows and why; then all good rows in one go, or
none."""

import hashlib
from dataclasses import dataclass
from typing import Any

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow
from sedge.core.records import Person, Site, Subject
from sedge.formats.people_csv import Row, Sheet, read_people
from sedge.services.context import Context
from sedge.store.schema import tables


@dataclass(frozen=True)
class BadRow:
    row: Row
    why: str


@dataclass(frozen=True)
class Preview:
    """`new` will be added, `changed` updated, `same` left alone; `bad` say why. `digest` names
    exactly this file."""

    sheet: Sheet
    new: list[Person]
    changed: list[Person]
    same: int
    bad: list[BadRow]
    digest: str


def preview_people(context: Context, data: bytes, default_site: str = "") -> Preview:
    """What importing this file would do; nothing is changed. Raises NotUnderstood for the file as
    a whole."""
    context.require(May.CHANGE_HOLDERS)
    sheet = read_people(data)
    with context.reading() as reading:
        sites = reading.records.all(Site)
        wanted = sorted({row.email.lower() for row in sheet.rows})
        known: dict[str, Person] = {}
        for start in range(0, len(wanted), 900):
            part = wanted[start : start + 900]
            for p in reading.records.where(
                Person, tables.person.c.email.in_(part), tables.person.c.departed.is_(False)
            ):
                known[p.email.lower()] = p
    by_name = {key: s for s in sites for key in (s.name.lower(), s.code.lower(), s.id)}
    fallback = next(
        (s for s in sites if s.id == default_site), sites[0] if len(sites) == 1 else None
    )
    new, updated, bad, seen, same = [], [], [], {}, 0
    for row in sheet.rows:
        site = by_name.get(row.site.lower()) if row.site else fallback
        if why := _fault(row, site, seen):
            bad.append(BadRow(row, why))
            continue
        seen[row.email.lower()] = row.number
        person = _person(context, row, site, known.get(row.email.lower()))  # type: ignore[arg-type]
        if row.email.lower() not in known:
            new.append(person)
        elif person == known[row.email.lower()]:
            same += 1
        else:
            updated.append(person)
    return Preview(sheet, new, updated, same, bad, hashlib.sha256(data).hexdigest())


def _fault(row: Row, site: Site | None, seen: dict[str, int]) -> str:
    if not row.name:
        return "the name is missing"
    if len(row.name) > 120:
        return "the name is longer than 120 characters"
    if "@" not in row.email or " " in row.email:
        return "the mail address is missing or not one"
    if row.email.lower() in seen:
        return f"the same mail address as in line {seen[row.email.lower()]}"
    if row.extension and not (row.extension.isdigit() and len(row.extension) <= 7):
        return f"“{row.extension}” is no extension: digits only, seven at most"
    if site is None:
        return (
            f"no site is called “{row.site}”"
            if row.site
            else "no site is named; choose one for those without"
        )
    return ""


def _person(context: Context, row: Row, site: Site, known: Person | None) -> Person:
    values: dict[str, Any] = {
        "name": row.name,
        "site": site.id,
        "department": row.department[:80],
        "job": row.job[:80],
        "extension": row.extension,
    }
    if known:
        return known.copy_with(**{k: v for k, v in values.items() if v})
    return Person(id=context.new_id("person"), email=row.email, **values)


def bring_in_people(context: Context, data: bytes, digest: str, default_site: str = "") -> Preview:
    """Import the good rows, all or none. Raises NotAllowedNow for another file."""
    found = preview_people(context, data, default_site)
    if found.digest != digest:
        raise NotAllowedNow(
            "This is another file than the one you looked at. Look at the preview again.",
            reason="other-file",
        )
    with context.reading() as reading:
        before = {p.id: p for p in reading.records.many(Person, [p.id for p in found.changed])}
    changes = [changed(Subject.PERSON, None, p, "person.added") for p in found.new]
    changes += [changed(Subject.PERSON, before[p.id], p, "person.changed") for p in found.changed]
    if changes:
        with context.writing(
            reason=f"imported from a file, {len(found.sheet.rows)} rows"
        ) as writing:
            writing.save(changes)
    return found
