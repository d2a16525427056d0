"""What names numbers: call paths, fallbacks, people whose calls ring them, calls out that show
them, open work orders.

Asked for all numbers at once: a few queries for each nine hundred, and one more for each number
that very much leads to.
"""

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Generic, TypeVar

from sqlalchemy import ColumnElement, Connection, func, select

from sedge.core.facts import Fact
from sedge.core.records import Defaults, Number, PathVersion, Person, Site, Subject
from sedge.core.retiring.dependencies import MOST_NAMED, Around
from sedge.core.safety.callback import is_main
from sedge.services.context import Reading, Writing
from sedge.store.projections.order_subjects import OPEN
from sedge.store.repositories.records import MOST_VARIABLES, Records, is_open, without_own
from sedge.store.schema import holders, tables, workorders

R = TypeVar("R", bound=Fact)
MOST_TOLD = 20  # of each kind that names a number; how many more there are is said


@dataclass
class _Found(Generic[R]):
    """Records by the number they name, `MOST_TOLD` of each at most, and how many more there are."""

    named: defaultdict[str, list[R]] = field(default_factory=lambda: defaultdict(list))
    more: Counter[str] = field(default_factory=Counter)


def around(reading: Reading | Writing, numbers: Sequence[Number]) -> dict[str, Around]:
    """What names each of the numbers, by E.164."""
    records, connection = reading.records, reading.connection
    keys = [n.e164 for n in numbers]
    life, person, site = tables.life, tables.person, tables.site
    here = person.c.departed.is_(False)
    falling = _naming(records, Number, life.c.fallback, keys, lambda n: n.fallback, is_open())
    ringing = _naming(records, Person, person.c.rings, keys, lambda p: p.answering.mobile, here)
    people = _naming(records, Person, person.c.shows, keys, lambda p: p.caller_id.number, here)
    sites = _naming(records, Site, site.c.shows, keys, lambda s: s.caller_id.number)
    whole = [d for d in records.all(Defaults) if d.caller_id.number]
    paths, orders = _paths(records, keys), _open_orders(connection, keys)
    followers, without = _followers(connection, numbers), _without_own(connection, numbers)
    return {
        n.e164: Around(
            naming=paths[n.e164],
            falling_back=falling.named[n.e164],
            ringing=ringing.named[n.e164],
            showing=[
                *people.named[n.e164],
                *sites.named[n.e164],
                *(d for d in whole if d.caller_id.number == n.e164),
            ],
            orders=orders[n.e164][:MOST_NAMED],
            followers=followers[n.path or ""],
            without_own=without[n.site] if is_main(n) else 0,
            more={
                "numbers": falling.more[n.e164],
                "showing": people.more[n.e164] + sites.more[n.e164],
            },
        )
        for n in numbers
    }


def _parts(keys: Iterable[str]) -> Iterator[list[str]]:
    """As many as one query takes."""
    wanted = sorted(set(keys))
    return (
        wanted[start : start + MOST_VARIABLES] for start in range(0, len(wanted), MOST_VARIABLES)
    )


def _naming(
    records: Records,
    record_type: type[R],
    column: ColumnElement[str],
    keys: Iterable[str],
    of: Callable[[R], str | None],
    *also: ColumnElement[bool],
) -> _Found[R]:
    """Who names the numbers in a column: counted first, so that a number which a hundred thousand
    name is as quick to look at."""
    found = _Found[R]()
    for part in _parts(keys):
        counts = dict(
            records.connection.execute(
                select(column, func.count()).where(column.in_(part), *also).group_by(column)
            ).all()
        )
        few = [key for key, count in counts.items() if count <= MOST_TOLD]
        told = records.where(record_type, column.in_(few), *also) if few else []
        for key in counts.keys() - set(few):
            told += records.where(record_type, column == key, *also, limit=MOST_TOLD)
            found.more[key] = counts[key] - MOST_TOLD
        for record in told:
            found.named[of(record) or ""].append(record)
    return found


def _paths(records: Records, keys: Iterable[str]) -> defaultdict[str, list[PathVersion]]:
    names = tables.path_names
    pairs: list[tuple[str, str]] = []
    for part in _parts(keys):
        query = select(names.c.subject_id, names.c.path).where(
            names.c.subject == Subject.NUMBER.value, names.c.subject_id.in_(part)
        )
        pairs += records.connection.execute(query)
    versions = {path.id: path for path in records.many(PathVersion, {path for _, path in pairs})}
    found: defaultdict[str, list[PathVersion]] = defaultdict(list)
    for number, path in dict.fromkeys(pairs):
        found[number].append(versions[path])
    return found


def _open_orders(
    connection: Connection, keys: Iterable[str]
) -> defaultdict[str, list[tuple[str, str]]]:
    """Open work orders that touch the numbers: id and title, the oldest first."""
    touch, order = holders.order_touch, workorders.work_order
    found: defaultdict[str, list[tuple[str, str]]] = defaultdict(list)
    for part in _parts(keys):
        query = (
            select(touch.c.ref, order.c.id, order.c.title)
            .join(touch, touch.c.work_order == order.c.id)
            .where(
                touch.c.subject == Subject.NUMBER.value,
                touch.c.ref.in_(part),
                order.c.state.in_(OPEN),
            )
            .order_by(order.c.no)
        )
        for number, key, title in connection.execute(query):
            found[number].append((key, title))
    return found


def _followers(connection: Connection, numbers: Iterable[Number]) -> Counter[str]:
    """How many numbers follow the call paths that these follow."""
    life = tables.life
    found: Counter[str] = Counter()
    for part in _parts(n.path for n in numbers if n.path):
        query = (
            select(life.c.path, func.count())
            .where(life.c.path.in_(part), is_open())
            .group_by(life.c.path)
        )
        found.update(dict(connection.execute(query).all()))
    return found


def _without_own(connection: Connection, numbers: Iterable[Number]) -> Counter[str]:
    """People who have no number of their own, by site, where one of the numbers is the site's main
    one."""
    person = tables.person
    found: Counter[str] = Counter()
    for part in _parts(n.site for n in numbers if is_main(n)):
        query = (
            select(person.c.site, func.count())
            .where(person.c.site.in_(part), *without_own())
            .group_by(person.c.site)
        )
        found.update(dict(connection.execute(query).all()))
    return found
