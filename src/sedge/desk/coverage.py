"""Coverage at the desk: per site and floor from kept counts, gaps grouped by reason, each put right by a work order."""

from collections.abc import Callable
from dataclasses import dataclass, field

from sqlalchemy import literal_column

from sedge.core.access.roles import May
from sedge.core.errors import NotFound
from sedge.core.numbers.life import State
from sedge.core.records import Address, Number, Person, Site, Spot
from sedge.core.safety.coverage import SiteCoverage, coverage_of
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.desk import workorders
from sedge.desk.desk import Desk, Reading
from sedge.desk.safety import not_registered
from sedge.store import placing, tables
from sedge.store.workorders import WorkOrder

SHOWN = 500


@dataclass(frozen=True)
class Gap:
    """One reason, with the first of the numbers and people it concerns. `key` is for putting it right; `leads_to` is a page where
    that needs somebody's judgement."""

    key: str
    reason: str
    numbers: list[str] = field(default_factory=list)
    people: list[dict[str, str]] = field(default_factory=list)
    words: str = ""
    leads_to: str = ""


def by_site(desk: Desk) -> list[SiteCoverage]:
    """Every site, the least covered first. Nothing is added up: the counts are kept as things change."""
    with desk.reading() as reading:
        spots = reading.records.all(Spot)
        addresses = {a.id: a for a in reading.records.all(Address)}
        return coverage_of(placing.counts(reading.connection), spots, addresses, reading.records.all(Site), reading.now)


def gaps(desk: Desk) -> list[Gap]:
    """Every reason why help would not find somebody, the most serious first."""
    with desk.reading() as reading:
        bad = _bad_spots(reading)
        found = [_without(reading), _weak(reading, bad), _elsewhere(reading), _people(reading), _doubted(reading)]
    return [gap for group in found for gap in group]


def _bad_spots(reading: Reading) -> dict[str, str]:
    addresses = {a.id: a for a in reading.records.all(Address)}
    return {s.id: p for s in reading.records.all(Spot) if (p := spot_problem(s, addresses[s.address], reading.now))}


def _without(reading: Reading) -> list[Gap]:
    life = tables.life
    found = reading.records.where(
        Number, life.c.state == literal_column("'assigned'"), life.c.spot.is_(None), order_by=life.c.number, limit=SHOWN
    )
    return (
        [Gap("no-spot", "numbers in use without a spot", [n.e164 for n in found], [], "Take the holder's spot, or the site's")]
        if found
        else []
    )


def _weak(reading: Reading, bad: dict[str, str]) -> list[Gap]:
    life = tables.life
    if not bad:
        return []
    weak = reading.records.where(
        Number, life.c.state == State.ASSIGNED.value, life.c.spot.in_(sorted(bad)[:900]), order_by=life.c.number, limit=SHOWN
    )
    person = tables.person
    people = reading.records.where(
        Person, person.c.departed.is_(False), person.c.spot.in_(sorted(bad)[:900]), order_by=person.c.name, limit=SHOWN
    )
    found = []
    for reason in sorted(set(bad.values())):
        numbers = [n.e164 for n in weak if bad[n.spot or ""] == reason]
        there = [{"id": p.id, "name": p.name} for p in people if bad[p.spot or ""] == reason]
        if numbers or there:
            what = "numbers" if numbers else "people"
            found.append(
                Gap(
                    "weak-spot",
                    f"{what} whose spot is not good enough: {reason}",
                    numbers,
                    there,
                    "Move them to a better spot",
                    "/safety/move",
                )
            )
    return found


def _elsewhere(reading: Reading) -> list[Gap]:
    found = not_registered(reading)
    reason = "numbers whose carrier has another address than Sedge, or none"
    return [Gap("not-registered", reason, [n.e164 for n in found], [], "Register them")] if found else []


def _people(reading: Reading) -> list[Gap]:
    person = tables.person
    found = reading.records.where(Person, person.c.departed.is_(False), person.c.spot.is_(None), order_by=person.c.name, limit=SHOWN)
    people = [{"id": p.id, "name": p.name} for p in found]
    return [Gap("people", "people without a spot", [], people, "Say where they are", "/safety/move")] if found else []


def _doubted(reading: Reading) -> list[Gap]:
    doubted = [s for s in reading.records.all(Spot) if s.doubt and not s.removed]
    return [
        Gap(
            "doubt",
            f"spot that somebody there says is wrong: {s.name} ({s.doubt})",
            [],
            [{"id": s.id, "name": s.name}],
            "Look at it",
            f"/safety/spots/{s.id}",
        )
        for s in doubted
    ]


def put_right(desk: Desk, key: str) -> WorkOrder:
    """The draft of a work order that closes a gap as far as nobody's judgement is needed. Raises NotFound."""
    desk.require(May.CHANGE_ESTATE)
    makers: dict[str, Callable[[Reading], list[object]]] = {"not-registered": _registering, "no-spot": _spotting}
    if key not in makers:
        raise NotFound("This gap needs somebody to choose; look at it page by page.", subject="gap", id=key)
    with desk.reading() as reading:
        tasks = makers[key](reading)
    if not tasks:
        raise NotFound("There is nothing to put right any more.", subject="gap", id=key)
    title = {"not-registered": "Register emergency addresses", "no-spot": "Give numbers in use a spot"}[key]
    return workorders.draft(desk, f"{title}: {len(tasks)}", tasks)


def _registering(reading: Reading) -> list[object]:
    return [t.RegisterAddress(number=n.e164) for n in not_registered(reading)]


def _spotting(reading: Reading) -> list[object]:
    """The holder's own spot, else the site's usual one, where that is good enough."""
    life = tables.life
    numbers = reading.records.where(
        Number, life.c.state == literal_column("'assigned'"), life.c.spot.is_(None), order_by=life.c.number, limit=SHOWN
    )
    people = {p.id: p.spot for p in reading.records.many(Person, {n.holder.id for n in numbers if n.holder})}
    sites = {s.id: s.spot for s in reading.records.all(Site)}
    bad = _bad_spots(reading)
    tasks: list[object] = []
    for n in numbers:
        spot = (people.get(n.holder.id) if n.holder else None) or sites.get(n.site)
        if spot and spot not in bad:
            tasks.append(t.SetSpot(number=n.e164, spot=spot))
    return tasks
