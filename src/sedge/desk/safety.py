"""Safety at the desk: addresses against the register, spots, gaps in emergency data."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Column, ColumnElement, case, func, literal_column, or_, select

from sedge.core.access.roles import May
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.life import State
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Address, Carrier, CivicElements, Number, Person, Site, Spot, Subject, Verdict
from sedge.core.reduce import changed
from sedge.core.safety.addresses import Match, Segment, match, what_is_wrong
from sedge.core.safety.spots import needs_detail, review_due, spot_code, spot_problem
from sedge.desk.desk import Desk, Reading
from sedge.store import tables

LONGEST = {"city": 100, "street": 120, "house_number": 20, "postcode": 16}


@dataclass(frozen=True)
class Gap:
    """One reason, with the numbers and people it concerns."""

    reason: str
    numbers: list[str]
    people: list[dict[str, str]]


@dataclass(frozen=True)
class SpotRow:
    spot: Spot
    site: Site
    problem: str
    review: bool
    numbers: int
    people: int


def match_address(desk: Desk, typed: dict[str, Any]) -> Match:
    """The register's verdict. Raises NotUnderstood, OutsideSilent."""
    elements = CivicElements(
        **{name: str(typed.get(name, "")).strip() for name in ("country", "region", "city", "street", "house_number", "postcode")}
    )
    elements = elements.but(country=elements.country.upper())
    for name in ("city", "street", "house_number", "postcode"):
        if not getattr(elements, name):
            raise NotUnderstood(f"The {name.replace('_', ' ')} is missing.", field=name)
        if len(getattr(elements, name)) > LONGEST[name]:
            raise NotUnderstood(f"The {name.replace('_', ' ')} has at most {LONGEST[name]} characters.", field=name)
    if elements.country not in COUNTRIES:
        raise NotUnderstood(f"The register has addresses of {', '.join(COUNTRIES)}.", field="country")
    if wrong := what_is_wrong(elements):
        raise NotUnderstood(wrong[1], field=wrong[0])
    asked = desk.outside.register.candidates(elements.country, elements.city, elements.street, elements.postcode)
    return match(elements, [Segment(**s) for s in asked])


@dataclass(frozen=True)
class CheckedAddress:
    """An address as the register has it, with who answers calls for help there."""

    elements: CivicElements
    verdict: Verdict
    psap: str
    point: tuple[float, float] | None = None


def checked_address(desk: Desk, typed: CivicElements, *, accepted: bool) -> CheckedAddress:
    """What the register makes of a typed address. A guess is never taken, a correction only when it is `accepted`.

    Raises NotUnderstood with the field to look at, OutsideSilent.
    """
    found = match_address(desk, typed.model_dump())
    match found.verdict:
        case Verdict.UNKNOWN:
            raise NotUnderstood(
                f"The register knows no such address. {found.why or 'Check street, house number and postcode.'}",
                field="house_number" if found.why else "street",
            )
        case Verdict.AMBIGUOUS:
            choices = "; ".join(c.elements.one_line for c in found.candidates[:3])
            raise NotUnderstood(f"{found.why} Did you mean {choices}? Type the right one whole.".strip(), field="street")
        case Verdict.CORRECTED if not accepted:
            changes = "; ".join(
                f"{name.replace('_', ' ')} “{was}” becomes “{is_}”" for name, (was, is_) in found.differences.items() if was
            )
            best = found.candidates[0].elements.one_line
            raise NotUnderstood(f"The register has it as {best} ({changes}). Tick the box to accept that.", field="accepted")
        case _:
            best = found.candidates[0]
            return CheckedAddress(best.elements, found.verdict, best.psap, best.point)


def spots(desk: Desk) -> list[SpotRow]:
    """Every spot with what is wrong with it and who depends on it."""
    with desk.reading() as reading:
        sites = {s.id: s for s in reading.records.all(Site)}
        addresses = {a.id: a for a in reading.records.all(Address)}
        found = reading.records.where(Spot, order_by=tables.spot.c.id)
        numbers = _counts(reading, tables.life.c.spot, tables.life.c.state == State.ASSIGNED.value)
        people = _counts(reading, tables.person.c.spot, tables.person.c.departed.is_(False))
    return [
        SpotRow(
            s,
            sites[s.site],
            spot_problem(s, addresses[s.address], desk.now()) or "",
            review_due(s, desk.now()),
            numbers.get(s.id, 0),
            people.get(s.id, 0),
        )
        for s in found
    ]


def _counts(reading: Reading, column: Column[Any], condition: ColumnElement[bool]) -> dict[str, int]:
    """How many rows fulfil the condition, by the values of a column; counted within the column's index."""
    query = select(column, func.sum(case((condition, 1), else_=0))).where(column.is_not(None)).group_by(column)
    return {value: int(count) for value, count in reading.connection.execute(query)}


def not_registered(reading: Reading, limit: int = 500) -> list[Number]:
    """Numbers in use whose carrier keeps addresses and has another spot than Sedge says, or none."""
    life = tables.life
    keeping = [c.id for c in reading.records.all(Carrier) if c.registers_addresses]
    differs = or_(life.c.registered_spot.is_(None), life.c.registered_spot != life.c.spot)
    in_use = (life.c.state == State.ASSIGNED.value, life.c.spot.is_not(None))
    found: list[Number] = []
    for key in keeping:  # one at a time: only so are they read off their index, in their order
        found += reading.records.where(Number, *in_use, life.c.carrier == key, differs, order_by=life.c.number, limit=limit)
    return sorted(found, key=lambda n: int(n.e164))[:limit]


def coverage(desk: Desk, rows: list[SpotRow] | None = None) -> list[Gap]:
    """Gaps in emergency data, grouped by reason: the most serious list of all. `rows` are all spots, if known already."""
    life = tables.life
    with desk.reading() as reading:
        rows = rows if rows is not None else spots(desk)
        bad = {r.spot.id: r.problem for r in rows if r.problem}
        without = reading.records.where(
            Number, life.c.state == literal_column("'assigned'"), life.c.spot.is_(None), order_by=life.c.number, limit=500
        )
        weak = (
            reading.records.where(
                Number, life.c.state == State.ASSIGNED.value, life.c.spot.in_(sorted(bad)), order_by=life.c.number, limit=500
            )
            if bad
            else []
        )
        people = reading.records.where(
            Person, tables.person.c.departed.is_(False), tables.person.c.spot.is_(None), order_by=tables.person.c.name, limit=500
        )
        unregistered = not_registered(reading)
    gaps = []
    if unregistered:
        gaps.append(Gap("numbers whose carrier has another address than Sedge, or none", [n.e164 for n in unregistered], []))
    if without:
        gaps.append(Gap("numbers in use without a spot", [n.e164 for n in without], []))
    for reason in sorted(set(bad.values())):
        numbers = [n.e164 for n in weak if bad[n.spot or ""] == reason]
        if numbers:
            gaps.append(Gap(f"numbers whose spot is not good enough: {reason}", numbers, []))
    if people:
        gaps.append(Gap("people without a spot", [], [{"id": p.id, "name": p.name} for p in people]))
    return gaps


def add_spot(desk: Desk, *, site: str, floor: str, room: str, name: str = "") -> Spot:
    """A new spot in a site's address, with the next code. Raises NotUnderstood where floor and room are needed."""
    desk.require(May.CHANGE_SAFETY)
    floor, room = floor.strip()[:60], room.strip()[:60]
    with desk.writing() as writing:
        of = writing.records.the(Site, site)
        if of.address is None:
            raise NotAllowedNow(f"{of.name} has no civic address yet. Give it one first.", reason="no-address")
        address = writing.records.the(Address, of.address)
        if needs_detail(address) and not floor:
            raise NotUnderstood(
                f"{of.name} has {address.floors} floors: say which one, or help searches the whole building.", field="floor"
            )
        if needs_detail(address) and not room:
            raise NotUnderstood("Say the room or zone too; on a large floor help would search.", field="room")
        taken = [int(s.id.split("-")[1]) for s in writing.records.where(Spot, tables.spot.c.site == site)]
        code = spot_code(of.code, max(taken, default=-1) + 1)
        spot = Spot(
            id=code, address=address.id, site=site, name=name.strip()[:120] or ", ".join(x for x in (floor, room) if x) or "spot", floor=floor, room=room,
            confirmed_at=writing.now,
        )  # fmt: skip
        return writing.save([changed(Subject.SPOT, None, spot, "spot.added")])[0].after


def confirm_spot(desk: Desk, code: str) -> Spot:
    """Somebody has looked: the spot is still right. Counts for 12 months."""
    desk.require(May.CHANGE_SAFETY)
    with desk.writing() as writing:
        spot = writing.records.the(Spot, code)
        return writing.save([changed(Subject.SPOT, spot, spot.but(confirmed_at=writing.now), "spot.confirmed")])[0].after
