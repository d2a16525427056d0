"""Calls: following one through the rules, placing a real one through the stand-ins, and
its proof."""

import threading
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import case, select, text

from sedge.core.access.roles import May
from sedge.core.callpaths.steps import Path, people_named
from sedge.core.callpaths.tracing.proof import difference, fingerprint, is_stale
from sedge.core.callpaths.tracing.testcases import case_of
from sedge.core.callpaths.tracing.trace import path_of, trace_inbound
from sedge.core.callpaths.tracing.week import Grader, Week, monday_of, week_of
from sedge.core.callpaths.tracing.world import Called, EndingKind, Trace, World
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.estate import Estate
from sedge.core.load_spec import LoadSpec
from sedge.core.numbers.e164 import describe, read_one
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.outbound.readback import readback_line
from sedge.core.outbound.trace import trace_outbound
from sedge.core.records import (
    Device,
    Downstream,
    Group,
    HolderKind,
    Number,
    PathVersion,
    Person,
    Proof,
    Site,
    Subject,
    Trunk,
)
from sedge.core.safety.effective_spot import effective_spot
from sedge.core.safety.emergency import EmergencyAnswer, emergency_test
from sedge.core.workorders.tasks import PublishPath
from sedge.outside.telephony import HelpCall
from sedge.services.callpaths import drawing
from sedge.services.context import Context
from sedge.store.repositories import callpaths as store
from sedge.store.repositories.records import is_open
from sedge.store.schema import tables

MOST_NOTE = 400
PROOFS_LOOKED_AT = 200


@dataclass(frozen=True)
class Followed:
    """A trace with the path it went through, for drawing."""

    number: Number
    site: Site
    path: Path
    path_name: str
    trace: Trace
    names: dict[str, str]
    agents: list[Person]
    week: Week
    key: str = ""
    drawn: bool = False


def people_of(path: Path, number: Number) -> set[str]:
    """Who may be rung: the people a path names, and the holder."""
    named = set(people_named(path.model_dump(mode="json")))
    return named | ({number.holder.id} if number.holder else set())


def path_in_force(context: Context, e164: str) -> tuple[Path, Site, str | None]:
    """The path that calls to a number follow now, the site whose time it keeps, and the number's
    trunk. Raises NotFound."""
    with context.reading() as reading:
        records = reading.records
        number, is_person = records.the(Number, e164), HolderKind.PERSON
        site = records.the(Site, number.site)
        holder = number.holder.id if number.holder and number.holder.kind is is_person else None
        known = (number, records.find(PathVersion, number.path), records.find(Person, holder))
    estate = Estate(reading.now, [record for record in known if record is not None])
    return path_of(number, estate), site, number.trunk


def follow_call(
    context: Context,
    e164: str,
    at: datetime | None,
    world: World,
    *,
    caller: str = "",
    monday: date | None = None,
    drawn: bool = False,
    of: str = "",
) -> Followed:
    """Follow a call in, at a moment (None: now), from `caller` as people read it; with the week of
    its calls from `monday` on. With `drawn` as if the drawing of the number's path (or of the path
    `of`) were published. A moment that is past follows the version of the path that was in force.
    """
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
        number = estate.number(e164)
        published = estate.get(PathVersion, number.path)
        key = of or number.path or ""
        draft = store.draft(reading.connection, key) if drawn and key else None
        extensions = {
            (number.site, key)
            for key in (*world.presses, *world.says)
            if key.isdigit() and len(key) > 1
        }
        if extensions or draft:
            body = PublishPath(path=draft.path, name=draft.name, body=draft.body) if draft else None
            more = reading.estate(
                LoadSpec(extensions=extensions) | (body.needs() if body else LoadSpec())
            )
            for record_type in (Person, Group, Device, Downstream, PathVersion):
                for record in more.all(record_type):
                    estate.put(record)
        if published and at and at < estate.now and published.in_force_from > at:
            earlier = store.in_force_at(reading.connection, published.id, at)
            if earlier:
                estate.put(earlier)
                published = earlier
    path = draft.body if draft else path_of(number, estate)
    trace = trace_inbound(e164, at or estate.now, world, estate, caller=caller, path=path)
    site = estate.the(Site, number.site)
    week = week_of(
        Grader(Called.number(number), path, estate),
        monday or monday_of(at or estate.now, site.timezone),
        site.timezone,
    )
    agents = [p for p in estate.all(Person) if p.id in people_of(path, number)]
    name = published.name if published else "rings the holder, then their mailbox"
    return Followed(
        number,
        site,
        path,
        f"{draft.name if of else name}, as drawn" if draft else name,
        trace,
        names_of(estate),
        agents,
        week,
        key,
        draft is not None,
    )


def number_to_follow(context: Context, path: str) -> str:
    """A number (E.164) on which calls through a path can be followed: one that follows it, else one
    of the site it is drawn for, as if it did.

    Raises NotFound, NotAllowedNow where that site has none.
    """
    life = tables.life
    with context.reading() as reading:
        followers = (
            select(life.c.number)
            .where(life.c.path == path, is_open())
            .order_by(life.c.number)
            .limit(1)
        )
        found = reading.connection.execute(followers).scalar()
        draft = store.draft(reading.connection, path)
        if found is None and draft is None:
            reading.records.the(PathVersion, path)
        if found is None and draft is not None:
            in_use = case((life.c.state == "assigned", 0), else_=1)
            near = (
                select(life.c.number)
                .where(life.c.site == draft.site, is_open())
                .order_by(in_use, life.c.number)
                .limit(1)
            )
            found = reading.connection.execute(near).scalar()
    if found is None:
        raise NotAllowedNow(
            "No number follows this path, and its site has none to try it on. Get a number first.",
            reason="no-number",
        )
    return f"+{found}"


def names_of(estate: Estate) -> dict[str, str]:
    """Whoever and whatever a path can name, by id."""
    return {
        r.id: r.name
        for kind in (Person, Group, Device, Downstream, PathVersion)
        for r in estate.all(kind)
    }


def keep_as_test(
    context: Context, e164: str, name: str, at: datetime, world: World, *, drawn: bool = False
) -> str:
    """Keep a followed call as a test case of the number's path, in a drawing of it; the path's id.
    Raises NotUnderstood without a name, NotAllowedNow where the number follows no path, or the call
    is not at its end."""
    name = name.strip()
    if not 1 <= len(name) <= 120:
        raise NotUnderstood(
            "Give the test case a name of at most 120 characters, so that one knows what it is"
            " for.",
            field="name",
        )
    followed = follow_call(context, e164, at, world, drawn=drawn)
    if not followed.key:
        raise NotAllowedNow(
            "This number follows no call path, so there is nothing to keep the test case with.",
            reason="no-path",
        )
    if followed.trace.ending.kind is EndingKind.OPEN:
        raise NotAllowedNow(
            "The call is not at its end yet. Choose what happens next until it is.",
            reason="not-ended",
        )
    case = case_of(name, at, followed.site.timezone, world, followed.trace)
    draft = drawing.begin(context, followed.key)
    kept = tuple(c for c in draft.body.tests if c.name != name)
    drawing.change_drawing(
        context,
        followed.key,
        draft.version,
        lambda body, _where: (body.copy_with(tests=(*kept, case)), ""),
    )
    return followed.key


def caller_words(context: Context, text: str) -> str:
    """A caller as people read it: a number in its national writing, or “a withheld number”. Raises
    NotOneNumber."""
    if not text.strip():
        return ""
    if text.strip().lower() in {"withheld", "anonymous"}:
        return "a withheld number"
    return describe(read_one(text, context.organisation.home_country, field="caller")).shown


def read_number(context: Context, text: str) -> str:
    """One number as people type it, as E.164. Raises NotOneNumber."""
    return read_one(text, context.organisation.home_country, field="number")


def emergency(context: Context, e164: str, digits: str) -> EmergencyAnswer:
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    return emergency_test(estate.number(e164), digits, estate)


def place_help_call(context: Context, e164: str, digits: str = "") -> Proof:
    """A call for help that ends at the stand-in of the answering point (never at a real one),
    compared with what was computed: the place the operator sees, the number they ring back, who is
    told. Kept as dated proof. Raises NotAllowedNow where nobody has the number.
    """
    context.require(May.PLACE_TEST_CALL)
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    number = estate.number(e164)
    context.require_site(number.site)
    if number.holder is None:
        raise NotAllowedNow(
            f"{number.shown} is {number.state}; no phone has it.", reason="no-holder"
        )
    dialled = digits or COUNTRIES[number.country].emergency[0]
    answer = emergency_test(number, dialled, estate)
    key = context.new_id("proof")
    placed = context.outside.telephony.call_help(e164, dialled, key)
    differs = _help_differs(answer, placed, number, estate)
    proof = Proof(
        id=key,
        e164=e164,
        direction="help",
        at=context.now(),
        ok=placed.ended == "answered" and not differs and not answer.broken,
        heard=placed.heard[:400],
        differs=differs or (answer.broken[0] if answer.broken else ""),
        way=fingerprint(number, estate),
    )
    with context.writing() as writing:
        writing.save([changed(Subject.PROOF, None, proof, "proof.made")])
    return proof


def _help_differs(answer: EmergencyAnswer, placed: HelpCall, number: Number, estate: Estate) -> str:
    spot = effective_spot(number, estate)
    if placed.ended != "answered":
        return "" if answer.broken else f"computed: responders come; really: {placed.heard}"
    if spot and not all(part in placed.place for part in (spot.floor, spot.room) if part):
        return f"the operator sees “{placed.place or 'nothing'}”, not {spot.name}"
    return (
        f"“{placed.told or 'nobody'}” was told, not {answer.told}"
        if placed.told != answer.told
        else ""
    )


def place_test_call(
    context: Context,
    e164: str,
    direction: str,
    *,
    presses: tuple[str, ...] = (),
    keep: bool = True,
    key: str | None = None,
) -> Proof:
    """Place a call through the stand-ins, compare it with the trace, and keep the dated proof.
    Asked again with the same `key`, it is the call that was placed: one call to a number at a time.

    Raises NotAllowedNow where nobody could be rung, OutsideSilent where the telephone system
    doesn't answer.
    """
    with _at_a_time[hash(e164) % len(_at_a_time)]:
        return _placed(context, e164, direction, presses=presses, keep=keep, key=key)


def proof_of_task(task: str) -> str:
    """The id of the proof that a work order's task makes, however often it is tried."""
    return f"{task}-proof"


_at_a_time = [threading.Lock() for _ in range(64)]


def _placed(
    context: Context,
    e164: str,
    direction: str,
    *,
    presses: tuple[str, ...],
    keep: bool,
    key: str | None,
) -> Proof:
    if key and keep:
        with context.reading() as reading:
            if known := reading.records.find(Proof, key):
                return known
    refresh_devices(context)
    with context.reading() as reading:
        estate = reading.look_at(Subject.NUMBER, e164)
    number = estate.number(e164)
    context.require_site(number.site)
    trunk = estate.get(Trunk, number.trunk)
    if number.holder is None and not (direction == "in" and trunk and trunk.connection):
        raise NotAllowedNow(
            f"{number.shown} is {number.state}; there is nobody to ring.", reason="no-holder"
        )
    make = _call_out if direction == "out" else _call_in if number.holder else _call_over
    ok, heard, rang, differs = make(context, number, estate, presses)
    proof = Proof(
        id=key or context.new_id("proof"),
        e164=e164,
        direction=direction,
        at=context.now(),
        ok=ok,
        heard=heard,
        rang=rang,
        differs=differs,
        way=fingerprint(number, estate, direction),
    )
    if keep:
        with context.writing() as writing:
            writing.save([changed(Subject.PROOF, None, proof, "proof.made")])
    return proof


def _call_in(
    context: Context, number: Number, estate: Estate, presses: tuple[str, ...]
) -> tuple[bool, str, tuple[str, ...], str]:
    placed = context.outside.telephony.call_in(number.e164, list(presses))
    trace = trace_inbound(
        number.e164, placed.at or context.now(), World(presses=presses, turns=placed.turns), estate
    )
    differs = difference(trace, placed.ended, placed.rang)
    reached = {EndingKind.ANSWERED, EndingKind.MAILBOX, EndingKind.FORWARDED}
    if number.path:  # without a path the only announcement is that nobody answers this number
        reached.add(EndingKind.ANNOUNCED)
    return not differs and placed.ended in reached, placed.heard, placed.rang, differs


def _call_over(
    context: Context, number: Number, estate: Estate, presses: tuple[str, ...]
) -> tuple[bool, str, tuple[str, ...], str]:
    """A call to a number that nobody has yet: it is enough that it arrives over its connection."""
    placed = context.outside.telephony.call_in(number.e164, list(presses))
    name = estate.the(Trunk, number.trunk or "").name
    differs = (
        ""
        if placed.over == number.trunk
        else f"computed: the call arrives over {name}; really it does not"
    )
    return (
        not differs,
        f"arrives over {name}; {placed.heard}" if not differs else placed.heard,
        placed.rang,
        differs,
    )


def _call_out(
    context: Context, number: Number, estate: Estate, _presses: tuple[str, ...]
) -> tuple[bool, str, tuple[str, ...], str]:
    if number.holder is None or number.holder.kind is not HolderKind.PERSON:
        raise NotAllowedNow(
            "A test call out is placed from a person's phone; this number is not a person's.",
            reason="not-a-person",
        )
    dialled = readback_line(number.country)
    placed = context.outside.telephony.call_out(number.e164, number.holder.id, dialled)
    trace = trace_outbound(estate.the(Person, number.holder.id), dialled, estate)
    wanted = "answered" if trace.ending == "reached" else "rejected"
    differs = (
        ""
        if placed.ended == wanted
        else f"computed: {trace.ending}, {trace.reason}; really: {placed.ended}"
    )
    if not differs and placed.ended == "answered" and placed.shown != trace.caller_id:
        differs = (
            f"the callee saw {placed.shown or 'no number'}, not"
            f" {trace.caller_id or 'a withheld call'}"
        )
    return placed.ended == "answered" and not differs, placed.heard, placed.rang, differs


def note_on_call(context: Context, key: str, note: str) -> Proof:
    """What somebody has to say about a test call, beside its result. Raises NotFound,
    NotUnderstood."""
    context.require(May.PLACE_TEST_CALL)
    note = note.strip()
    if len(note) > MOST_NOTE:
        raise NotUnderstood(
            f"A note has at most {MOST_NOTE} characters; this one has {len(note)}.", field="note"
        )
    with context.writing() as writing:
        proof = writing.records.the(Proof, key)
        if note != proof.note:
            writing.save([changed(Subject.PROOF, proof, proof.copy_with(note=note), "proof.noted")])
    return proof.copy_with(note=note)


def refresh_devices(context: Context) -> int:
    """Look at which devices are registered; keep what has changed. How many changed."""
    seen = context.outside.telephony.devices()
    with context.reading() as reading:
        devices = reading.records.all(Device)
    moved = [
        d
        for d in devices
        if d.id in seen
        and not d.removed
        and (d.registered, d.said) != (seen[d.id] is None, seen[d.id] or "")
    ]
    if moved:
        found = [
            (
                d,
                d.copy_with(
                    registered=seen[d.id] is None, said=seen[d.id] or "", seen_at=context.now()
                ),
            )
            for d in moved
        ]
        changes = [changed(Subject.DEVICE, d, after, "device.seen") for d, after in found]
        with context.as_system().writing(reason="telephone system compared") as writing:
            writing.save(changes)
    return len(moved)


def proofs(
    context: Context, *, stale: bool | None = None, limit: int = PROOFS_LOOKED_AT
) -> list[tuple[Proof, bool]]:
    """The latest proof of each number and direction with whether it has gone stale, newest
    first. Remembered until something changes."""
    judged = context.installation.while_unchanged(context, "proofs", lambda: _judged(context))
    return [pair for pair in judged if stale is None or pair[1] == stale][:limit]


LATEST_FIRST = text("at DESC, rowid DESC")  # of the same moment the one that was kept last


def _judged(context: Context) -> list[tuple[Proof, bool]]:
    with context.reading() as reading:
        rows = reading.records.where(Proof, order_by=LATEST_FIRST, limit=PROOFS_LOOKED_AT)
        latest: dict[tuple[str, str], Proof] = {}
        for proof in rows:
            latest.setdefault((proof.e164, proof.direction), proof)
        estate = reading.estate(LoadSpec(numbers={p.e164 for p in latest.values()}))
    return [(p, is_stale(p, estate.get(Number, p.e164), estate)) for p in latest.values()]
