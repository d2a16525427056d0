"""The directory: what it says is kept, compared, and proposed on Today; somebody takes
it, or not.

`/scim/v2` and the nightly pull both end in `_hear`, so a push that got lost is made up for at
night.
"""

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import or_, select, update

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotFound
from sedge.core.facts import to_canonical_json
from sedge.core.holders.directory import (
    Proposal,
    Said,
    SaidGroup,
    about_group,
    about_person,
)
from sedge.core.records import Group, Person, Site, Subject
from sedge.formats import scim
from sedge.services.context import Context, Reading, Writing
from sedge.store.schema import holders, tables

NAME, AT = "directory", timedelta(hours=3)
MOST_SHOWN = 500
GROUP_MARK = "group:"


@dataclass(frozen=True)
class Open:
    """A proposal as it stands: its id, what it proposes, and the work order it was taken into."""

    id: str
    proposal: Proposal
    state: str
    work_order: str | None


# ── what the directory says ──


def _hear(
    writing: Writing, context: Context, said: Said | SaidGroup, raw: dict[str, object]
) -> Proposal | None:
    """Keep what the directory says and propose what follows; None where nothing does. Saying the
    same again changes nothing."""
    is_group = isinstance(said, SaidGroup)
    key = GROUP_MARK + said.id if is_group else said.id
    entry = holders.directory_entry
    body = to_canonical_json({"said": said.model_dump(), "raw": raw})
    known = writing.connection.execute(
        select(entry.c.version, entry.c.body).where(entry.c.id == key)
    ).first()
    if known is None or known.body != body:
        row = {
            "kind": "group" if is_group else "user",
            "external": said.external,
            "user_name": str(raw.get("userName") or "").lower()[:200],
            "gone": bool(getattr(said, "gone", False)),
            "at": writing.now,
            "body": body,
        }
        if known:
            writing.connection.execute(
                update(entry).where(entry.c.id == key).values(**row, version=known.version + 1)
            )
        else:
            writing.connection.execute(entry.insert().values(id=key, version=1, **row))
    proposal = _about(writing, said)
    _propose(writing, context, key, proposal)
    return proposal


def _about(reading: Reading, said: Said | SaidGroup) -> Proposal | None:
    if isinstance(said, SaidGroup):
        people = {p.id: p for p in reading.records.many(Person, said.members)}
        group = reading.records.find(Group, said.id)
        people |= {p.id: p for p in reading.records.many(Person, group.members if group else ())}
        return about_group(said, group, people)
    person = reading.records.find(Person, said.id)
    people = {
        p.id: p
        for p in reading.records.many(
            Person, [x for x in (said.manager, person.manager if person else None) if x]
        )
    }
    return about_person(said, person, reading.records.all(Site), people)


def _propose(writing: Writing, context: Context, key: str, proposal: Proposal | None) -> None:
    """At most one open proposal about each; one that was dismissed comes again only when the
    directory says something else."""
    table = holders.proposal
    rows = writing.connection.execute(
        select(table).where(table.c.external == key).order_by(table.c.at.desc()).limit(20)
    ).all()
    open_ = next((r for r in rows if r.state == "open"), None)
    if proposal is None:
        if open_:
            writing.connection.execute(
                update(table).where(table.c.id == open_.id).values(state="done")
            )
            writing.touch()
        return
    body = to_canonical_json(proposal)
    if any(r.state in {"open", "dismissed", "taken"} and r.body == body for r in rows):
        return
    if open_:
        writing.connection.execute(
            update(table).where(table.c.id == open_.id).values(state="replaced")
        )
    row = {
        "external": key,
        "kind": proposal.kind.value,
        "name": proposal.name[:120],
        "state": "open",
        "at": writing.now,
        "body": body,
    }
    writing.connection.execute(table.insert().values(id=context.new_id("proposal"), **row))
    writing.record_event(
        "directory.proposed",
        Subject.PERSON,
        proposal.about,
        f"{proposal.name}: {proposal.kind}",
        proposal,
    )


@dataclass(frozen=True)
class Page:
    """Some of the resources, from `start` (1 is the first), and how many there are in all."""

    resources: list[dict[str, Any]]
    total: int


SIMPLE = re.compile(r'^\s*(userName|externalId|id)\s+eq\s+"([^"\\]*)"\s*$', re.IGNORECASE)


def listed(
    context: Context, *, group: bool, text: str = "", start: int = 1, count: int = 200
) -> Page:
    """Resources in the order of their ids: as the directory said them last, else from what Sedge
    knows. `text` is a SCIM filter; the usual ones (one name, one id) are looked up, others tried on
    everybody. Raises NotUnderstood."""
    with context.reading() as reading:
        if simple := SIMPLE.match(text):
            found = [
                _resource(reading, key, group=group)
                for key in _looked_up(
                    reading, simple.group(1).lower(), simple.group(2), group=group
                )
            ]
            resources = [r for r in found if r]
            return Page(resources[max(start - 1, 0) :][:count], len(resources))
        keys = sorted(_keys(reading, group=group))
        if not text:
            return Page(
                _resources(reading, keys[max(start - 1, 0) :][:count], group=group), len(keys)
            )
        fitting = scim.matching(_resources(reading, keys, group=group), text, group=group)
    return Page(fitting[max(start - 1, 0) :][:count], len(fitting))


def _keys(reading: Reading, *, group: bool) -> set[str]:
    entry, person, groups_ = holders.directory_entry, tables.person, tables.group
    known = select(entry.c.id).where(
        entry.c.kind == ("group" if group else "user"), entry.c.gone.is_(False)
    )
    keys = {key.removeprefix(GROUP_MARK) for key in reading.connection.execute(known).scalars()}
    here = (
        select(groups_.c.id).where(groups_.c.removed.is_(False))
        if group
        else select(person.c.id).where(person.c.departed.is_(False))
    )
    return keys | set(reading.connection.execute(here).scalars())


def _looked_up(reading: Reading, attribute: str, value: str, *, group: bool) -> list[str]:
    entry, person = holders.directory_entry, tables.person
    if attribute == "id":
        return [value]
    column, wanted = (
        (entry.c.external, value)
        if attribute == "externalid"
        else (entry.c.user_name, value.lower())
    )
    query = select(entry.c.id).where(
        entry.c.kind == ("group" if group else "user"), column == wanted, entry.c.gone.is_(False)
    )
    keys = [key.removeprefix(GROUP_MARK) for key in reading.connection.execute(query).scalars()]
    if not group and attribute == "username" and not keys:
        keys = list(
            reading.connection.execute(
                select(person.c.id).where(
                    person.c.email == value.lower(), person.c.departed.is_(False)
                )
            ).scalars()
        )
    return sorted(set(keys))


def _resource(reading: Reading, key: str, *, group: bool) -> dict[str, object] | None:
    return next(iter(_resources(reading, [key], group=group)), None)


def _resources(reading: Reading, keys: Sequence[str], *, group: bool) -> list[dict[str, object]]:
    """Of these ids, in their order; what there is no more is left out."""
    entry = holders.directory_entry
    found: dict[str, dict[str, object]] = {}
    for start in range(0, len(keys), 900):
        part = [(GROUP_MARK if group else "") + key for key in keys[start : start + 900]]
        rows = reading.connection.execute(
            select(entry.c.id, entry.c.body, entry.c.gone).where(entry.c.id.in_(part))
        )
        for key, body, gone in rows:
            found[key.removeprefix(GROUP_MARK) if group else key] = (
                {} if gone else json.loads(body)["raw"]
            )
    rest = [key for key in keys if key not in found]
    found |= _groups_here(reading, rest) if group else _people_here(reading, rest)
    return [{**found[key], "id": key} for key in keys if found.get(key)]


def _people_here(reading: Reading, keys: Sequence[str]) -> dict[str, dict[str, object]]:
    sites = {s.id: s.name for s in reading.records.all(Site)} if keys else {}
    return {
        p.id: scim.user_resource(_said_of(p, sites))
        for p in reading.records.many(Person, keys)
        if not p.left
    }


def _groups_here(reading: Reading, keys: Sequence[str]) -> dict[str, dict[str, object]]:
    found = {}
    for group in (g for g in reading.records.many(Group, keys) if not g.removed):
        names = {p.id: p.name for p in reading.records.many(Person, group.members)}
        said = SaidGroup(
            id=group.id, external=group.known_elsewhere_as, name=group.name, members=group.members
        )
        found[group.id] = scim.group_resource(said, names)
    return found


def _said_of(person: Person, sites: dict[str, str]) -> Said:
    return Said(
        id=person.id,
        external=person.known_elsewhere_as,
        name=person.name,
        email=person.email,
        site=sites.get(person.site, ""),
        department=person.department,
        job=person.job,
        extension=person.extension,
        manager=person.manager or "",
        active=not person.left,
    )


def the_resource(context: Context, key: str, *, group: bool = False) -> dict[str, object]:
    """Raises NotFound."""
    with context.reading() as reading:
        return _the(reading, key, group=group)


def _the(reading: Reading, key: str, *, group: bool) -> dict[str, object]:
    found = _resource(reading, key, group=group)
    if found is None:
        raise NotFound("There is no such resource.", subject="resource", id=key)
    return found


def _understood(raw: dict[str, object], key: str, *, group: bool) -> Said | SaidGroup:
    return scim.group_said(raw, key) if group else scim.user_said(raw, key)


def _kept(raw: dict[str, object]) -> dict[str, object]:
    return {k: v for k, v in raw.items() if k not in {"id", "meta", "password"}}


def add(context: Context, raw: Any, *, group: bool = False) -> dict[str, Any]:
    """A resource the directory tells of for the first time. Raises NotUnderstood, NotAllowedNow
    where it has told of it already."""
    context.require(May.DIRECTORY)
    with context.writing(reason="the directory says so") as writing:
        key = _key_for(writing, context, raw, group=group)
        said = _understood(raw, key, group=group)
        _hear(writing, context, said, _kept(raw))
    return {**_kept(raw), "id": key}


def _key_for(reading: Reading, context: Context, raw: object, *, group: bool) -> str:
    """The id under which Sedge knows, or will know, whom a new resource is about: by external id or
    mail address; else a fresh one."""
    email = str(raw.get("userName") or "").lower() if isinstance(raw, dict) else ""
    external = str(raw.get("externalId") or "") if isinstance(raw, dict) else ""
    entry, person = holders.directory_entry, tables.person
    same = [entry.c.external == external] if external else []
    same += [entry.c.user_name == email] if email and not group else []
    if same:
        query = select(entry.c.id).where(
            entry.c.kind == ("group" if group else "user"), entry.c.gone.is_(False), or_(*same)
        )
        if told := reading.connection.execute(query.limit(1)).scalar():
            raise NotAllowedNow(
                "The directory has told of this one already. Change that resource instead.",
                reason="uniqueness",
                id=told,
            )
    if group:
        return context.new_id("group")
    known = (
        reading.records.where(
            Person, person.c.email == email, person.c.departed.is_(False), limit=1
        )
        if email
        else []
    )
    return known[0].id if known else context.new_id("person")


def replace_with(context: Context, key: str, raw: Any, *, group: bool = False) -> dict[str, Any]:
    """A resource said anew as a whole. Raises NotFound, NotUnderstood."""
    context.require(May.DIRECTORY)
    with context.writing(reason="the directory says so") as writing:
        _the(writing, key, group=group)
        _hear(writing, context, _understood(raw, key, group=group), _kept(raw))
    return {**_kept(raw), "id": key}


def change_resource(
    context: Context, key: str, operations: Any, *, group: bool = False
) -> dict[str, Any]:
    """Some attributes of a resource; of two at once the second changes what the first left. Raises
    NotFound, NotUnderstood."""
    context.require(May.DIRECTORY)
    with context.writing(reason="the directory says so") as writing:
        raw = scim.patched(_the(writing, key, group=group), operations, group=group)
        _hear(writing, context, _understood(raw, key, group=group), _kept(raw))
    return {**_kept(raw), "id": key}


def forget(context: Context, key: str, *, group: bool = False) -> None:
    """A resource the directory has deleted: whoever it was about has left, as it seems."""
    context.require(May.DIRECTORY)
    with context.writing(reason="the directory says so") as writing:
        raw = _the(writing, key, group=group)
        if group:
            _hear(writing, context, scim.group_said(raw, key).copy_with(gone=True), _kept(raw))
        else:
            _hear(
                writing,
                context,
                scim.user_said(raw, key).copy_with(active=False),
                {**_kept(raw), "active": False},
            )


# ── proposals ──


# ── asking the directory ──
