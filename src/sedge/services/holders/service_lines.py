"""Service lines: numbers of a room, a door, a lift or a fax that are nobody's own."""

from collections.abc import Sequence

from sedge.core.access.roles import May
from sedge.core.callpaths.asked_again import line_changed
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.records import (
    Group,
    HolderKind,
    HolderRef,
    ServiceLine,
    Spot,
    Subject,
)
from sedge.core.workorders.findings import Level
from sedge.services import people_lookup
from sedge.services.context import Context
from sedge.services.holders.holders import _site_named
from sedge.services.telephony_sync import routing_of

LINE_KINDS = (
    "menu",
    "queue",
    "mailbox",
    "announcement",
    "conference bridge",
    "lift phone",
    "alarm phone",
    "fax",
)


def add_service_line(
    context: Context, *, name: str, kind: str, site: str, spot: str = ""
) -> ServiceLine:
    context.require(May.CHANGE_HOLDERS)
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A service line needs a name of at most 120 characters.", field="name")
    if kind not in LINE_KINDS:
        raise NotUnderstood(f"The kind is one of: {', '.join(LINE_KINDS)}.", field="kind")
    context.require_site(site)
    with context.writing() as writing:
        _site_named(writing, site)
        found = writing.records.find(Spot, spot) if spot else None
        if spot and (found is None or found.site != site):
            raise NotUnderstood("Choose a spot of this site.", field="spot")
        line = ServiceLine(
            id=context.new_id("line"), name=name.strip(), kind=kind, site=site, spot=spot or None
        )
        return writing.save([changed(Subject.SERVICE_LINE, None, line, "service-line.added")])[
            0
        ].after


def change_line(
    context: Context,
    key: str,
    *,
    name: str,
    kind: str,
    members: str,
    groups: Sequence[str],
    spot: str = "",
) -> ServiceLine:
    """A service line's facts and who answers it: people named one a line, groups by their ids. The
    telephone system learns of it first.

    Raises NotUnderstood naming the field.
    """
    context.require(May.CHANGE_HOLDERS)
    if not 1 <= len(name.strip()) <= 120:
        raise NotUnderstood("A service line needs a name of at most 120 characters.", field="name")
    if kind not in LINE_KINDS:
        raise NotUnderstood(f"The kind is one of: {', '.join(LINE_KINDS)}.", field="kind")
    people_ = people_lookup.people_in(context, members, most=200, field="members")
    with context.writing() as writing:
        line = writing.records.the(ServiceLine, key)
        context.require_site(line.site)
        known = {g.id for g in writing.records.many(Group, groups) if not g.removed}
        if strange := [g for g in groups if g not in known]:
            raise NotUnderstood(f"There is no group “{strange[0]}” here.", field="groups")
        found = writing.records.find(Spot, spot) if spot else None
        if spot and (found is None or found.site != line.site or found.removed):
            raise NotUnderstood("Choose a spot of this site.", field="spot")
        values = {
            "name": name.strip(),
            "kind": kind,
            "members": tuple(p.id for p in people_),
            "groups": tuple(
                sorted(
                    groups,
                    key=lambda g: line.groups.index(g) if g in line.groups else len(line.groups),
                )
            ),
            "spot": spot or None,
        }
        after = line.copy_with(**values)
        if after == line:
            return line
        ref = HolderRef(kind=HolderKind.SERVICE_LINE, id=key)
        estate = writing.look_at(Subject.SERVICE_LINE, key)
        broken = line_changed(line, after, estate)
        if broken and broken.level is Level.STOP:
            raise NotAllowedNow(
                f"{broken.message} Change the call path first.", reason="path", field="members"
            )
        estate.put(after)
        for group in writing.records.many(Group, groups):
            estate.put(group)
        for number in estate.numbers_of(ref):
            context.outside.telephony.put_number(number.e164, routing_of(number, estate))
        return writing.save([changed(Subject.SERVICE_LINE, line, after, "service-line.changed")])[
            0
        ].after
