"""Groups: who is in which, and what rings them."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select

from sedge.core.access.roles import May
from sedge.core.errors import NotUnderstood
from sedge.core.records import Group, PathVersion, Person, ServiceLine, Subject
from sedge.core.workorders.tasks import SetGroup
from sedge.services import people_lookup
from sedge.services.context import Context
from sedge.services.workorders import order_running
from sedge.store.repositories.records import MOST_VARIABLES
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import holders, tables

MOST_MEMBERS = 2000


@dataclass(frozen=True)
class GroupView:
    """A group with its people, the call paths that name it and the service lines it answers."""

    group: Group
    members: list[Person]
    paths: list[PathVersion]
    lines: list[ServiceLine]


def list_groups(context: Context) -> list[Group]:
    with context.reading() as reading:
        return [
            g for g in reading.records.where(Group, order_by=tables.group.c.name) if not g.removed
        ]


def groups_of(context: Context, people: Iterable[str]) -> dict[str, list[str]]:
    """Ids of the groups that each of these people is in."""
    member, wanted = holders.group_member, sorted(set(people))
    found: dict[str, list[str]] = {person: [] for person in wanted}
    with context.reading() as reading:
        for start in range(0, len(wanted), MOST_VARIABLES):
            part = member.c.person.in_(wanted[start : start + MOST_VARIABLES])
            query = select(member.c.person, member.c.group).where(part).order_by(member.c.group)
            for person, group in reading.connection.execute(query):
                found[person].append(group)
    return found


def view_group(context: Context, key: str) -> GroupView:
    """Raises NotFound."""
    with context.reading() as reading:
        group = reading.records.the(Group, key)
        found = {p.id: p for p in reading.records.many(Person, group.members)}
        members = [found[key] for key in group.members if key in found]
        names = tables.path_names
        query = select(names.c.path).where(
            names.c.subject == Subject.GROUP.value, names.c.subject_id == key
        )
        paths = reading.records.many(PathVersion, reading.connection.execute(query).scalars())
        lines = [x for x in reading.records.all(ServiceLine) if key in x.groups]
    return GroupView(group, members, paths, lines)


def set_group(context: Context, name: str, members: str, key: str | None = None) -> WorkOrder:
    """Set a group up, or change one: people named one a line. It is done by a work order at once.

    Raises NotUnderstood naming the field, NotRunnable where a check stops it (the draft is kept).
    """
    context.require(May.CHANGE_HOLDERS)
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A group needs a name of at most 80 characters.", field="name")
    people = people_lookup.people_in(context, members, most=MOST_MEMBERS, field="members")
    with context.reading() as reading:
        before = reading.records.the(Group, key) if key else None
        same = [
            g
            for g in reading.records.all(Group)
            if g.name.lower() == name.lower() and not g.removed and g.id != key
        ]
    if same:
        raise NotUnderstood(
            f"There is a group called {same[0].name} already. Choose another name.", field="name"
        )
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "group"
    made = key or f"{plain}-{context.new_id('g')[2:8]}"
    known = before.known_elsewhere_as if before else ""
    return order_running.run_now(
        context,
        f"Group {name}",
        [
            SetGroup(
                group=made, name=name, members=tuple(p.id for p in people), known_elsewhere_as=known
            )
        ],
    )


def take_away(context: Context, key: str) -> WorkOrder:
    """Raises NotRunnable where a call path rings it."""
    context.require(May.CHANGE_HOLDERS)
    group = view_group(context, key).group
    task = SetGroup(
        group=key,
        name=group.name,
        members=group.members,
        known_elsewhere_as=group.known_elsewhere_as,
        removed=True,
    )
    return order_running.run_now(context, f"Take away the group {group.name}", [task])
