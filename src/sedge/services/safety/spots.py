"""Spots: looked at one by one, changed, put on the plan of their floor, taken out of
use; floor plans as pictures."""

import re
from dataclasses import dataclass

from sqlalchemy import delete, func, insert, select

from sedge.core.access.roles import May
from sedge.core.changes import changed
from sedge.core.errors import NotAllowedNow, NotFound, NotUnderstood
from sedge.core.records import Address, Number, Person, ServiceLine, Site, Spot, Subject
from sedge.core.safety.floors import floor_order
from sedge.core.safety.spots import floor_problem, needs_detail, review_due, spot_problem
from sedge.formats.media_types import media_type_of
from sedge.services.context import Context, Reading
from sedge.services.safety import address_change_notices
from sedge.store.projections import spot_counts
from sedge.store.schema import tables
from sedge.store.schema.safety import floor_plan

MOST_BYTES = 4_000_000
SHOWN = 200
LENGTHS = {"name": 120, "building": 60, "floor": 60, "wing": 60, "room": 60, "note": 400}
PICTURES = {"image/png", "image/jpeg"}


@dataclass(frozen=True)
class SpotCard:
    """A spot with who is at it. `problem` says why it is not good enough for help; `people` and
    `numbers` are the first of `many`."""

    spot: Spot
    site: Site
    address: Address
    problem: str
    review: bool
    people: list[Person]
    numbers: list[Number]
    lines: list[ServiceLine]
    many: tuple[int, int]

    @property
    def in_use(self) -> bool:
        return bool(self.people or self.numbers or self.lines)


@dataclass(frozen=True)
class SpotMark:
    """A spot as it is drawn: how many are at it, and whether help would find them."""

    spot: Spot
    numbers: int
    people: int
    problem: str
    review: bool


@dataclass(frozen=True)
class Floor:
    """A floor as it is drawn; `name` '' stands for what names no floor. `has_plan`: a picture of it
    has been put on file."""

    name: str
    spots: list[SpotMark]
    has_plan: bool

    @property
    def numbers(self) -> int:
        return sum(m.numbers for m in self.spots)

    @property
    def people(self) -> int:
        return sum(m.people for m in self.spots)

    @property
    def wrong(self) -> int:
        """How many there are whom help would not find."""
        return sum(m.numbers + m.people for m in self.spots if m.problem)


@dataclass(frozen=True)
class Building:
    """A site as it is drawn: its floors from the top down, and what is nowhere."""

    site: Site
    address: Address | None
    floors: list[Floor]
    nowhere: tuple[int, int]


def building(context: Context, key: str) -> Building:
    """One site's section. Raises NotFound."""
    with context.reading() as reading:
        site = reading.records.the(Site, key)
        address = reading.records.find(Address, site.address)
        spots = reading.records.where(Spot, tables.spot.c.site == key, order_by=tables.spot.c.id)
        addresses = {a.id: a for a in reading.records.many(Address, {s.address for s in spots})}
        here = {
            (kind, spot): count
            for of, kind, spot, count in spot_counts.counts(reading.connection)
            if of == key
        }
        plans = {
            floor
            for (floor,) in reading.connection.execute(
                select(floor_plan.c.floor).where(floor_plan.c.site == key)
            )
        }
    marks = [_mark(s, addresses[s.address], here, context) for s in spots if not s.removed]
    names = sorted(
        {m.spot.floor for m in marks if not m.spot.whole or _at(here, m.spot.id)},
        key=floor_order,
        reverse=True,
    )
    floors = [
        Floor(
            name,
            [
                m
                for m in marks
                if m.spot.floor == name and (not m.spot.whole or _at(here, m.spot.id))
            ],
            name in plans,
        )
        for name in names
    ]
    return Building(
        site,
        address,
        floors,
        (here.get((spot_counts.NUMBER, ""), 0), here.get((spot_counts.PERSON, ""), 0)),
    )


def _at(here: dict[tuple[str, str], int], spot: str) -> int:
    return here.get((spot_counts.NUMBER, spot), 0) + here.get((spot_counts.PERSON, spot), 0)


def _mark(
    spot: Spot, address: Address, here: dict[tuple[str, str], int], context: Context
) -> SpotMark:
    return SpotMark(
        spot,
        here.get((spot_counts.NUMBER, spot.id), 0),
        here.get((spot_counts.PERSON, spot.id), 0),
        spot_problem(spot, address, context.now()) or "",
        review_due(spot, context.now()),
    )


def card(context: Context, code: str) -> SpotCard:
    """Raises NotFound."""
    with context.reading() as reading:
        spot = reading.records.the(Spot, code)
        people, numbers, lines = _at_spot(reading, code)
        many = _how_many(reading, code)
        site, address = (
            reading.records.the(Site, spot.site),
            reading.records.the(Address, spot.address),
        )
    return SpotCard(
        spot,
        site,
        address,
        spot_problem(spot, address, context.now()) or "",
        review_due(spot, context.now()),
        people,
        numbers,
        lines,
        many,
    )


def _at_spot(reading: Reading, code: str) -> tuple[list[Person], list[Number], list[ServiceLine]]:
    person, life, line = tables.person, tables.life, tables.service_line
    people = reading.records.where(
        Person,
        person.c.spot == code,
        person.c.departed.is_(False),
        order_by=person.c.name,
        limit=SHOWN,
    )
    numbers = reading.records.where(
        Number, life.c.spot == code, tables.IN_USE, order_by=life.c.number, limit=SHOWN
    )
    site = reading.records.the(Spot, code).site
    lines = [x for x in reading.records.where(ServiceLine, line.c.site == site) if x.spot == code]
    return people, numbers, lines


def _how_many(reading: Reading, code: str) -> tuple[int, int]:
    person, life = tables.person, tables.life
    people = select(func.count()).where(person.c.spot == code, person.c.departed.is_(False))
    numbers = select(func.count()).where(life.c.spot == code, tables.IN_USE)
    return (
        reading.connection.execute(people).scalar() or 0,
        reading.connection.execute(numbers).scalar() or 0,
    )


def change_spot(context: Context, code: str, form: dict[str, str]) -> Spot:
    """Other words for a spot; it counts as confirmed by whoever changed it. Words that stay as they
    are confirm nothing.

    Raises NotUnderstood naming the field.
    """
    context.require(May.CHANGE_SAFETY)
    words = {name: form.get(name, "").strip() for name in LENGTHS}
    for name, most in LENGTHS.items():
        if len(words[name]) > most:
            raise NotUnderstood(f"The {name} has at most {most} characters.", field=name)
    with context.writing() as writing:
        spot = writing.records.the(Spot, code)
        address = writing.records.the(Address, spot.address)
        for name in ("floor", "room"):
            if needs_detail(address) and not spot.whole and not words[name]:
                raise NotUnderstood(f"Say the {name}, or responders would search.", field=name)
        if wrong := floor_problem(words["floor"], address):
            raise NotUnderstood(wrong, field="floor")
        words["name"] = (
            words["name"] or ", ".join(x for x in (words["floor"], words["room"]) if x) or spot.name
        )
        if all(getattr(spot, name) == words[name] for name in LENGTHS):
            return spot
        place = spot.place if words["floor"] == spot.floor else None
        after = spot.copy_with(
            **words, place=place, confirmed_at=writing.now, confirmed_by=context.actor, doubt=""
        )
        moved = any(
            getattr(spot, name) != getattr(after, name)
            for name in ("building", "floor", "wing", "room")
        )
        stale = address_change_notices.out_of_date(writing, [code]) if moved else []
        saved = writing.save([changed(Subject.SPOT, spot, after, "spot.changed"), *stale])[0].after
    if moved:
        address_change_notices.draft_notices(context, saved.name)
    return saved


def put_on_plan(context: Context, code: str, x: float, y: float) -> Spot:
    """Where a spot lies on the plan of its floor, in hundredths of width and height. Raises
    NotUnderstood."""
    context.require(May.CHANGE_SAFETY)
    if not (0 <= x <= 100 and 0 <= y <= 100):
        raise NotUnderstood(
            "A place on a plan is given in hundredths of its width and height, 0 to 100.", field="x"
        )
    with context.writing() as writing:
        spot = writing.records.the(Spot, code)
        return writing.save(
            [
                changed(
                    Subject.SPOT,
                    spot,
                    spot.copy_with(place=(round(x, 1), round(y, 1))),
                    "spot.placed",
                )
            ]
        )[0].after


def remove(context: Context, code: str) -> Spot:
    """Take a spot out of use; its code is never given again. Raises NotAllowedNow naming who is
    still there."""
    context.require(May.CHANGE_SAFETY)
    found = card(context, code)
    if found.spot.whole:
        raise NotAllowedNow(
            "The spot “whole address” stays as long as the address does.",
            reason="whole",
            field="spot",
        )
    if found.site.spot == code:
        raise NotAllowedNow(
            f"{found.spot.name} is the usual spot of {found.site.name}. Choose another for the site"
            " first.",
            reason="usual",
            field="spot",
        )
    if found.in_use:
        names = [
            *(p.name for p in found.people),
            *(x.name for x in found.lines),
            *(n.shown for n in found.numbers),
        ]
        more = f" and {len(names) - 4} more" if len(names) > 4 else ""
        raise NotAllowedNow(
            f"{found.spot.name} is where {', '.join(names[:4])}{more} would be searched for. Move"
            " them first.",
            reason="in-use",
            field="spot",
            who=names[:40],
        )
    with context.writing() as writing:
        spot = writing.records.the(Spot, code)
        return writing.save(
            [changed(Subject.SPOT, spot, spot.copy_with(removed=True), "spot.removed")]
        )[0].after


# ── floor plans ──


def put_plan(context: Context, site: str, floor: str, content: bytes) -> None:
    """A picture of a floor. Raises NotUnderstood for anything but a PNG or JPEG."""
    context.require(May.CHANGE_SAFETY)
    if not floor.strip() or len(floor) > LENGTHS["floor"]:
        raise NotUnderstood("Choose the floor of the plan.", field="floor")
    if not content or len(content) > MOST_BYTES:
        raise NotUnderstood(
            f"Choose a picture of at most {MOST_BYTES // 1_000_000} MB.", field="file"
        )
    media_type = media_type_of(content)
    if media_type not in PICTURES:
        raise NotUnderstood("A floor plan is a picture: PNG or JPEG.", field="file")
    with context.writing() as writing:
        name = writing.records.the(Site, site).name
        writing.connection.execute(
            delete(floor_plan).where(floor_plan.c.site == site, floor_plan.c.floor == floor)
        )
        writing.connection.execute(
            insert(floor_plan).values(
                site=site, floor=floor, media_type=media_type, content=content, at=writing.now
            )
        )
        writing.record_event("site.plan-put", Subject.SITE, site, f"{name}, {floor}")


def plan(context: Context, site: str, floor: str) -> tuple[str, bytes]:
    """Media type and content. Raises NotFound."""
    with context.reading() as reading:
        row = reading.connection.execute(
            select(floor_plan.c.media_type, floor_plan.c.content).where(
                floor_plan.c.site == site, floor_plan.c.floor == floor
            )
        ).first()
    if row is None:
        raise NotFound("There is no plan of this floor.", subject="floor plan", id=floor)
    return row[0], row[1]


def take_plan_away(context: Context, site: str, floor: str) -> None:
    context.require(May.CHANGE_SAFETY)
    with context.writing() as writing:
        name = writing.records.the(Site, site).name
        gone = writing.connection.execute(
            delete(floor_plan).where(floor_plan.c.site == site, floor_plan.c.floor == floor)
        ).rowcount
        if gone:
            writing.record_event("site.plan-taken-away", Subject.SITE, site, f"{name}, {floor}")


def floor_key(name: str) -> str:
    """A floor's name as part of an address on the page."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "no-floor"
