"""What each carrier has registered for each number against what Sedge says: compared on demand,
differences sent again."""

from dataclasses import dataclass
from datetime import datetime

from sedge.core.access.roles import May
from sedge.core.errors import NotFound, OutsideTrouble
from sedge.core.records import Account, Address, Carrier, Number, Site, Spot
from sedge.core.workorders import tasks as t
from sedge.services.context import Context
from sedge.services.workorders import workorders
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables

SHOWN = 500
PARTS = ("country", "region", "city", "street", "house_number", "postcode", "floor", "room")


@dataclass(frozen=True)
class Difference:
    """A number whose carrier would send help elsewhere: parts as (name, Sedge's, the carrier's);
    `has_none`: it has no address at all."""

    number: Number
    site: str
    parts: tuple[tuple[str, str, str], ...]
    has_none: bool


@dataclass(frozen=True)
class Compared:
    """One carrier's addresses against ours. `trouble` says why it could not be asked; `alike` is
    how many agree."""

    carrier: Carrier
    differences: list[Difference]
    alike: int
    trouble: str
    at: datetime


def wanted(context: Context, spot: Spot, address: Address, site: Site) -> dict[str, str]:
    """What a carrier should have registered for a number at a spot."""
    elements = address.elements
    return {
        **{name: getattr(elements, name) for name in PARTS[:6]},
        "floor": spot.floor,
        "room": spot.room,
        "site": site.name,
    }


def compare(context: Context, key: str) -> Compared:
    """Ask a carrier for all addresses it has of our numbers, and hold them against ours. Raises
    NotFound for one that keeps none."""
    with context.reading() as reading:
        carrier = reading.records.the(Carrier, key)
        if not carrier.registers_addresses or key not in context.outside.carriers:
            raise NotFound(
                f"{carrier.name} keeps no addresses; the place travels with each call.",
                subject="carrier",
                id=key,
            )
        life = tables.life
        numbers = reading.records.where(
            Number, life.c.carrier == key, tables.IN_USE, order_by=life.c.number
        )
        accounts = reading.records.where(Account, tables.account.c.carrier == key)
        spots = {s.id: s for s in reading.records.all(Spot)}
        addresses = {a.id: a for a in reading.records.all(Address)}
        sites = {s.id: s for s in reading.records.all(Site)}
    theirs: dict[str, dict[str, str]] = {}
    try:
        for account in accounts:
            theirs |= context.at_carrier(account).addresses()
    except OutsideTrouble as error:
        return Compared(carrier, [], 0, error.message, context.now())
    found: list[Difference] = []
    for n in numbers:
        if not n.spot or n.spot not in spots:
            continue
        spot = spots[n.spot]
        ours = wanted(context, spot, addresses[spot.address], sites[spot.site])
        has = theirs.get(n.e164)
        parts = tuple(
            (name, ours[name], (has or {}).get(name, ""))
            for name in PARTS
            if ours[name] != (has or {}).get(name, "")
        )
        if has is None or parts:
            found.append(Difference(n, sites[n.site].name, parts, has is None))
    return Compared(carrier, found, len(numbers) - len(found), "", context.now())


def keeping(context: Context) -> list[Carrier]:
    """Carriers that keep addresses and can be asked."""
    with context.reading() as reading:
        return [
            c
            for c in reading.records.all(Carrier)
            if c.registers_addresses and c.id in context.outside.carriers
        ]


def send_again(context: Context, key: str) -> WorkOrder:
    """A draft that registers every address that differs."""
    context.require(May.CHANGE_ESTATE)
    compared = compare(context, key)
    if not compared.differences:
        raise NotFound(
            compared.trouble or f"{compared.carrier.name} has every address as Sedge says it.",
            subject="difference",
        )
    tasks = [t.RegisterAddress(number=d.number.e164) for d in compared.differences[:SHOWN]]
    return workorders.draft(
        context, f"Register {len(tasks)} addresses with {compared.carrier.name}", tasks
    )
