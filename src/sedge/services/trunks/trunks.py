"""Trunks: their status as evidence with its time, and what is on their lists."""

from collections import Counter
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import func, select

from sedge.core.changes import changed
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import Account, Carrier, Connection, Number, Site, Subject, Trunk
from sedge.core.trunks.life import Phase, next_step, phase_of
from sedge.services.context import Context
from sedge.store.repositories.deliveries import lead_times
from sedge.store.repositories.records import is_open
from sedge.store.schema import projected, tables


@dataclass(frozen=True)
class TrunkView:
    trunk: Trunk
    carrier: str
    listed: int


@dataclass(frozen=True)
class CarrierView:
    carrier: Carrier
    accounts: list[Account]
    trunks: list[TrunkView]
    numbers: int
    usual: timedelta | None = None
    late: timedelta | None = None
    on_the_wire: bool = False


def refresh(context: Context) -> int:
    """Ask the telephone system which trunks are down; keep what has changed."""
    down = context.outside.telephony.trunks_down()
    with context.reading() as reading:
        moved = [x for x in reading.records.all(Trunk) if x.up == (x.id in down)]
    seen = [
        (
            x,
            x.copy_with(
                up=x.id not in down, seen_at=context.now(), connection=_looked_at(context, x)
            ),
        )
        for x in moved
    ]
    if seen:
        with context.as_system().writing(reason="telephone system compared") as writing:
            writing.save([changed(Subject.TRUNK, was, now, "trunk.seen") for was, now in seen])
    return len(moved)


def _looked_at(context: Context, trunk: Trunk) -> Connection | None:
    """A trunk's connection with why it is not signed in, as the telephone system says it now."""
    return (
        trunk.connection.copy_with(said=context.outside.telephony.signed_in(trunk.id))
        if trunk.connection
        else None
    )


MOST_COUNTED = 5000  # numbers of a trunk that are each looked at for a fallback


@dataclass(frozen=True)
class TrunkCard:
    """A trunk with how many numbers in use are on its list, and how many of them are lost while it
    is down (None: too many to look at)."""

    trunk: Trunk
    carrier: str
    site: str
    numbers: int
    without_fallback: int | None

    @property
    def phase(self) -> Phase:
        return phase_of(self.trunk, carries_numbers=bool(self.numbers))

    @property
    def next_step(self) -> str:
        return next_step(self.trunk, self.phase)


def one(context: Context, key: str) -> TrunkCard:
    """Raises NotFound."""
    life = tables.life
    where = (is_open(), tables.IN_USE, life.c.trunk == key)
    with context.reading() as reading:
        trunk = reading.records.the(Trunk, key)
        numbers = int(reading.connection.execute(select(func.count()).where(*where)).scalar() or 0)
        lost = None
        if numbers <= MOST_COUNTED:
            lost = sum(1 for n in reading.records.where(Number, *where) if not n.fallback)
        carrier, site = (
            reading.records.the(Carrier, trunk.carrier).name,
            reading.records.the(Site, trunk.site).name,
        )
    return TrunkCard(trunk, carrier, site, numbers, lost)


def plain(context: Context) -> list[Trunk]:
    """All trunks in the order of their names, without any count."""
    with context.reading() as reading:
        return sorted(reading.records.all(Trunk), key=lambda t: t.name.lower())


def carriers(context: Context) -> list[CarrierView]:
    life = tables.life
    with context.reading() as reading:
        listed: Counter[str] = Counter()
        by_state = (
            select(life.c.trunk, life.c.state, func.count())
            .where(life.c.trunk.is_not(None))
            .group_by(life.c.trunk, life.c.state)
        )
        for trunk, state, count in reading.connection.execute(by_state):
            listed[trunk] += count if State(state) not in ENDED else 0
        counts = dict(
            reading.connection.execute(
                select(projected.tally.c.carrier, func.sum(projected.tally.c.count)).group_by(
                    projected.tally.c.carrier
                )
            ).all()
        )
        accounts, trunks = reading.records.all(Account), reading.records.all(Trunk)
        found = reading.records.all(Carrier)
        leads = {c.id: lead_times(reading.records, c.id) for c in found}
    return [
        CarrierView(
            c,
            [a for a in accounts if a.carrier == c.id],
            [TrunkView(x, c.name, listed.get(x.id, 0)) for x in trunks if x.carrier == c.id],
            counts.get(c.id, 0),
            *leads[c.id],
            c.id in context.outside.carriers,
        )
        for c in found
    ]


def account_names(context: Context) -> list[str]:
    """The accounts' names, for a form to choose from."""
    with context.reading() as reading:
        return sorted(a.name for a in reading.records.all(Account))
