"""The run sheet of a port's day: who does what, when, and who is called."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sedge.core.enums import HolderKind
from sedge.core.numbers.e164 import describe
from sedge.core.porting.dates import back_out_until
from sedge.core.porting.records import Port, PortLine
from sedge.core.records import (
    Carrier,
    PathVersion,
    Person,
    ServiceLine,
    Site,
    Spot,
)
from sedge.services.context import Context
from sedge.services.porting.ports import view_port


@dataclass(frozen=True)
class SheetLine:
    """One number on the run sheet."""

    e164: str
    used_for: str
    holder: str
    phone: str
    spot: str
    path: str
    fallback: str


@dataclass(frozen=True)
class RunSheet:
    """What one works from on the day, on paper: `hours` are moments with what is done then and by
    whom."""

    port: Port
    site: Site
    gaining: Carrier
    hours: list[tuple[datetime | None, str, str]]
    lines: list[SheetLine]


def run_sheet(context: Context, key: str) -> RunSheet:
    """Raises NotFound."""
    view = view_port(context, key)
    port = view.port
    with context.reading() as reading:
        lines = [line for line in port.lines if not line.refused]
        refs = [line.holder for line in lines if line.holder]
        people = {
            p.id: p
            for p in reading.records.many(
                Person, {r.id for r in refs if r.kind is HolderKind.PERSON}
            )
        }
        service = {
            x.id: x
            for x in reading.records.many(
                ServiceLine, {r.id for r in refs if r.kind is HolderKind.SERVICE_LINE}
            )
        }
        sites = {
            x.id: x
            for x in reading.records.many(Site, {r.id for r in refs if r.kind is HolderKind.SITE})
        }
        known: dict[str, Any] = {**people, **service, **sites}
        at = {
            line.e164: (
                line.spot or getattr(known.get(line.holder.id), "spot", None)
                if line.holder
                else None
            )
            for line in lines
        }
        spots = {s.id: s for s in reading.records.many(Spot, {s for s in at.values() if s})}
        paths = {
            p.id: p.name
            for p in reading.records.many(PathVersion, {line.path for line in lines if line.path})
        }

    def line_of(line: PortLine) -> SheetLine:
        holder = known.get(line.holder.id) if line.holder else None
        spot = spots.get(at[line.e164] or "")
        phone = (
            f"extension {holder.extension}"
            if isinstance(holder, Person) and holder.extension
            else ""
        )
        return SheetLine(
            line.e164,
            line.used_for,
            holder.name if holder else "",
            phone,
            f"{spot.name} ({spot.id})" if spot else "",
            paths.get(line.path or "", ""),
            describe(line.fallback).shown if line.fallback else "",
        )

    hours = [
        (
            None,
            "Holders, licences, spots and call paths are ready; the work order has no stop",
            "us",
        ),
        (
            None,
            (f"Everybody at {view.site.name} and the alarm and lift contractors know the hour"),
            "us",
        ),
        (
            port.foc,
            (
                f"{port.losing} lets the numbers go; telephone system and {view.gaining.name}"
                " already know who has them"
            ),
            port.losing,
        ),
        (port.foc, "Calls to and from each number, ticked below", "us"),
        (
            port.back_out_until or _closes(view.site, port),
            "Until then the numbers can go back",
            "us",
        ),
    ]
    return RunSheet(port, view.site, view.gaining, hours, [line_of(line) for line in lines])


def _closes(site: Site, port: Port) -> datetime | None:
    return back_out_until(port.country, port.foc, site.timezone) if port.foc else None
