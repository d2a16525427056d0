"""Downstream systems: other telephone systems that get numbers whole, in the format
they want."""

import re
from dataclasses import dataclass
from typing import Any

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.enums import Transport
from sedge.core.errors import NotUnderstood
from sedge.core.facts import counted
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Downstream, HolderKind, HolderRef, Number, Role, Site, Spot, Subject
from sedge.core.trunks.sbcs import in_turn
from sedge.core.trunks.sheet import Sheet
from sedge.core.trunks.system_sheets import End, sheet_for
from sedge.core.workorders import tasks as t
from sedge.services.context import Context
from sedge.services.numbers import bulk_actions
from sedge.services.trunks import sbcs
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

FORMATS = ("with plus", "country code", "national", "last 4 digits")
MOST = 2000
_HOST = re.compile(r"^[A-Za-z0-9]([A-Za-z0-9.-]{0,250}[A-Za-z0-9])?$")


@dataclass(frozen=True)
class SystemView:
    """A downstream system with its numbers: as ranges, and each as the system wants it written."""

    system: Downstream
    site: Site
    numbers: list[Number]
    ranges: list[str]
    written: list[str]


def list_systems(context: Context) -> list[tuple[Downstream, str, int]]:
    """Every system with its site's name and how many numbers it has."""
    with context.reading() as reading:
        systems = [
            s
            for s in reading.records.where(Downstream, order_by=tables.downstream.c.name)
            if not s.removed
        ]
        sites = {s.id: s.name for s in reading.records.many(Site, {s.site for s in systems})}
        held = reading.records.held_by(Number, [_ref(s) for s in systems])
    counts: dict[str, int] = {}
    for number in held:
        counts[number.holder.id if number.holder else ""] = (
            counts.get(number.holder.id if number.holder else "", 0) + 1
        )
    return [(s, sites.get(s.site, s.site), counts.get(s.id, 0)) for s in systems]


def _ref(system: Downstream) -> HolderRef:
    return HolderRef(kind=HolderKind.DOWNSTREAM, id=system.id)


def view_system(context: Context, key: str) -> SystemView:
    """Raises NotFound."""
    with context.reading() as reading:
        system = reading.records.the(Downstream, key)
        site = reading.records.the(Site, system.site)
        numbers = sorted(reading.records.held_by(Number, [_ref(system)]), key=lambda n: n.e164)
    ranges = [str(span) for span in NumberSet.of(n.e164 for n in numbers).spans]
    return SystemView(
        system, site, numbers, ranges, [written(n, system.number_format) for n in numbers]
    )


def written(number: Number, number_format: str) -> str:
    """A number as a system wants it."""
    match number_format:
        case "country code":
            return number.e164[1:]
        case "national":
            return "".join(c for c in number.shown if c.isdigit())
        case "last 4 digits":
            return number.e164[-4:]
        case _:
            return number.e164


def keep_system(context: Context, form: dict[str, Any], key: str | None = None) -> Downstream:
    """A system added, or changed where `key` names one. Raises NotUnderstood naming the field."""
    context.require(May.CHANGE_HOLDERS)
    name, host = str(form.get("name", "")).strip(), str(form.get("host", "")).strip()
    if not 1 <= len(name) <= 80:
        raise NotUnderstood("A system needs a name of at most 80 characters.", field="name")
    if not _HOST.match(host):
        raise NotUnderstood(
            "The host is a name such as pbx.annexe.example, or an address.", field="host"
        )
    port = str(form.get("port", "5061"))
    if not (port.isascii() and port.isdigit() and len(port) <= 5 and 1 <= int(port) <= 65535):
        raise NotUnderstood("The port is from 1 to 65535; for TLS usually 5061.", field="port")
    if form.get("number_format", FORMATS[0]) not in FORMATS:
        raise NotUnderstood(f"The format is one of: {', '.join(FORMATS)}.", field="number_format")
    if form.get("transport", "tls") not in set(Transport):
        raise NotUnderstood("The transport is udp, tcp or tls.", field="transport")
    with context.writing() as writing:
        before = writing.records.the(Downstream, key) if key else None
        site = writing.records.find(
            Site, str(form.get("site", "")) or (before.site if before else "")
        )
        if site is None:
            raise NotUnderstood("Choose the site where it stands.", field="site")
        context.require_site(site.id)
        context.require_site(before.site if before else None)
        spot = writing.records.find(Spot, str(form.get("spot") or ""))
        if form.get("spot") and (spot is None or spot.site != site.id or spot.removed):
            raise NotUnderstood("Choose a spot of this site.", field="spot")
        values = {
            "name": name,
            "host": host,
            "port": int(port),
            "site": site.id,
            "number_format": form.get("number_format", FORMATS[0]),
            "transport": Transport(form.get("transport", "tls")),
            "spot": spot.id if spot else None,
        }
        after = (
            before.copy_with(**values)
            if before
            else Downstream(id=context.new_id("system"), **values)
        )
        if before == after:
            return after
        action = "downstream-system.changed" if before else "downstream-system.added"
        return writing.save([changed(Subject.DOWNSTREAM, before, after, action)])[0].after


def sheet(context: Context, key: str, end: End) -> Sheet:
    """What one end sets for the trunk between our telephone system and another of ours. Raises
    NotFound."""
    view = view_system(context, key)
    edges = [seen.sbc for seen in sbcs.list_sbcs(context)]
    here = next((x for x in edges if x.site == view.system.site), None) or next(iter(edges), None)
    ends_at = in_turn(here, edges) if here else []
    return sheet_for(end, view.system, ends_at, view.ranges, view.written)


def give(context: Context, key: str, text: str) -> WorkOrder:
    """A draft that hands numbers to a system whole: ranges or single ones, typed any way. Raises
    NotUnderstood."""
    view = view_system(context, key)
    found = bulk_actions.pasted(context, text)
    if len(found.numbers) > MOST:
        raise NotUnderstood(
            f"At most {MOST:,} numbers at a time; these are {len(found.numbers):,}.",
            field="numbers",
        )
    has_main = any(n.assignment and n.assignment.role is Role.MAIN for n in view.numbers)
    tasks = [
        t.AssignNumber(
            number=f"+{number}",
            holder=_ref(view.system),
            role=Role.EXTRA if has_main or i else Role.MAIN,
        )
        for i, number in enumerate(found.numbers)
    ]
    return workorders.draft(
        context, f"{counted(len(tasks), 'number')} for {view.system.name}", tasks
    )
