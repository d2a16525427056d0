"""Safety: addresses against the register, spots, gaps in emergency data."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, func, or_, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import Address, Carrier, CivicElements, Number, Site, Spot, Subject, Verdict
from sedge.core.safety.address_line import AddressParts
from sedge.core.safety.addresses import Match, Segment, by_hand, match, what_is_wrong
from sedge.core.safety.spots import (
    floor_problem,
    needs_detail,
    read_spot_code,
    review_due,
    spot_code,
    spot_problem,
)
from sedge.services.context import Context, Reading
from sedge.store.projections import spot_counts
from sedge.store.schema import tables

LONGEST = {"city": 100, "street": 120, "house_number": 20, "postcode": 16}


@dataclass(frozen=True)
class SpotRow:
    spot: Spot
    site: Site
    problem: str
    review: bool
    numbers: int
    people: int


def match_address(context: Context, typed: dict[str, Any]) -> Match:
    """The register's verdict. Raises NotUnderstood, OutsideSilent."""
    elements = CivicElements(
        **{
            name: str(typed.get(name, "")).strip()
            for name in (
                "country",
                "region",
                "city",
                "street",
                "house_number",
                "postcode",
                "landmark",
                "building",
            )
        }
    )
    elements = elements.copy_with(country=elements.country.upper())
    for name in ("city", "street", "house_number", "postcode"):
        if not getattr(elements, name):
            raise NotUnderstood(f"The {name.replace('_', ' ')} is missing.", field=name)
        if len(getattr(elements, name)) > LONGEST[name]:
            raise NotUnderstood(
                f"The {name.replace('_', ' ')} has at most {LONGEST[name]} characters.", field=name
            )
    if elements.country not in COUNTRIES:
        raise NotUnderstood(
            f"The register has addresses of {', '.join(COUNTRIES)}.", field="country"
        )
    if wrong := what_is_wrong(elements):
        raise NotUnderstood(wrong[1], field=wrong[0])
    if not context.outside.register.is_connected:
        return by_hand(elements)
    asked = context.outside.register.candidates(
        elements.country, elements.city, elements.street, elements.postcode
    )
    return match(elements, [Segment(**s) for s in asked])


@dataclass(frozen=True)
class CheckedAddress:
    """An address as the register has it, with who answers calls for help there."""

    elements: CivicElements
    verdict: Verdict
    psap: str
    point: tuple[float, float] | None = None


def checked_address(context: Context, typed: CivicElements, *, accepted: bool) -> CheckedAddress:
    """What the register makes of a typed address. A guess is never taken, a correction only when it
    is `accepted`.

    Raises NotUnderstood with the field to look at, OutsideSilent.
    """
    found = match_address(context, typed.model_dump())
    match found.verdict:
        case Verdict.UNKNOWN:
            raise NotUnderstood(
                "The register knows no such address."
                f" {found.why or 'Check street, installation number and postcode.'}",
                field="house_number" if found.why else "street",
            )
        case Verdict.AMBIGUOUS:
            meant = "; ".join(c.elements.one_line for c in found.candidates[:3])
            choices = [_as_choice(c.elements) for c in found.candidates[:5]]
            raise NotUnderstood(
                f"{found.why} Did you mean {meant}?".strip(), field="street", choices=choices
            )
        case Verdict.BY_HAND if not accepted:
            raise NotUnderstood(
                "No address register is connected here, so nobody but you can say whether help"
                " would find this. Check it with the responders or the post, then tick the box to"
                " accept it.",
                field="accepted",
                choices=[_as_choice(found.candidates[0].elements)],
            )
        case Verdict.CORRECTED if not accepted:
            changes = "; ".join(
                f"{name.replace('_', ' ')} “{was}” becomes “{is_}”"
                for name, (was, is_) in found.differences.items()
                if was
            )
            best = found.candidates[0].elements
            words = (
                f"The register has it as {best.one_line} ({changes}). Use that, or tick the box to"
                " accept it."
            )
            raise NotUnderstood(words, field="accepted", choices=[_as_choice(best)])
        case _:
            best = found.candidates[0]
            return CheckedAddress(best.elements, found.verdict, best.psap, best.point)


def _as_choice(elements: CivicElements) -> dict[str, object]:
    """An address of the register to be taken by a click: what it is called, and what the form's
    fields then hold."""
    return {"label": elements.one_line, "fields": fields_of(elements)}


def fields_of(address: CivicElements | AddressParts) -> dict[str, str]:
    """What the fields of a form hold for an address."""
    fields = ("house_number", "street", "city", "postcode", "region")
    building = {"building": address.building} if address.building else {}
    return building | {name: getattr(address, name) for name in fields}


def spots(context: Context, sites: Sequence[str] | None = None) -> list[SpotRow]:
    """Spots in use (of some sites, or of all) with what is wrong with them and how many depend on
    them."""
    if sites is not None and not sites:
        return []
    with context.reading() as reading:
        by_id = {s.id: s for s in reading.records.all(Site)}
        addresses = {a.id: a for a in reading.records.all(Address)}
        of = () if sites is None else (tables.spot.c.site.in_(sorted(sites)[:900]),)
        found = reading.records.where(Spot, *of, order_by=tables.spot.c.id)
        here: Counter[tuple[str, str]] = Counter()
        for _, kind, spot, count in spot_counts.counts(reading.connection):
            here[kind, spot] += count
    return [
        SpotRow(
            s,
            by_id[s.site],
            spot_problem(s, addresses[s.address], context.now()) or "",
            review_due(s, context.now()),
            here[spot_counts.NUMBER, s.id],
            here[spot_counts.PERSON, s.id],
        )
        for s in found
        if not s.removed
    ]


def the_spot(context: Context, text: str, *, field: str = "spot") -> str:
    """The code meant by what was typed; a mistyped one is refused and the nearest told. Raises
    NotUnderstood."""
    with context.reading() as reading:
        if reading.records.find(Spot, text) is not None:
            return text
        known = [code for (code,) in reading.connection.execute(select(tables.spot.c.id))]
    try:
        return read_spot_code(text, known)
    except NotUnderstood as error:
        raise NotUnderstood(error.message, **{**error.facts, "field": field}) from error


def address_of(context: Context, spot: Spot) -> Address:
    with context.reading() as reading:
        return reading.records.the(Address, spot.address)


def country_of(context: Context, e164: str) -> str:
    """The country in which somebody with the number is: its site's."""
    with context.reading() as reading:
        return reading.records.the(Site, reading.records.the(Number, e164).site).country


def not_registered(reading: Reading, limit: int = 500) -> list[Number]:
    """Numbers in use whose carrier keeps addresses and has another spot than Sedge says, or
    none."""
    life = tables.life
    found: list[Number] = []
    for key in _keeping(
        reading
    ):  # one at a time: only so are they read off their index, in their order
        found += reading.records.where(
            Number, life.c.carrier == key, *_differs(), order_by=life.c.number, limit=limit
        )
    return sorted(found, key=lambda n: int(n.e164))[:limit]


def count_not_registered(reading: Reading) -> int:
    life = tables.life
    return sum(
        reading.connection.execute(
            select(func.count()).select_from(life).where(life.c.carrier == key, *_differs())
        ).scalar()
        or 0
        for key in _keeping(reading)
    )


def _keeping(reading: Reading) -> list[str]:
    return [c.id for c in reading.records.all(Carrier) if c.registers_addresses]


def _differs() -> tuple[ColumnElement[bool], ...]:
    life = tables.life
    other = or_(life.c.registered_spot.is_(None), life.c.registered_spot != life.c.spot)
    return tables.IN_USE, life.c.spot.is_not(None), other


def add_spot(context: Context, *, site: str, floor: str, room: str, name: str = "") -> Spot:
    """A new spot in a site's address, with the next code; the first that help can be sent to
    becomes the site's usual one. One that names only a floor can be kept where a room is needed,
    and is told of as not good enough yet. Raises NotUnderstood without a floor where one is needed,
    NotAllowedNow for one that is there."""
    context.require(May.CHANGE_SAFETY)
    floor, room = floor.strip()[:60], room.strip()[:60]
    with context.writing() as writing:
        of = writing.records.the(Site, site)
        if of.address is None:
            raise NotAllowedNow(
                f"{of.name} has no civic address yet. Give it one first.", reason="no-address"
            )
        address = writing.records.the(Address, of.address)
        if needs_detail(address) and not floor:
            raise NotUnderstood(
                f"{of.name} has {address.floors} floors: say which one, or responders search"
                f" the whole"
                " building.",
                field="floor",
            )
        if wrong := floor_problem(floor, address):
            raise NotUnderstood(wrong, field="floor")
        known = writing.records.where(Spot, tables.spot.c.site == site)
        twin = next(
            (s for s in known if not s.removed and _same_place(s, address.id, floor, room)), None
        )
        if twin:
            raise NotAllowedNow(
                f"{of.name} has that spot already: {twin.name} ({twin.id}).",
                field="room",
                reason="exists",
                spot=twin.id,
            )
        taken = [int(s.id.split("-")[1]) for s in known]
        code = spot_code(of.code, max(taken, default=-1) + 1)
        spot = Spot(
            id=code,
            address=address.id,
            site=site,
            name=name.strip()[:120] or ", ".join(x for x in (floor, room) if x) or "spot",
            floor=floor,
            room=room,
            confirmed_at=writing.now,
        )
        changes = [changed(Subject.SPOT, None, spot, "spot.added")]
        if of.spot is None and spot_problem(spot, address, writing.now) is None:
            changes.append(changed(Subject.SITE, of, of.copy_with(spot=code), "site.changed"))
        return writing.save(changes)[0].after


def _same_place(spot: Spot, address: str, floor: str, room: str) -> bool:
    return not spot.whole and (spot.address, spot.floor.casefold(), spot.room.casefold()) == (
        address,
        floor.casefold(),
        room.casefold(),
    )


def confirm_spot(context: Context, code: str) -> Spot:
    """Somebody has looked: the spot is still right. Counts for 12 months."""
    context.require(May.CHANGE_SAFETY)
    with context.writing() as writing:
        spot = writing.records.the(Spot, code)
        return writing.save(
            [
                changed(
                    Subject.SPOT,
                    spot,
                    spot.copy_with(confirmed_at=writing.now, confirmed_by=context.actor, doubt=""),
                    "spot.confirmed",
                )
            ]
        )[0].after
