"""A trunk's list of numbers beside the one that the other side has: kept as it was given, held
against ours whenever somebody looks, and told on Today where they differ."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow, NotUnderstood
from sedge.core.facts import counted
from sedge.core.records import Number, Site, Trunk
from sedge.core.trunks.number_lists import ListDifference, difference, read_list
from sedge.core.trunks.records import TrunkSettings
from sedge.core.trunks.settings import as_written
from sedge.core.trunks.tasks import ListOnTrunk
from sedge.services.context import Context, Reading
from sedge.services.workorders import workorders
from sedge.store.repositories.records import is_open
from sedge.store.repositories.workorders import WorkOrder
from sedge.store.schema import tables
from sedge.store.schema.trunks import their_list

MOST_LISTED = 100_000
MOST_IN_ORDER = 2000


@dataclass(frozen=True)
class Extra:
    """A number on their list alone: `state` is how it stands here, '' where it is not ours; it
    `may_be_listed` where it is ours and their carrier's."""

    e164: str
    state: str
    may_be_listed: bool


@dataclass(frozen=True)
class Compared:
    """`given_at` None: nobody has given their list. `extras` are the first of those on theirs
    alone. `in_part`: who looks sees some sites only, so that nothing can be compared."""

    trunk: Trunk
    ours: int
    example: str
    given_at: datetime | None
    given_by: str
    theirs: int
    unread: tuple[str, ...]
    found: ListDifference
    extras: list[Extra]
    in_part: bool = False


def own_list(context: Context, key: str) -> tuple[Trunk, list[str]]:
    """The trunk with the numbers of its list (E.164). Raises NotFound, NotAllowedNow."""
    with context.reading() as reading:
        return reading.records.the(Trunk, key), _ours(reading, key)


def as_expected(context: Context, key: str) -> tuple[Trunk, list[str]]:
    """The same, written as the trunk expects numbers."""
    trunk, numbers = own_list(context, key)
    way = trunk.settings or TrunkSettings()
    return trunk, [as_written(n, way.expects, way.last_digits) for n in numbers]


def _ours(reading: Reading, key: str) -> list[str]:
    life = tables.life
    query = (
        select(life.c.number)
        .where(is_open(), life.c.trunk == key)
        .order_by(life.c.number)
        .limit(MOST_LISTED + 1)
    )
    numbers = [f"+{n}" for n in reading.connection.execute(query).scalars()]
    if len(numbers) > MOST_LISTED:
        message = f"More than {MOST_LISTED:,} numbers are on this list; export them by site."
        raise NotAllowedNow(message, reason="too-many")
    return numbers


def give_their_list(context: Context, key: str, text: str) -> Compared:
    """Reads and keeps what the other side has, in place of what it gave before. Raises NotFound,
    NotUnderstood."""
    context.require(May.TRUNKS)
    context.require_whole()
    trunk, ours = own_list(context, key)
    with context.reading() as reading:
        country = reading.records.the(Site, trunk.site).country
    read = read_list(text, ours, trunk.settings or TrunkSettings(), country)
    with context.writing() as writing:
        row = {
            "trunk": key,
            "at": writing.now,
            "by": context.actor,
            "numbers": "\n".join(read.numbers),
            "unread": "\n".join(read.unread),
        }
        given = insert(their_list).values(**row)
        writing.connection.execute(given.on_conflict_do_update(index_elements=["trunk"], set_=row))
        words = f"{trunk.name}: {counted(len(read.numbers), 'number')}"
        writing.record_event("trunk.their-list-given", Subject.TRUNK, key, words)
    return compare(context, key)


def forget_their_list(context: Context, key: str) -> None:
    """What they gave is of no use any more. Raises NotFound."""
    context.require(May.TRUNKS)
    with context.writing() as writing:
        trunk = writing.records.the(Trunk, key)
        writing.connection.execute(delete(their_list).where(their_list.c.trunk == key))
        writing.record_event("trunk.their-list-forgotten", Subject.TRUNK, key, trunk.name)


def compare(context: Context, key: str, most: int = 200) -> Compared:
    """Raises NotFound, NotAllowedNow."""
    trunk, ours = own_list(context, key)
    way = trunk.settings or TrunkSettings()
    example = as_written(ours[0], way.expects, way.last_digits) if ours else ""
    if not context.who.scope.is_whole:
        nothing = difference((), ())
        return Compared(trunk, len(ours), example, None, "", 0, (), nothing, [], in_part=True)
    with context.reading() as reading:
        row = reading.connection.execute(
            select(their_list).where(their_list.c.trunk == key)
        ).one_or_none()
        if row is None:
            return Compared(trunk, len(ours), example, None, "", 0, (), difference((), ()), [])
        theirs = row.numbers.split("\n")
        found = difference(ours, theirs)
        extras = _extras(reading, trunk, found.extra[:most])
    unread = tuple(line for line in row.unread.split("\n") if line)
    return Compared(trunk, len(ours), example, row.at, row.by, len(theirs), unread, found, extras)


def _extras(reading: Reading, trunk: Trunk, numbers: Sequence[str]) -> list[Extra]:
    here = {
        n.e164: n
        for n in reading.records.where(
            Number, is_open(), tables.life.c.number.in_([int(e[1:]) for e in numbers])
        )
    }
    return [
        Extra(e164, n.state.value, n.carrier == trunk.carrier)
        if (n := here.get(e164))
        else Extra(e164, "", False)
        for e164 in numbers
    ]


def draft_listing(context: Context, key: str) -> WorkOrder:
    """A work order that puts on the trunk's list what they have on theirs and what is ours. Raises
    NotFound, NotUnderstood where there is none."""
    context.require(May.CHANGE_ESTATE)
    seen = compare(context, key, MOST_IN_ORDER)
    wanted = [extra.e164 for extra in seen.extras if extra.may_be_listed]
    if not wanted:
        message = "None of these numbers is ours at this carrier, so none can be put on the trunk."
        raise NotUnderstood(message, field="trunk", reason="nothing")
    tasks = [ListOnTrunk(number=e164, trunk=key) for e164 in wanted]
    title = f"Put {counted(len(wanted), 'number')} on {seen.trunk.name}"
    return workorders.draft(context, title, tasks, look=True)


def differing(context: Context) -> list[tuple[Trunk, datetime, ListDifference]]:
    """Trunks whose list differs from the one that the other side gave, with when it did."""
    found: list[tuple[Trunk, datetime, ListDifference]] = []
    if not context.who.scope.is_whole:
        return found
    with context.reading() as reading:
        for row in reading.connection.execute(select(their_list)).all():
            trunk = reading.records.find(Trunk, row.trunk)
            if trunk is None or not trunk.carries:
                continue
            differs = difference(_ours(reading, trunk.id), row.numbers.split("\n"))
            if differs.count:
                found.append((trunk, row.at, differs))
    return found
