"""A site of the demo as data, and how it is set up: address, spots, people with phones, service
lines, trunk and who answers at the front."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sedge.core.callpaths.steps import Hours, Mailbox, Opening, Path, Ring
from sedge.core.facts import Fact
from sedge.core.records import (
    Address,
    CivicElements,
    Device,
    PathVersion,
    Person,
    ServiceLine,
    Site,
    Spot,
    SupplyModel,
    Trunk,
    Verdict,
)
from sedge.core.safety.spots import spot_code
from sedge.services.apply_now import add_records
from sedge.services.context import Context
from sedge.services.safety import safety


@dataclass(frozen=True)
class SiteFacts:
    """`rooms` by floor and name, `people` by name, job and room, `lines` by name, kind and room
    (rooms count from 1). `trunk`: its id, name, carrier and channels, where the site has one.
    `holidays`: the calendar that its front of house goes by; without one it rings at any hour."""

    id: str
    name: str
    code: str
    address: CivicElements
    timezone: str
    language: str
    supply: SupplyModel
    account: str
    trunk: tuple[str, str, str, int] | None
    rooms: tuple[tuple[str, str], ...]
    people: tuple[tuple[str, str, int], ...]
    lines: tuple[tuple[str, str, int], ...]
    extensions_from: int
    prefix: str
    holidays: str = ""
    floors: int = 1
    area: int = 900


def set_up_site(context: Context, site: SiteFacts, now: datetime) -> None:
    """All of it; `now` is the day that the demo's past leads up to."""
    where = f"{site.id}-address"
    known = safety.match_address(context, site.address.model_dump()).candidates[0]
    spots = _spots(site, now)
    records: list[Fact] = [
        Address(
            id=where,
            site=site.id,
            elements=site.address,
            verdict=Verdict.EXACT,
            psap=known.psap,
            floors=site.floors,
            area_m2=site.area,
            point=known.point,
        ),
        *spots,
        Site(
            id=site.id,
            name=site.name,
            code=site.code,
            country=site.address.country,
            timezone=site.timezone,
            language=site.language,
            outside_prefix=site.prefix,
            supply_model=site.supply,
            account=site.account,
            address=where,
            spot=spots[1].id,
            security_desk="estates@lanternfield.example",
        ),
    ]
    if site.trunk:
        trunk, name, carrier, channels = site.trunk
        records.append(Trunk(id=trunk, name=name, site=site.id, carrier=carrier, channels=channels))
    add_records(context, records, reason=f"{site.name} set up")
    staff_site(context, site, now)


def _spots(site: SiteFacts, now: datetime) -> list[Spot]:
    where = f"{site.id}-address"
    whole = Spot(
        id=spot_code(site.code, 0),
        address=where,
        site=site.id,
        name="whole address",
        whole=True,
        confirmed_at=now,
    )
    rooms = [
        Spot(
            id=spot_code(site.code, i),
            address=where,
            site=site.id,
            name=f"{floor}, {room}",
            floor=floor,
            room=room,
            confirmed_at=now - timedelta(days=40 * i),
        )
        for i, (floor, room) in enumerate(site.rooms, start=1)
    ]
    return [whole, *rooms]


def staff_site(context: Context, site: SiteFacts, now: datetime) -> None:
    """Its people with their phones, its service lines, and who answers at the front."""
    people = [
        Person(
            id=person_id(name),
            name=name,
            email=f"{name.lower().replace(' ', '.')}@lanternfield.example",
            site=site.id,
            department=site.name,
            job=job,
            extension=str(site.extensions_from + i),
            spot=spot_code(site.code, room),
        )
        for i, (name, job, room) in enumerate(site.people)
    ]
    devices = [
        Device(
            id=f"phone-{site.code.lower()}-{p.extension}",
            person=p.id,
            kind="desk phone",
            name=f"desk phone {p.extension}",
            registered=True,
            seen_at=now,
        )
        for p in people
    ]
    at_the_front = tuple(p.id for p in people[-3:])
    lines = [
        ServiceLine(
            id=line_id(name),
            name=name,
            kind=kind,
            site=site.id,
            spot=spot_code(site.code, room),
            members=at_the_front,
        )
        for name, kind, room in site.lines
    ]
    path = PathVersion(
        id=f"{site.id}-front",
        name=f"{site.name} front of house",
        body=_front(site, at_the_front, people[0].id).model_dump(mode="json"),
        in_force_from=context.now(),
    )
    add_records(context, [*people, *devices, *lines, path], reason=f"people of {site.name}")


def _front(site: SiteFacts, ringing: Sequence[str], takes_messages: str) -> Path:
    ring = Ring(
        title="Ring: front of house",
        people=tuple(ringing),
        exits=dict.fromkeys(("no answer", "busy", "nobody reachable"), "mailbox"),
    )
    mailbox = Mailbox(recipients=(takes_messages,))
    if not site.holidays:
        return Path(first="ring", steps={"ring": ring, "mailbox": mailbox})
    hours = Hours(
        title="Opening hours",
        timezone=site.timezone,
        openings=(Opening(weekdays=(1, 2, 3, 4, 5, 6), start="10:00", end="17:00"),),
        holidays_of=site.holidays,
        exits={"open": "ring", "closed": "mailbox", "holiday": "mailbox"},
    )
    return Path(first="hours", steps={"hours": hours, "ring": ring, "mailbox": mailbox})


def on_the_ground(*rooms: str) -> tuple[tuple[str, str], ...]:
    return tuple(("ground floor", room) for room in rooms)


def person_id(name: str) -> str:
    return "person-" + name.lower().replace(" ", "-")


def line_id(name: str) -> str:
    return "line-" + "".join(c for c in name.lower().replace(" ", "-") if c.isalnum() or c == "-")
