"""Switching day: who has each number from then on, the work order that prepares,
switches and proves, the sheet to work from."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import HolderKind, Role
from sedge.core.errors import ChangedMeanwhile, NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.holding import HolderRef
from sedge.core.numbers.e164 import describe, read_one
from sedge.core.numbers.life import State
from sedge.core.numbers.pasted import numbers_in
from sedge.core.porting.life import PortEvent
from sedge.core.porting.port_assignments import Candidate, Proposal, propose
from sedge.core.porting.records import Port, PortLine, PortState, Said
from sedge.core.porting.reducers import gone_through
from sedge.core.records import (
    RECORD_TYPES,
    Account,
    Carrier,
    Number,
    PathVersion,
    Person,
    Proof,
    ServiceLine,
    Site,
    Spot,
    Subject,
)
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.holders.site_management import spots_of
from sedge.services.people_lookup import person_named
from sedge.services.porting.ports import view_port
from sedge.services.workorders import drafts, workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

BEFORE_THE_SWITCH = {
    PortState.DRAFT,
    PortState.READY,
    PortState.SUBMITTED,
    PortState.QUERIED,
    PortState.REJECTED,
    PortState.ACCEPTED,
    PortState.DUE,
}
MOST_ROWS = 200  # on the page; the others come by pasting a list
MOST_CANDIDATES = 20_000
MOST_PATHS = 200


@dataclass(frozen=True)
class LineRow:
    """A number of a port, who has it from the switch on, what was found about that."""

    line: PortLine
    holder: str
    proposal: Proposal | None
    spot: str
    path: str


@dataclass(frozen=True)
class Preparation:
    """`rows` are the first of them; `left` how many there are beyond. `features` can be switched on
    for the numbers at their new carrier."""

    port: Port
    site: Site
    rows: list[LineRow]
    left: int
    spots: list[Spot]
    paths: list[tuple[str, str]]
    features: list[str]
    proposed: int
    sure: int

    @property
    def may_change(self) -> bool:
        return self.port.state in BEFORE_THE_SWITCH


def preparation(context: Context, key: str) -> Preparation:
    """Raises NotFound."""
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        site = reading.records.the(Site, port.site)
        proposals = _proposals(reading, port) if port.state in BEFORE_THE_SWITCH else {}
        names = reading.records.names(
            (line.holder.subject, line.holder.id) for line in port.lines if line.holder
        )
        spots = {
            s.id: s.name
            for s in reading.records.many(Spot, {line.spot for line in port.lines if line.spot})
        }
        path = tables.path
        paths = [
            (p.id, p.name)
            for p in reading.records.where(
                PathVersion, path.c.retired.is_(False), order_by=path.c.name, limit=MOST_PATHS
            )
        ]
        carrier = reading.records.the(Carrier, reading.records.the(Account, port.account).carrier)
    called = dict(paths)
    moving = [line for line in port.lines if not line.refused]
    rows = [
        LineRow(
            line,
            names.get((line.holder.subject, line.holder.id), "") if line.holder else "",
            proposals.get(line.e164),
            spots.get(line.spot or "", ""),
            called.get(line.path or "", ""),
        )
        for line in moving[:MOST_ROWS]
    ]
    kinds = {describe(line.e164).kind for line in moving}
    features = (
        sorted(set.intersection(*(set(carrier.features_for(kind)) for kind in kinds)))
        if kinds
        else []
    )
    sure = sum(1 for p in proposals.values() if p.sure)
    return Preparation(
        port,
        site,
        rows,
        len(moving) - len(rows),
        spots_of(context, port.site),
        paths,
        features,
        len(proposals),
        sure,
    )


def _proposals(reading: Reading, port: Port) -> dict[str, Proposal]:
    people = reading.records.where(
        Person,
        tables.person.c.departed.is_(False),
        tables.person.c.site == port.site,
        limit=MOST_CANDIDATES,
    )
    lines = reading.records.where(ServiceLine, limit=MOST_CANDIDATES)
    listed = {
        line.used_for.rpartition(",")[2].strip().lower() for line in port.lines if line.used_for
    }
    others = _named(reading, listed)
    known = {p.id: p for p in (*people, *others)}
    candidates = [
        Candidate(HolderRef(kind=HolderKind.PERSON, id=p.id), p.name, p.site, p.extension)
        for p in known.values()
    ]
    candidates += [
        Candidate(HolderRef(kind=HolderKind.SERVICE_LINE, id=x.id), x.name, x.site) for x in lines
    ]
    main = [
        n.holder
        for n in reading.records.held_by(Number, [c.ref for c in candidates])
        if n.assignment and n.assignment.role is Role.MAIN
    ]
    taken = set(main)
    return propose(port.lines, [c for c in candidates if c.ref not in taken], port.site)


def _named(reading: Reading, names: Iterable[str]) -> list[Person]:
    """People of any site who are called just so."""
    found: list[Person] = []
    wanted = sorted(names)
    for start in range(0, len(wanted), 900):
        found += reading.records.where(
            Person,
            func.lower(tables.person.c.name).in_(wanted[start : start + 900]),
            tables.person.c.departed.is_(False),
            limit=MOST_CANDIDATES,
        )
    return found


def choose(context: Context, key: str, form: dict[str, str]) -> Port:
    """Who has which number, from the fields `who:`, `spot:`, `path:`, `fallback:` and `extra:` of
    each; `features` for all. What is not in the form stays. Raises NotUnderstood naming the field,
    ChangedMeanwhile, NotAllowedNow once it is switched."""
    context.require(May.PORT)
    before = preparation(context, key).port
    lines = {line.e164: line for line in before.lines}
    for e164, line in lines.items():
        if f"who:{e164}" in form:
            lines[e164] = _chosen(context, line, form, before.country)
    features = tuple(
        sorted(
            name.removeprefix("feature:")
            for name, on in form.items()
            if name.startswith("feature:") and on
        )
    )
    return _keep(
        context, key, lines, form.get("version", ""), features if "features" in form else None
    )


def _chosen(context: Context, line: PortLine, form: dict[str, str], country: str) -> PortLine:
    e164 = line.e164
    holder = holder_named(context, form[f"who:{e164}"], field=f"who:{e164}")
    fallback = form.get(f"fallback:{e164}", "").strip()
    return line.copy_with(
        holder=holder,
        role=Role.EXTRA if form.get(f"extra:{e164}") else Role.MAIN,
        spot=form.get(f"spot:{e164}") or None,
        path=form.get(f"path:{e164}") or None,
        fallback=read_one(fallback, country, field=f"fallback:{e164}") if fallback else "",
    )


def holder_named(context: Context, typed: str, *, field: str) -> HolderRef | None:
    """The person, service line or site meant; None for nothing typed. Raises NotUnderstood naming
    the field."""
    typed = typed.strip()
    if not typed:
        return None
    with context.reading() as reading:
        for record_type, table, kind in (
            (ServiceLine, tables.service_line, HolderKind.SERVICE_LINE),
            (Site, tables.site, HolderKind.SITE),
        ):
            found = reading.records.where(
                record_type, func.lower(table.c.name) == typed.lower(), limit=2
            )
            if len(found) == 1:
                return HolderRef(kind=kind, id=found[0].id)
    try:
        return HolderRef(kind=HolderKind.PERSON, id=person_named(context, typed).id)
    except NotUnderstood as error:
        raise NotUnderstood(
            error.message.replace(
                "Type a name,", "Type the name of a person, a service line or a site,"
            ),
            field=field,
        ) from error


def give(
    context: Context, key: str, given: dict[str, PortLine], features: list[str] | None
) -> Port:
    """Holders, roles, spots, paths and fallbacks of some lines, by E.164. Raises NotUnderstood for
    a number that is not in the port, NotFound for a holder, spot or path that is not there."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        if unknown := sorted(set(given) - {line.e164 for line in port.lines}):
            raise NotUnderstood(f"{describe(unknown[0]).shown} is not in this port.", field="lines")
        for line in given.values():
            if line.holder:
                reading.records.the(RECORD_TYPES[line.holder.subject], line.holder.id)
            if line.spot:
                reading.records.the(Spot, line.spot)
            if line.path:
                reading.records.the(PathVersion, line.path)
    chosen = ("holder", "role", "spot", "path", "fallback")
    lines = {
        line.e164: (
            line.copy_with(**{name: getattr(given[line.e164], name) for name in chosen})
            if line.e164 in given
            else line
        )
        for line in port.lines
    }
    return _keep(
        context, key, lines, str(port.version), tuple(features) if features is not None else None
    )


def take_proposals(context: Context, key: str, *, unsure: bool = False) -> Port:
    """Everything that was proposed and is sure, or all of it."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
        proposals = _proposals(reading, port)
    taken = {e164: p for e164, p in proposals.items() if p.sure or unsure}
    lines = {
        line.e164: line.copy_with(holder=taken[line.e164].ref) if line.e164 in taken else line
        for line in port.lines
    }
    return _keep(context, key, lines, str(port.version), None)


def paste(context: Context, key: str, text: str) -> Port:
    """A list, a number and a holder in each line: *0117 496 0806 Hattie Brandreth*. Raises
    NotUnderstood naming the line."""
    context.require(May.PORT)
    with context.reading() as reading:
        port = reading.records.the(Port, key)
    lines = {line.e164: line for line in port.lines}
    given = [x.strip() for x in text.splitlines() if x.strip()]
    if not given:
        raise NotUnderstood(
            "Paste a list: in each line a number, then who is to have it.", field="list"
        )
    for i, row in enumerate(given, start=1):
        at = next((n for n, c in enumerate(row) if c.isalpha()), len(row))
        typed, who = row[:at].strip(" \t,;"), row[at:].strip()
        numbers = [f"+{n}" for n in numbers_in(typed, port.country).numbers]
        if len(numbers) != 1 or numbers[0] not in lines:
            raise NotUnderstood(
                f"Line {i}, “{row[:60]}”: it begins with no number of this port.", field="list"
            )
        try:
            holder = holder_named(context, who, field="list")
        except NotUnderstood as error:
            raise NotUnderstood(f"Line {i}, “{row[:60]}”: {error.message}", field="list") from error
        lines[numbers[0]] = lines[numbers[0]].copy_with(holder=holder)
    return _keep(context, key, lines, str(port.version), None)


def _keep(
    context: Context,
    key: str,
    lines: dict[str, PortLine],
    version: str,
    features: tuple[str, ...] | None,
) -> Port:
    with context.writing() as writing:
        port = writing.records.the(Port, key)
        if version and version != str(port.version):
            raise ChangedMeanwhile(
                "Somebody else has changed this port meanwhile. Open it again, then choose.",
                subject=Subject.PORT,
                id=key,
            )
        if port.state not in BEFORE_THE_SWITCH:
            raise NotAllowedNow(
                f"Port {port.no} is {port.state}; give its numbers out as any others.",
                reason="port-life",
            )
        after = port.copy_with(
            lines=tuple(lines.get(x.e164, x).copy_with(refused=x.refused) for x in port.lines),
            features=port.features if features is None else features,
        )
        return (
            writing.save([changed(Subject.PORT, port, after, "port.holders-chosen")])[0].after
            if after != port
            else port
        )


# ── the day ──


def activation(context: Context, key: str) -> WorkOrder:
    """A draft of the whole day: licences before, the switch, what the carrier has to be told after
    it, a call to and from each number that somebody has. What is missing and can be added without
    judgement is added."""
    with context.reading() as reading:
        port = reading.records.the(Port, key)
    title = f"Switch port {port.no}: {counted(len(port.numbers), 'number')} from {port.losing}"
    order = workorders.draft(context, title, day_plan(port))
    return drafts.add_remedies(context, order.id)


def day_plan(port: Port) -> list[Any]:
    """The tasks of the day, without what checks will add before."""
    lines = [line for line in port.lines if not line.refused]
    held = [line for line in lines if line.holder]
    tasks: list[Any] = [t.ActivatePort(port=port.id)]
    tasks += [
        t.SetFeature(number=line.e164, feature=name) for name in port.features for line in held
    ]
    tasks += [t.SetFallback(number=line.e164, to=line.fallback) for line in held if line.fallback]
    tasks += [t.PlaceTestCall(number=line.e164) for line in held]
    people = [line for line in held if line.holder and line.holder.kind is HolderKind.PERSON]
    return tasks + [t.PlaceTestCall(number=line.e164, direction="out") for line in people]


def backing_out(context: Context, key: str, reason: str) -> WorkOrder:
    """A draft that gives the numbers back to the losing carrier."""
    if len(reason.strip()) < 3:
        raise NotUnderstood("Say why, in a few words: it stands in the ledger.", field="reason")
    with context.reading() as reading:
        port = reading.records.the(Port, key)
    task = t.BackOutPort(port=key, reason=reason.strip()[:200])
    return workorders.draft(
        context,
        f"Back out of port {port.no}: {counted(len(port.numbers), 'number')} to {port.losing}",
        [task],
    )


def proof(context: Context, key: str) -> WorkOrder:
    """A draft that calls every number of a switched port that somebody has by now. Raises
    NotAllowedNow while nobody has any."""
    view = view_port(context, key)
    with context.reading() as reading:
        held = [
            n for n in reading.records.many(Number, view.port.numbers) if n.state is State.ASSIGNED
        ]
    if not held:
        raise NotAllowedNow(
            "Nobody has any of these numbers yet, so no call could ring. Give them out first.",
            reason="nobody",
        )
    tasks = [t.PlaceTestCall(number=n.e164) for n in sorted(held, key=lambda n: n.e164)]
    return workorders.draft(
        context, f"Prove port {view.port.no}: {counted(len(tasks), 'number')}", tasks
    )


def ticked(context: Context, port: Port) -> list[tuple[str, str, bool | None]]:
    """Each number of a switched port: who has it ('' for nobody), and whether a call in has proven
    it since; None where none was placed."""
    if port.state not in {PortState.ACTIVATED, PortState.PROVEN, PortState.CLOSED}:
        return []
    switched = next((s.at for s in reversed(port.said) if s.text == "switched"), None)
    table = tables.proof
    with context.reading() as reading:
        numbers = reading.records.many(Number, port.numbers)
        names = reading.records.names((n.holder.subject, n.holder.id) for n in numbers if n.holder)
        rows = reading.records.where(
            Proof,
            table.c.number.in_([int(n.e164) for n in numbers]),
            table.c.direction == "in",
            table.c.at >= (switched or reading.now),
            order_by=table.c.at,
        )
    proven = {p.e164: p.ok for p in rows}
    return [
        (
            n.e164,
            names.get((n.holder.subject, n.holder.id), "somebody") if n.holder else "",
            proven.get(n.e164),
        )
        for n in sorted(numbers, key=lambda n: n.e164)
    ]


def close(context: Context, key: str) -> Port:
    """Done with: every number that somebody has is proven. Raises NotAllowedNow naming the first
    that is not."""
    context.require(May.PORT)
    port = view_port(context, key).port
    with context.reading() as reading:
        held = {
            n.e164 for n in reading.records.many(Number, port.numbers) if n.state is State.ASSIGNED
        }
    open_ = next((e164 for e164, _, ok in ticked(context, port) if e164 in held and not ok), None)
    if open_:
        raise NotAllowedNow(
            f"{describe(open_).shown} is not tested since it was switched. Call it first.",
            reason="unproven",
            number=open_,
        )
    with context.writing() as writing:
        proven = gone_through(writing.records.the(Port, key), PortEvent.PROVE)
        closed = gone_through(
            proven.after,
            PortEvent.CLOSE,
            Said(at=writing.now, by=context.actor, what="noted", text="closed"),
        )
        return writing.save([closed.model_copy(update={"before": proven.before})])[0].after


# ── the sheet ──
