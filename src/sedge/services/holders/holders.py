"""People, sites, service lines and devices."""

import re
from dataclasses import dataclass

from sqlalchemy import ColumnElement, func

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.records import (
    Carrier,
    Device,
    Grant,
    HolderKind,
    HolderRef,
    Number,
    PathVersion,
    Person,
    Product,
    ServiceLine,
    Site,
    Spot,
    Subject,
)
from sedge.services.context import Context, Reading
from sedge.store.projections import finder
from sedge.store.schema import tables

MOST_FLOORS, MOST_AREA = 200, 10_000_000
MOST_SITES, MOST_SPOTS = 400, 1000  # that a form lets one choose from

LEAST_LETTERS = 3


@dataclass(frozen=True)
class HolderRow:
    """A person or line in a list, with what they have and whether they can call."""

    holder: Person | ServiceLine
    site: str
    numbers: list[Number]
    licences: list[str]
    devices: list[Device]
    missing: list[str]


def searched(find: str) -> str:
    """What of a search counts: fewer letters than the index of words knows are no search."""
    return find if len(find.strip()) >= LEAST_LETTERS else ""


def people(
    context: Context, *, site: str = "", find: str = "", after: str = "", limit: int = 60
) -> tuple[list[HolderRow], str | None]:
    """People in order of name, and the cursor of the next page."""
    table = tables.person
    conditions: list[ColumnElement[bool]] = [table.c.departed.is_(False)]
    if site:
        conditions.append(table.c.site == site)
    if after:
        conditions.append(table.c.name > after)
    with context.reading() as reading:
        if find:
            hits = finder.find_words(
                reading.connection,
                find,
                subject=Subject.PERSON,
                limit=300 if context.who.scope.is_whole else 10_000,
            )[0]
            conditions.append(table.c.id.in_([h.ref for h in hits]))
        rows = reading.records.where(Person, *conditions, order_by=table.c.name, limit=limit + 1)
        found = _rows(reading, rows[:limit], HolderKind.PERSON)
    return found, rows[limit - 1].name if len(rows) > limit else None


def service_lines(context: Context, *, site: str = "") -> list[HolderRow]:
    table = tables.service_line
    with context.reading() as reading:
        rows = reading.records.where(
            ServiceLine, *([table.c.site == site] if site else []), order_by=table.c.name, limit=500
        )
        return _rows(reading, rows, HolderKind.SERVICE_LINE)


def _rows(reading, holders: list, kind: HolderKind) -> list[HolderRow]:
    refs = [HolderRef(kind=kind, id=h.id) for h in holders]
    numbers: dict[str, list[Number]] = {}
    for n in reading.records.held_by(Number, refs):
        numbers.setdefault(n.holder.id, []).append(n)
    grants: dict[str, list[Grant]] = {}
    for g in reading.records.held_by(Grant, refs):
        grants.setdefault(g.holder.id, []).append(g)
    products = {p.id: p.name for p in reading.records.all(Product)}
    sites = {s.id: s for s in reading.records.all(Site)}
    carriers = {c.id: c for c in reading.records.all(Carrier)}
    devices: dict[str, list[Device]] = {}
    if kind is HolderKind.PERSON:
        for d in reading.records.where(
            Device, tables.device.c.person.in_([h.id for h in holders][:900])
        ):
            if d.removed:
                continue
            devices.setdefault(d.person, []).append(d)
    return [
        HolderRow(
            holder=h,
            site=sites[h.site].name,
            numbers=sorted(
                numbers.get(h.id, []),
                key=lambda n: (n.assignment is None or n.assignment.role != "main", n.e164),
            ),
            licences=[products[g.product] for g in grants.get(h.id, [])],
            devices=devices.get(h.id, []),
            missing=missing_for(
                h,
                kind,
                numbers.get(h.id, []),
                grants.get(h.id, []),
                devices.get(h.id, []),
                carriers,
                products,
            ),
        )
        for h in holders
    ]


def missing_for(
    holder: Person | ServiceLine,
    kind: HolderKind,
    numbers: list[Number],
    grants: list[Grant],
    devices: list[Device],
    carriers: dict[str, Carrier],
    products: dict[str, str],
) -> list[str]:
    """What a holder lacks to call and be called, in a person's words."""
    if isinstance(holder, Person) and holder.left:
        return []
    missing = []
    if not numbers:
        missing.append("a number")
    if holder.spot is None and not (numbers and all(n.spot for n in numbers)):
        missing.append("an emergency spot")
    held = {g.product for g in grants}
    asked = {p for n in numbers for p in carriers[n.carrier].asks_of.get(kind, ())}
    missing += [products[p] for p in sorted(asked - held)]
    if kind is HolderKind.PERSON and not any(d.registered for d in devices):
        missing.append("a registered phone" if devices else "a phone")
    if kind is HolderKind.SERVICE_LINE and numbers and all(n.path is None for n in numbers):
        missing.append("a call path")
    return missing


def one_holder(context: Context, kind: HolderKind, key: str) -> HolderRow:
    """Raises NotFound."""
    record_type = Person if kind is HolderKind.PERSON else ServiceLine
    with context.reading() as reading:
        return _rows(reading, [reading.records.the(record_type, key)], kind)[0]


def zone_of_person(context: Context, key: str) -> str:
    """The time zone of the site somebody works at. Raises NotFound."""
    with context.reading() as reading:
        return reading.records.the(Site, reading.records.the(Person, key).site).timezone


def names_of(context: Context, line: Person | ServiceLine) -> list[Person]:
    """The people who answer a service line themselves, not through groups, in their order."""
    if not isinstance(line, ServiceLine):
        return []
    with context.reading() as reading:
        keys = line.members or line.recipients
        found = {p.id: p for p in reading.records.many(Person, keys)}
    return [found[key] for key in keys if key in found]


def paths_of(context: Context, row: HolderRow) -> list[PathVersion]:
    """The call paths that the numbers of somebody follow."""
    keys = dict.fromkeys(n.path for n in row.numbers if n.path)
    with context.reading() as reading:
        return sorted(reading.records.many(PathVersion, keys), key=lambda path: path.name)


def add_person(
    context: Context,
    *,
    name: str,
    email: str,
    site: str,
    department: str = "",
    job: str = "",
    extension: str = "",
    spot: str = "",
) -> Person:
    """A new person; their phones are added one by one, each with a sign-in of its own. Raises
    NotUnderstood naming the field, NotAllowedNow where the mail address or the extension is
    taken."""
    context.require(May.CHANGE_HOLDERS)
    context.require_site(site)
    name, email, extension = name.strip(), email.strip(), extension.strip()
    if not 1 <= len(name) <= 120:
        raise NotUnderstood("A person needs a name of at most 120 characters.", field="name")
    if "@" not in email or " " in email or len(email) > 200:
        raise NotUnderstood(
            "Type the mail address, such as ifeoma.okafor@lanternfield.example.", field="email"
        )
    if extension and not (extension.isascii() and extension.isdigit() and len(extension) <= 7):
        raise NotUnderstood("An extension has digits only, seven at most.", field="extension")
    table = tables.person
    with context.reading() as reading:
        of = _site_named(reading, site)
        same = reading.records.where(
            Person, func.lower(table.c.email) == email.lower(), table.c.departed.is_(False)
        )
        held = reading.records.where(
            Person,
            table.c.extension == (extension or "-"),
            table.c.site == site,
            table.c.departed.is_(False),
        )
    if same:
        raise NotAllowedNow(
            f"{same[0].name} has this mail address already.",
            field="email",
            reason="email-taken",
            id=same[0].id,
        )
    if held:
        raise NotAllowedNow(
            f"{held[0].name} has extension {extension} at {of.name} already. Choose another, or"
            " leave it empty.",
            field="extension",
            reason="extension-taken",
            id=held[0].id,
        )
    person = Person(
        id=context.new_id("person"),
        name=name,
        email=email,
        site=site,
        department=department[:80],
        job=job[:80],
        extension=extension,
        spot=spot or None,
    )
    with context.writing() as writing:
        at = writing.records.find(Spot, spot) if spot else None
        if spot and (at is None or at.site != site or at.removed):
            raise NotUnderstood(f"Choose a spot of {of.name}.", field="spot")
        return writing.save([changed(Subject.PERSON, None, person, "person.added")])[0].after


def mail_told(text: str) -> str:
    """The mail address of who is told of emergency calls; '' for nobody yet. Raises
    NotUnderstood."""
    told = text.strip()
    if told and not re.fullmatch(r"[^@\s]{1,64}@[^@\s]{1,135}", told):
        raise NotUnderstood(
            "Who is told of emergency calls is a mail address, such as desk@example.org.",
            field="security_desk",
        )
    return told


def _site_named(reading: Reading, key: str) -> Site:
    """Raises NotUnderstood naming the field."""
    found = reading.records.find(Site, key)
    if found is None:
        raise NotUnderstood(
            "Choose one of the sites that are here." if key else "Choose the site.", field="site"
        )
    return found
