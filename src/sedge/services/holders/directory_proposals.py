"""What the directory proposes: taken into work orders, dismissed, done with."""

from collections.abc import Iterable
from typing import Any

from sqlalchemy import select, update

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood, OutsideTrouble
from sedge.core.facts import counted
from sedge.core.holders.directory import (
    Proposal,
    ProposalKind,
    Said,
    site_named,
)
from sedge.core.records import Group, Person, Site, Subject
from sedge.core.workorders import tasks as t
from sedge.core.workorders.life import OrderState
from sedge.formats import scim
from sedge.services.context import Context
from sedge.services.holders.directory import AT, GROUP_MARK, MOST_SHOWN, NAME, Open, _hear, _said_of
from sedge.services.periodic import at_start, periodic
from sedge.services.workorders import guided_workflows, workorders
from sedge.store.repositories import workorders as order_store
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import holders, tables


def proposals(context: Context, *, state: str = "open") -> list[Open]:
    """What the directory proposes: leavers first, then movers, joiners and the rest."""
    table = holders.proposal
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(table)
            .where(table.c.state == state)
            .order_by(table.c.at, table.c.name)
            .limit(MOST_SHOWN)
        ).all()
    found = [Open(r.id, Proposal.model_validate_json(r.body), r.state, r.work_order) for r in rows]
    order = [
        ProposalKind.LEAVER,
        ProposalKind.MOVER,
        ProposalKind.JOINER,
        ProposalKind.CHANGED,
        ProposalKind.GROUP,
    ]
    return sorted(found, key=lambda o: order.index(o.proposal.kind))


def take(
    context: Context, keys: Iterable[str], *, sites: dict[str, str] | None = None
) -> WorkOrder:
    """One work order for the proposals: checked and mended like any other before it runs. `sites`
    says where a joiner shall be whose site the directory does not name. Raises NotUnderstood naming
    the proposal that some decision lacks.
    """
    context.require(May.DIRECTORY)
    wanted = set(keys)
    chosen = [o for o in proposals(context) if o.id in wanted]
    if not chosen:
        raise NotUnderstood("Tick what shall be taken over.", field="pick")
    tasks: list[Any] = []
    for one in chosen:
        tasks += _tasks_of(context, one, (sites or {}).get(one.id, ""))
    names = ", ".join(o.proposal.name for o in chosen[:3])
    title = (
        f"From the directory: {names}{f' and {len(chosen) - 3} more' if len(chosen) > 3 else ''}"
    )
    identity = context.new_id("directory")
    _mark(context, chosen, "open", "taken", f"wo-{identity}")
    try:
        return workorders.draft(
            context, title, tasks, reason="the directory says so", identity=identity
        )
    except BaseException:
        _mark(context, chosen, "taken", "open", None)
        raise


def _mark(
    context: Context, chosen: Iterable[Open], was: str, becomes: str, order: str | None
) -> None:
    """Raises NotAllowedNow where somebody else was faster; then none is marked."""
    table = holders.proposal
    with context.writing() as writing:
        for one in chosen:
            values = {"state": becomes, "work_order": order}
            done = writing.connection.execute(
                update(table).where(table.c.id == one.id, table.c.state == was).values(**values)
            )
            if done.rowcount != 1:
                raise NotAllowedNow(
                    f"Somebody else has taken {one.proposal.name} meanwhile. Look at the proposals"
                    " again.",
                    reason="taken",
                )
        writing.touch()


def _tasks_of(context: Context, one: Open, site: str) -> list[Any]:
    proposal = one.proposal
    match proposal.kind:
        case ProposalKind.LEAVER:
            with context.reading() as reading:
                return guided_workflows.leaving(
                    reading, reading.records.the(Person, proposal.about)
                )
        case ProposalKind.JOINER:
            return [_joiner(context, proposal, site, one.id)]
        case ProposalKind.GROUP:
            said = proposal.said
            return [
                t.SetGroup(
                    group=said["id"],
                    name=said["name"],
                    members=tuple(proposal.changes.get("members", ())),
                    known_elsewhere_as=said["external"],
                    removed=proposal.changes.get("removed", False),
                )
            ]
        case _:
            if site:
                return [t.ChangePerson(person=proposal.about, **{**proposal.changes, "site": site})]
            if not proposal.changes:
                raise NotUnderstood(
                    f"{proposal.name}: {proposal.problem} Choose the site, or leave it out.",
                    field=f"site-{one.id}",
                )
            return [t.ChangePerson(person=proposal.about, **proposal.changes)]


def _joiner(context: Context, proposal: Proposal, site: str, key: str) -> object:
    said = Said.model_validate(proposal.said)
    with context.reading() as reading:
        sites = reading.records.all(Site)
    named = site_named(said.site, sites)
    at = site if any(s.id == site for s in sites) else (named.id if named else "")
    if not at:
        raise NotUnderstood(
            f"{said.name}: {proposal.problem or 'choose the site.'}", field=f"site-{key}"
        )
    return t.AddPerson(
        id=said.id,
        name=said.name,
        email=said.email,
        site=at,
        department=said.department,
        job=said.job,
        extension=said.extension,
        known_elsewhere_as=said.external,
    )


def dismiss(context: Context, keys: Iterable[str]) -> int:
    """Not wanted: proposed again only when the directory says something else."""
    context.require(May.DIRECTORY)
    table = holders.proposal
    done = 0
    with context.writing() as writing:
        for key in keys:
            changed = writing.connection.execute(
                update(table)
                .where(table.c.id == key, table.c.state == "open")
                .values(state="dismissed")
            )
            done += changed.rowcount
        if done:
            writing.record_event(
                "directory.dismissed", Subject.PERSON, "directory", counted(done, "proposal")
            )
    if not done:
        raise NotUnderstood("Tick what is not wanted.", field="pick")
    return done


@at_start
def take_up_proposals(context: Context) -> int:
    """Also those whose work order a process that died had no time to write."""
    return follow_directory(context, after_a_death=True)


@periodic("proposals", after_changes=True)
def follow_directory(context: Context, *, after_a_death: bool = False) -> int:
    """Proposals whose work order has ended: done with, or open again where it came to nothing.
    `after_a_death`: also where a process died between taking them and writing the work order."""
    table = holders.proposal
    with context.reading() as reading:
        rows = reading.connection.execute(
            select(table.c.id, table.c.work_order).where(table.c.state == "taken")
        ).all()
        orders = {row.id: order_store.find(reading.connection, row.work_order) for row in rows}
    ended = {
        OrderState.DONE: "done",
        OrderState.STOPPED: "open",
        OrderState.DISCARDED: "open",
        OrderState.UNDONE: "open",
    }
    moved = {
        key: ended[order.state] for key, order in orders.items() if order and order.state in ended
    }
    moved |= {key: "open" for key, order in orders.items() if order is None and after_a_death}
    if moved:
        with context.writing() as writing:
            for key, state in moved.items():
                writing.connection.execute(
                    update(table)
                    .where(table.c.id == key, table.c.state == "taken")
                    .values(state=state)
                )
            writing.touch()
    return len(moved)


def pull(context: Context) -> int:
    """Ask the directory for everybody and hear it all; whoever it no longer has seems to have left.
    How many proposals are open then.

    Raises OutsideSilent, OutsideRefused, NotAllowedNow where it is another organisation's.
    """
    if not context.organisation.asks_directory:
        raise NotAllowedNow(
            "No directory is connected to this organisation. Import people.",
            reason="no-directory",
        )
    told = context.outside.directory.users()
    told_groups = context.outside.directory.groups()
    keys = _known_by(context)
    with context.writing(reason="directory compared") as writing:
        here = set()
        for raw in told:
            key = (
                keys.get(str(raw.get("externalId", "")))
                or keys.get(str(raw.get("userName", "")).lower())
                or context.new_id("person")
            )
            here.add(key)
            _hear(
                writing,
                context,
                scim.user_said(_with_manager(raw, keys), key),
                _with_manager(raw, keys),
            )
        for raw in told_groups:
            key = keys.get(GROUP_MARK + str(raw.get("externalId", ""))) or context.new_id("group")
            members = [
                {**m, "value": keys.get(str(m.get("value")), str(m.get("value")))}
                for m in raw.get("members", [])
            ]
            _hear(
                writing,
                context,
                scim.group_said({**raw, "members": members}, key),
                {**raw, "members": members},
            )
        person = tables.person
        for one in writing.records.where(Person, person.c.departed.is_(False)):
            if one.known_elsewhere_as and one.id not in here:
                said = _said_of(one, {}).copy_with(active=False)
                _hear(writing, context, said, scim.user_resource(said))
    return len(proposals(context))


def _known_by(context: Context) -> dict[str, str]:
    """Ids of people by the directory's id and by mail address; of groups by the directory's id."""
    with context.reading() as reading:
        people = reading.records.where(Person, tables.person.c.departed.is_(False))
        found = {p.email.lower(): p.id for p in people} | {
            p.known_elsewhere_as: p.id for p in people if p.known_elsewhere_as
        }
        found |= {
            GROUP_MARK + g.known_elsewhere_as: g.id
            for g in reading.records.all(Group)
            if g.known_elsewhere_as
        }
        entry = holders.directory_entry
        for key, kind, external in reading.connection.execute(
            select(entry.c.id, entry.c.kind, entry.c.external)
        ):
            found.setdefault(
                (GROUP_MARK if kind == "group" else "") + external, key.removeprefix(GROUP_MARK)
            )
    return {k: v for k, v in found.items() if k and k != GROUP_MARK}


def _with_manager(raw: dict[str, Any], keys: dict[str, str]) -> dict[str, Any]:
    """The directory names managers by its own ids."""
    enterprise = raw.get(scim.ENTERPRISE) or {}
    manager = (enterprise.get("manager") or {}).get("value")
    if not manager or manager not in keys:
        return raw
    return {**raw, scim.ENTERPRISE: {**enterprise, "manager": {"value": keys[manager]}}}


@periodic(NAME)
def pull_nightly(context: Context) -> int:
    if not context.organisation.asks_directory:
        return 0

    def ask() -> tuple[int, bool]:
        try:
            return pull(context), True
        except OutsideTrouble:
            return 0, False

    return context.installation.nightly(context.who.organisation, NAME, AT, ask)
