"""Coverage: per site and floor from kept counts, gaps grouped by reason, each put right
by a work order."""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from sqlalchemy import ColumnElement, Select, exists, func, literal_column, select

from sedge.core.access.roles import May
from sedge.core.errors import NotFound
from sedge.core.records import Address, HolderKind, Number, Person, Site, Spot
from sedge.core.safety.coverage import SiteCoverage, coverage_of
from sedge.core.safety.spots import spot_problem
from sedge.core.workorders import tasks as t
from sedge.services.context import Context, Reading
from sedge.services.safety.safety import count_not_registered, not_registered
from sedge.services.workorders import workorders
from sedge.store.projections import spot_counts
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

SHOWN = 500


SINGULAR = {"numbers": "number", "people": "person"}


@dataclass(frozen=True)
class Gap:
    """One reason, how many it concerns, and the first of the numbers and people. `key` is for
    putting it right; `leads_to` is a page where that needs somebody's judgement."""

    key: str
    reason: str
    count: int
    numbers: list[str] = field(default_factory=list)
    people: list[dict[str, str]] = field(default_factory=list)
    words: str = ""
    leads_to: str = ""

    @property
    def told(self) -> str:
        """`1 person without a spot`, `1,200 numbers in use without a spot`."""
        noun, _, rest = self.reason.partition(" ")
        one = self.count == 1
        return f"{self.count:,} {SINGULAR.get(noun, noun) if one else noun} {rest}"


def by_site(context: Context) -> list[SiteCoverage]:
    """Every site, the least covered first. Nothing is added up: the counts are kept as things
    change."""
    with context.reading() as reading:
        spots = reading.records.all(Spot)
        addresses = {a.id: a for a in reading.records.all(Address)}
        sites, counts = reading.records.all(Site), list(spot_counts.counts(reading.connection))
        return coverage_of(
            counts,
            spots,
            addresses,
            sites,
            reading.now,
            _own_elsewhere(reading, counts, {s.id: s.site for s in spots}),
        )


def _own_elsewhere(
    reading: Reading, counts: list[tuple[str, str, str, int]], at: dict[str, str]
) -> dict[tuple[str, str, str], int]:
    """Of those whose spot is at another site than their own, how many are right there: people who
    work elsewhere, and their numbers."""
    away = [(site, kind, spot) for site, kind, spot, _ in counts if at.get(spot, site) != site]
    if not away:
        return {}
    life, person = tables.life, tables.person
    query = (
        select(life.c.site, life.c.spot, func.count())
        .join(
            person,
            (life.c.holder_kind == HolderKind.PERSON.value)
            & (person.c.id == life.c.holder_id)
            & (person.c.spot == life.c.spot),
        )
        .where(tables.IN_USE, life.c.spot.in_({spot for _, _, spot in away}))
        .group_by(life.c.site, life.c.spot)
    )
    found = {
        (site, spot_counts.NUMBER, spot): count
        for site, spot, count in reading.connection.execute(query)
    }
    return found | {
        (site, kind, spot): count
        for site, kind, spot, count in counts
        if kind == spot_counts.PERSON and at.get(spot, site) != site
    }


def gaps(context: Context, *, limit: int = SHOWN) -> list[Gap]:
    """Every reason why help would not find somebody, the most serious first. How many it concerns
    is known from kept counts; the first `limit` of them are named."""
    with context.reading() as reading:
        counts = list(spot_counts.counts(reading.connection))
        bad = _bad_spots(reading)
        nowhere, here = Counter[str](), Counter[str]()
        for _, kind, spot, count in counts:
            if not spot:
                nowhere[kind] += count
            elif spot in bad:
                here[spot] += count
        found = [
            _without(reading, nowhere, limit),
            _weak(reading, bad, here, limit),
            _misplaced(reading, limit),
            _elsewhere(reading, limit),
            _people(reading, nowhere, limit),
        ]
        return [gap for group in (*found, _doubted(reading)) for gap in group]


def _bad_spots(reading: Reading) -> dict[str, str]:
    addresses = {a.id: a for a in reading.records.all(Address)}
    return {
        s.id: p
        for s in reading.records.all(Spot)
        if (p := spot_problem(s, addresses[s.address], reading.now))
    }


def _numbers(reading: Reading, *where: ColumnElement[bool], limit: int) -> list[str]:
    life = tables.life
    query = (
        select(life.c.number)
        .where(life.c.state == literal_column("'assigned'"), *where)
        .order_by(life.c.number)
        .limit(limit)
    )
    return [f"+{n}" for n in reading.connection.execute(query).scalars()]


def _named(reading: Reading, *where: ColumnElement[bool], limit: int) -> list[dict[str, str]]:
    person = tables.person
    query = (
        select(person.c.id, person.c.name)
        .where(person.c.departed.is_(False), *where)
        .order_by(person.c.name)
        .limit(limit)
    )
    return [{"id": key, "name": name} for key, name in reading.connection.execute(query)]


def _without(reading: Reading, nowhere: Counter[str], limit: int) -> list[Gap]:
    if not nowhere[spot_counts.NUMBER]:
        return []
    numbers = _numbers(reading, tables.life.c.spot.is_(None), limit=limit)
    return [
        Gap(
            "no-spot",
            "numbers in use without a spot",
            nowhere[spot_counts.NUMBER],
            numbers,
            [],
            "Take the holder's spot, or the site's",
        )
    ]


def _misplaced(reading: Reading, limit: int) -> list[Gap]:
    """Numbers in use whose spot is at another site than theirs, and not their holder's own."""
    life, spot, person = tables.life, tables.spot, tables.person
    own = exists().where(
        life.c.holder_kind == HolderKind.PERSON.value,
        person.c.id == life.c.holder_id,
        person.c.spot == life.c.spot,
    )
    where = (tables.IN_USE, spot.c.id == life.c.spot, spot.c.site != life.c.site, ~own)
    count = (
        reading.connection.execute(
            select(func.count())
            .select_from(life)
            .join(spot, spot.c.id == life.c.spot)
            .where(*where)
        ).scalar()
        or 0
    )
    if not count:
        return []
    query: Select[tuple[int]] = (
        select(life.c.number)
        .join(spot, spot.c.id == life.c.spot)
        .where(*where)
        .order_by(life.c.number)
        .limit(limit)
    )
    numbers = [f"+{n}" for n in reading.connection.execute(query).scalars()]
    return [
        Gap(
            "other-site",
            "numbers in use whose spot is at another site",
            count,
            numbers,
            [],
            "Choose a spot where their holders work",
        )
    ]


def _weak(reading: Reading, bad: dict[str, str], here: Counter[str], limit: int) -> list[Gap]:
    found = []
    for reason in sorted({bad[spot] for spot in here}):
        spots = sorted(spot for spot in here if bad[spot] == reason)[:900]
        numbers = _numbers(reading, tables.life.c.spot.in_(spots), limit=limit)
        people = _named(reading, tables.person.c.spot.in_(spots), limit=limit)
        what = "numbers" if numbers else "people"
        count = sum(here[spot] for spot in spots)
        words = "Move them to a better spot"
        found.append(
            Gap(
                "weak-spot",
                f"{what} whose spot is not good enough: {reason}",
                count,
                numbers,
                people,
                words,
                "/safety/move",
            )
        )
    return found


def _elsewhere(reading: Reading, limit: int) -> list[Gap]:
    count = count_not_registered(reading)
    if not count:
        return []
    found = not_registered(reading, limit)
    return [
        Gap(
            "not-registered",
            "numbers whose carrier has another address than Sedge, or none",
            count,
            [n.e164 for n in found],
            [],
            "Register addresses",
        )
    ]


def _people(reading: Reading, nowhere: Counter[str], limit: int) -> list[Gap]:
    if not nowhere[spot_counts.PERSON]:
        return []
    people = _named(reading, tables.person.c.spot.is_(None), limit=limit)
    return [
        Gap(
            "people",
            "people without a spot",
            nowhere[spot_counts.PERSON],
            [],
            people,
            "Say where they are",
            "/safety/move",
        )
    ]


def _doubted(reading: Reading) -> list[Gap]:
    doubted = [s for s in reading.records.all(Spot) if s.doubt and not s.removed]
    return [
        Gap(
            "doubt",
            f"spot that somebody there says is wrong: {s.name} ({s.doubt})",
            1,
            [],
            [{"id": s.id, "name": s.name}],
            "View",
            f"/safety/spots/{s.id}",
        )
        for s in doubted
    ]


def put_right(context: Context, key: str) -> WorkOrder:
    """The draft of a work order that closes a gap as far as nobody's judgement is needed. Raises
    NotFound."""
    context.require(May.CHANGE_ESTATE)
    makers: dict[str, Callable[[Reading], list[t.Task]]] = {
        "not-registered": _registering,
        "no-spot": _spotting,
    }
    if key not in makers:
        raise NotFound(
            "This gap needs somebody to choose; look at it page by page.", subject="gap", id=key
        )
    with context.reading() as reading:
        tasks = makers[key](reading)
    if not tasks:
        raise NotFound("There is nothing left to correct.", subject="gap", id=key)
    title = {
        "not-registered": "Register emergency addresses",
        "no-spot": "Give numbers in use a spot",
    }[key]
    return workorders.draft(context, f"{title}: {len(tasks)}", tasks)


def _registering(reading: Reading) -> list[t.Task]:
    return [t.RegisterAddress(number=n.e164) for n in not_registered(reading)]


def _spotting(reading: Reading) -> list[t.Task]:
    """The holder's own spot, else the site's usual one, where that is good enough."""
    life = tables.life
    numbers = reading.records.where(
        Number,
        life.c.state == literal_column("'assigned'"),
        life.c.spot.is_(None),
        order_by=life.c.number,
        limit=SHOWN,
    )
    people = {
        p.id: p.spot
        for p in reading.records.many(Person, {n.holder.id for n in numbers if n.holder})
    }
    sites = {s.id: s.spot for s in reading.records.all(Site)}
    bad = _bad_spots(reading)
    tasks: list[t.Task] = []
    for n in numbers:
        spot = (people.get(n.holder.id) if n.holder else None) or sites.get(n.site)
        if spot and spot not in bad:
            tasks.append(t.SetSpot(number=n.e164, spot=spot))
    return tasks
