"""Call paths in open formats: out as JSON, CPL and calendars, in again as drawings; the ENUM zone
of all numbers with a SIP address."""

from collections.abc import Iterator
from pathlib import PurePath

from sedge.core.callpaths.editing import change_step, the_step
from sedge.core.callpaths.steps import Hours, Path, SipAddress, groups_named, people_named
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.records import Downstream, Group, HolderKind, Number, PathVersion, Person
from sedge.formats import enum_zone, path_json
from sedge.formats.callpaths import cpl, cpl_read, hours_ics
from sedge.services.callpaths import drawing
from sedge.services.context import Context, Reading
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

A_SLICE = 2000


def as_json(context: Context, key: str) -> bytes:
    published = _published(context, key)
    return path_json.write(published.name, Path.model_validate(published.body))


def as_cpl(context: Context, key: str) -> cpl.Written:
    """CPL with the report of what it can't say. Raises NotFound."""
    with context.reading() as reading:
        published = reading.records.the(PathVersion, key)
        addresses = _addresses(context, reading, published)
    return cpl.write(Path.model_validate(published.body), addresses, context.now().year)


def _addresses(context: Context, reading: Reading, published: PathVersion) -> dict[str, str]:
    """SIP addresses of people (their extension, else their mail name) and of other systems; mail
    addresses for mailboxes."""
    domain = sip_domain(context) or "invalid"
    found: dict[str, str] = {}
    for person in reading.records.many(Person, set(people_named(published.body))):
        found[person.id] = f"sip:{person.extension or person.email.partition('@')[0]}@{domain}"
        found["mail " + person.id] = person.email
    for group in reading.records.many(Group, groups_named(published.body)):
        found[group.id] = f"sip:{group.id}@{domain}"
    for system in reading.records.all(Downstream):
        found[system.id] = f"sip:{system.host}:{system.port}"
    return found


def hours_calendar(context: Context, key: str) -> bytes:
    """All hours of a path as a calendar, holidays of this year and the next written out. Raises
    NotUnderstood where it has no hours."""
    published = _published(context, key)
    path = Path.model_validate(published.body)
    steps = {k: s for k, s in path.steps.items() if isinstance(s, Hours)}
    if not steps:
        raise NotUnderstood(
            f"{published.name} has no hours: it is open always.", field="path", reason="no-hours"
        )
    year = context.now().year
    return hours_ics.write(steps, context.now(), (year, year + 1))


def _published(context: Context, key: str) -> PathVersion:
    with context.reading() as reading:
        return reading.records.the(PathVersion, key)


def bring_in(
    context: Context, data: bytes, *, name: str, site: str, file: str = ""
) -> tuple[str, list[str]]:
    """A JSON or CPL file as a new drawing: its path's id, and the report of what could not be read.
    Without a name it is called as the file says, or as the file (`file`) is called: CPL names
    nothing. Raises NotUnderstood."""
    if data.lstrip()[:1] == b"<":
        found = cpl_read.read(data)
        path, report, own = found.path, found.report, ""
    else:
        own, path = path_json.read(data)
        report = []
    draft = drawing.begin_new(context, name or own or PurePath(file).stem[:80], site, path)
    return draft.path, report


def take_hours(context: Context, key: str, version: int, step: str, data: bytes) -> list[str]:
    """Openings and closures of a calendar into an hours step of a drawing; closures it has stay.
    Gives the report."""
    found = hours_ics.read(data)

    def do(body: Path, _where: drawing.Place) -> tuple[Path, str]:
        known = the_step(body, step)
        if not isinstance(known, Hours):
            raise NotUnderstood(
                "A calendar can be taken into hours only.", field="file", reason="no-hours"
            )
        closures = (*known.closures, *(c for c in found.closures if c not in known.closures))
        fields = {"closures": [c.model_dump(mode="json") for c in closures]}
        if found.openings:
            fields["openings"] = [o.model_dump(mode="json") for o in found.openings]
        if found.timezone:
            fields["timezone"] = found.timezone  # type: ignore[assignment]
        return change_step(body, step, fields), step

    drawing.change_drawing(context, key, version, do)
    return [
        f"{len(found.openings)} weekly hours and {len(found.closures)} closures were taken.",
        *found.report,
    ]


# ── ENUM ──


def sip_domain(context: Context) -> str:
    """The domain under which the organisation's telephone system takes SIP calls; '' where none is
    set."""
    domain = context.installation.settings.sip_domain
    return f"{context.organisation.id}.{domain}" if domain else ""


def enum(context: Context) -> str:
    """The ENUM zone of all numbers in use that can be reached at a SIP address."""
    return enum_zone.write(_targets(context), context.now())


def _targets(context: Context) -> Iterator[tuple[str, str]]:
    life, domain = tables.life, sip_domain(context)
    with context.reading() as reading:
        systems = {s.id: s for s in reading.records.all(Downstream)}
        direct = {p.id: _sip_first(p) for p in reading.records.all(PathVersion)}
        after = 0
        while True:
            where = (is_open(), life.c.state == State.ASSIGNED.value, life.c.number > after)
            numbers = reading.records.where(Number, *where, order_by=life.c.number, limit=A_SLICE)
            for number in numbers:
                if address := _address(number, systems, direct, domain):
                    yield number.e164, address
            if len(numbers) < A_SLICE:
                return
            after = int(numbers[-1].e164)


def _address(
    number: Number, systems: dict[str, Downstream], direct: dict[str, str], domain: str
) -> str:
    holder = number.holder
    if holder and holder.kind is HolderKind.DOWNSTREAM and holder.id in systems:
        system = systems[holder.id]
        return f"sip:{number.e164}@{system.host}:{system.port};transport={system.transport.value}"
    if number.path and direct.get(number.path):
        return direct[number.path]
    return f"sip:{number.e164}@{domain}" if domain else ""


def _sip_first(published: PathVersion) -> str:
    """The SIP address of a path that does nothing else first."""
    path = Path.model_validate(published.body)
    first = path.steps[path.first]
    return first.address if isinstance(first, SipAddress) else ""
