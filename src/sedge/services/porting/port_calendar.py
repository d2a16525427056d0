"""All ports over some weeks, site by site: when numbers are switched, when answers are due, and why
nothing happens on a day."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from sedge.core.callpaths.steps import Closure
from sedge.core.errors import NotUnderstood
from sedge.core.porting.dates import Blackout, earliest, no_working_day, usual_subdivision
from sedge.core.porting.records import KeptFree, Port, PortState
from sedge.core.records import Site
from sedge.services.context import Context
from sedge.services.porting import change_freezes
from sedge.services.porting.ports import open_ports
from sedge.store.schema import tables

WEEKS = 6
MOST_SITES = 40

What = Literal["switch", "answer due", "wished for", "earliest"]


@dataclass(frozen=True)
class DayMark:
    """Something of a port on a day; `wrong` where the day is none on which it can be."""

    port: Port
    what: What
    hour: str
    wrong: bool = False


@dataclass(frozen=True)
class SiteDays:
    """`off` says why nobody works there, by day: weekend, the holiday's name, closed, kept free."""

    site: Site
    marks: dict[date, list[DayMark]] = field(default_factory=dict)
    off: dict[date, str] = field(default_factory=dict)


@dataclass(frozen=True)
class PortDays:
    days: list[date]
    sites: list[SiteDays]
    others: int

    @property
    def before(self) -> date:
        return self.days[0] - timedelta(weeks=WEEKS)

    @property
    def after(self) -> date:
        return self.days[-1] + timedelta(days=1)


def port_days(context: Context, begin: str = "") -> PortDays:
    """Six weeks from the Monday of a day (empty: of today): sites with ports, with days kept free
    for them, or about to close. Raises NotUnderstood for what is no day."""
    try:
        day = date.fromisoformat(begin) if begin else context.now().date()
    except ValueError as error:
        raise NotUnderstood("Type the day as 2026-12-24.", field="begin") from error
    first = day - timedelta(days=day.weekday())
    days = [first + timedelta(days=i) for i in range(7 * WEEKS)]
    with context.reading() as reading:
        ports = open_ports(reading)
        kept = [
            k
            for k in reading.records.where(KeptFree, tables.kept_free.c.last >= first, limit=1000)
            if k.first <= days[-1] and not k.given_back
        ]
        concerned = {p.site for p in ports} | {k.site for k in kept if k.site}
        sites = sorted(reading.records.many(Site, concerned), key=lambda s: s.name)
        closed = change_freezes.closures(reading, [s.id for s in sites])
        free = {s.id: change_freezes.blackouts(reading, s.id) for s in sites}
    rows = [
        SiteDays(
            s,
            _marks([p for p in ports if p.site == s.id], s, context.now(), free[s.id]),
            _off(s, days, kept, closed.get(s.id, ())),
        )
        for s in sites[:MOST_SITES]
    ]
    for row in rows:
        for at, marks in row.marks.items():
            row.marks[at] = [
                DayMark(m.port, m.what, m.hour, m.what == "switch" and at in row.off) for m in marks
            ]
    return PortDays(days, rows, max(0, len(sites) - MOST_SITES))


def _marks(
    ports: Iterable[Port], site: Site, now: datetime, free: tuple[Blackout, ...]
) -> dict[date, list[DayMark]]:
    zone = ZoneInfo(site.timezone)
    found: dict[date, list[DayMark]] = {}
    for port in ports:
        if port.foc:
            local = port.foc.astimezone(zone)
            found.setdefault(local.date(), []).append(DayMark(port, "switch", f"{local:%H:%M}"))
        elif port.answer_due and port.state in {PortState.SUBMITTED, PortState.QUERIED}:
            local = port.answer_due.astimezone(zone)
            found.setdefault(local.date(), []).append(DayMark(port, "answer due", f"{local:%H:%M}"))
        elif port.wanted:
            found.setdefault(port.wanted, []).append(DayMark(port, "wished for", ""))
        elif port.numbers:
            first = earliest(
                port.country,
                now,
                subdivision=port.subdivision,
                numbers=len(port.numbers),
                timezone=site.timezone,
                toll_free=port.toll_free,
                blackouts=free,
            )
            found.setdefault(first.day, []).append(DayMark(port, "earliest", ""))
    return found


def _off(
    site: Site, days: list[date], kept: list[KeptFree], closures: Iterable[Closure]
) -> dict[date, str]:
    part = usual_subdivision(site.country, site.timezone)
    place = f"{site.country}-{part}" if part else site.country
    off = {day: why for day in days if (why := no_working_day(day, place))}
    for closure in closures:
        for day in days:
            if closure.first <= day <= closure.last or (
                closure.yearly and _within_the_year(closure, day)
            ):
                off[day] = f"the site is closed: {closure.name}"
    for k in kept:
        if k.counts_at(site.id):
            off |= {day: f"kept free: {k.why}" for day in days if k.first <= day <= k.last}
    return off


def _within_the_year(closure: Closure, day: date) -> bool:
    first, last, at = ((d.month, d.day) for d in (closure.first, closure.last, day))
    return first <= at <= last if first <= last else at >= first or at <= last
