"""Many numbers at once, as they are found: staged, then put into every table by one statement each.

Measured with a million numbers: 25 to 30 µs each for row, span, finder, index of the ledger and
counts together; one by one through `saving` it is 1.2 ms. The ledger gets one entry for a chunk;
which entry tells of a number is kept in `ledger_batch`. Numbers that differ in nothing but their
digits are written, and kept in the ledger, as one likeness.
"""

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import Connection

from sedge.core.facts import counted, money, to_compact_json
from sedge.core.imports.rows import Alike, Incoming
from sedge.core.numbers.life import State
from sedge.core.numbers.ranges import NumberSet
from sedge.core.records import Assignment, HolderRef, Number, Role, Subject
from sedge.core.spend.rates.rate_decks import money_of
from sedge.store import saving
from sedge.store.projections import number_projections, spot_counts
from sedge.store.raw import raw_of
from sedge.store.schema import projected, tables
from sedge.store.stamp import Stamp

CHUNK = 5_000
_STAGE = (
    "CREATE TEMP TABLE IF NOT EXISTS incoming (number INTEGER PRIMARY KEY, like INTEGER)",
    """CREATE TEMP TABLE IF NOT EXISTS likeness (
  like INTEGER PRIMARY KEY, state TEXT, state_until TEXT, site TEXT, carrier TEXT, account TEXT,
  capacity TEXT, holder_kind TEXT, holder_id TEXT, role TEXT, spot TEXT, trunk TEXT,
  attention INTEGER, kind TEXT, holder_name TEXT, label TEXT, price INTEGER, words TEXT,
  cost_centre TEXT, currency TEXT, monthly INTEGER,
  before_number TEXT, before_id TEXT, after_id TEXT)""",
    "DELETE FROM incoming",
    "DELETE FROM likeness",
)
_INCOMING = "INSERT INTO incoming SELECT value, ?1 FROM json_each(?2)"
_LIKE = f"INSERT INTO likeness VALUES ({', '.join('?' * 24)})"  # noqa: S608
_JOINED = "FROM incoming JOIN likeness USING (like) ORDER BY number"
_WITH_WORDS = "FROM incoming JOIN likeness USING (like) WHERE words != '' ORDER BY number"
_ALIKE = """state, state_until, site, carrier, account, capacity, holder_kind, holder_id, role,
  spot, trunk, attention, kind, holder_name, label, price"""
_LIFE = f"""INSERT INTO life (number, id, {_ALIKE}, changed_at, version, body)
  SELECT number, ?1 || number, {_ALIKE}, ?2, 1,
  before_number || number || before_id || ?1 || number || after_id {_JOINED}"""
_HELD = "number, state, holder_kind, holder_id, holder_name, site, carrier, capacity"
_SPAN = f"INSERT INTO span ({_HELD}, since) SELECT {_HELD}, ? {_JOINED}"
_FEE = f"""INSERT INTO fee_span (number, site, holder_kind, holder_id, cost_centre, carrier,
  account, currency, monthly, since) SELECT number, site, coalesce(holder_kind, ''),
  coalesce(holder_id, ''), cost_centre, carrier, account, currency, monthly, ? {_JOINED}"""
_FEE_TALLY = """INSERT INTO fee_tally (site, holder_kind, cost_centre, carrier, account, currency,
  monthly, count) SELECT site, coalesce(holder_kind, ''), cost_centre, carrier, account, currency,
  monthly, count(*) FROM incoming JOIN likeness USING (like) WHERE true GROUP BY 1, 2, 3, 4, 5, 6, 7
  ON CONFLICT (site, holder_kind, cost_centre, carrier, account, currency, monthly)
  DO UPDATE SET count = count + excluded.count"""
_ENDED = "UPDATE span SET until = ? WHERE until IS NULL AND number IN (SELECT number FROM incoming)"
_UNFIND = (
    "DELETE FROM finder WHERE rowid IN (SELECT number FROM incoming CROSS JOIN life USING (number))"
)
_FINDER = (
    "INSERT INTO finder (rowid, words, subject, ref, title) SELECT number, number || '$ ' ||"
    f" words, 'number', '+' || number, label {_WITH_WORDS}"
)
_DIGITS = (
    "INSERT INTO digits (rowid, written) SELECT number, number || '$' FROM incoming WHERE number"
    " NOT IN (SELECT number FROM life) ORDER BY number"
)
_LATEST = "INSERT INTO ledger_batch (number, sequence) SELECT number, ? FROM incoming"


def existing(connection: Connection, numbers: Sequence[int]) -> dict[int, Number]:
    """The open lives among these numbers."""
    found: dict[int, Number] = {}
    if not numbers or not _any_between(connection, min(numbers), max(numbers)):
        return found
    for start in range(0, len(numbers), 5000):
        # as text: 5,000 bound values cost ten times the query
        listed = ",".join(str(int(n)) for n in numbers[start : start + 5000])
        open_ones = f"number IN ({listed}) AND {tables.OPEN_LIFE}"
        rows = connection.exec_driver_sql(
            f"SELECT number, body FROM life WHERE {open_ones}"  # noqa: S608
        )
        found |= {number: Number.model_validate_json(body) for number, body in rows}
    return found


def _any_between(connection: Connection, first: int, last: int) -> bool:
    """Whether there is any open life in a stretch; files often bring stretches of which none is
    here yet."""
    among = f"number BETWEEN ? AND ? AND {tables.OPEN_LIFE}"
    sql = f"SELECT 1 FROM life WHERE {among} LIMIT 1"  # noqa: S608
    return connection.exec_driver_sql(sql, (first, last)).first() is not None


@dataclass(frozen=True)
class _Like:
    """What rows have in common: all of them but the number. `parts` are the record's text before,
    between and after number and id."""

    row: Incoming
    role: str | None
    parts: tuple[str, str, str]
    numbers: list[int]


def bring_in(
    connection: Connection,
    found: Iterable[Alike],
    stamp: Stamp,
    *,
    batch: str,
    names: Mapping[HolderRef, str],
    mains: set[HolderRef],
) -> int:
    """New lives for numbers that have no open one (the caller has looked). `batch` begins their
    ids; `mains` are holders that have a main number already, and is added to. Gives the sequence of
    the ledger's entry."""
    likes = [_like(row, numbers, stamp.at, mains) for row, _, numbers in found]
    count = sum(len(like.numbers) for like in likes)
    raw = raw_of(connection)
    at = _text(stamp.at)
    for statement in _STAGE:
        raw.execute(statement)
    raw.executemany(_LIKE, [_staged(i, like, names) for i, like in enumerate(likes)])
    for i, like in enumerate(likes):  # as one text: a bound value a row costs three times as much
        raw.execute(_INCOMING, (i, str(like.numbers)))
    raw.execute(_ENDED, (at,))
    raw.execute(_UNFIND)
    raw.execute(_DIGITS)
    raw.execute(_LIFE, (f"{batch}-", at))
    raw.execute(_SPAN, (at,))
    raw.execute(_FEE, (at,))
    raw.execute(_FEE_TALLY)
    raw.execute(_FINDER)
    _count(connection, likes, stamp)
    _small_facts(connection, likes)
    title = counted(count, "number")
    sequence = saving.remark_batch(
        connection, stamp, key=batch, title=title, after=_snapshots(likes, batch)
    )
    raw.execute(_LATEST, (sequence,))
    return sequence


def _text(moment: datetime) -> str:
    """A moment as the tables keep it."""
    return moment.astimezone(UTC).replace(tzinfo=None).isoformat(" ", timespec="microseconds")


def _like(row: Incoming, numbers: list[int], at: datetime, mains: set[HolderRef]) -> _Like:
    number, role = _number(row._replace(number=_HOLE), "\0", at, mains)
    before_number, rest = to_compact_json(number).split(f"+{_HOLE}")
    before_id, after_id = rest.split(f"\\u0000-{_HOLE}")
    return _Like(row, role, (before_number + "+", before_id, after_id), numbers)


_HOLE = 100000000000000  # stands where the number goes; 15 digits that no plan knows


def _number(
    row: Incoming, batch: str, at: datetime, mains: set[HolderRef]
) -> tuple[Number, str | None]:
    assignment = None
    if row.holder and row.state is State.ASSIGNED:
        role = Role.EXTRA if row.holder in mains else Role.MAIN
        mains.add(row.holder)
        assignment = Assignment(holder=row.holder, role=role, since=at, works_from=at)
    number = Number(
        id=f"{batch}-{row.number}",
        e164=f"+{row.number}",
        capacity=row.capacity,
        state=row.state,
        state_until=row.until,
        account=row.account,
        carrier=row.carrier,
        site=row.site,
        assignment=assignment,
        reserved_for=row.holder if row.state is State.RESERVED else None,
        spot=row.spot,
        trunk=row.trunk,
        label=row.label,
        note=row.note,
        tags=row.tags,
        cost_centre=row.cost_centre,
        monthly=money(row.price, row.currency),
        known_as=dict(row.known_as),
        version=1,
    )
    return number, assignment.role.value if assignment else None


def _staged(i: int, like: _Like, names: Mapping[HolderRef, str]) -> tuple[object, ...]:
    row = like.row
    held = row.holder if like.role else None
    words = " ".join(
        (row.label, *row.tags, row.cost_centre, *(value for _, value in row.known_as))
    ).strip()
    return (
        i,
        row.state.value,
        _text(row.until) if row.until else None,
        row.site,
        row.carrier,
        row.account,
        row.capacity.value,
        held.kind.value if held else None,
        held.id if held else None,
        like.role,
        row.spot,
        row.trunk,
        _wants_attention(row),
        row.kind,
        names.get(held, "")[:120] if held else "",
        row.label,
        round(float(row.price) * 100),
        words,
        row.cost_centre,
        row.currency,
        money_of(Decimal(row.price)),
        *like.parts,
    )


def _wants_attention(row: Incoming) -> bool:
    return row.state is State.ASSIGNED and (row.spot is None or row.trunk is None)


def _count(connection: Connection, likes: Sequence[_Like], stamp: Stamp) -> None:
    tallies: Counter[Any] = Counter()
    facets: Counter[Any] = Counter()
    moves: Counter[Any] = Counter()
    places: Counter[spot_counts.Place] = Counter()
    day = stamp.at.date()
    for like in likes:
        row, n = like.row, len(like.numbers)
        state, capacity = row.state.value, row.capacity.value
        held = row.holder.kind.value if row.holder and like.role else ""
        facets[row.site, row.carrier, state, capacity, row.kind, held, _wants_attention(row)] += n
        moves[row.site, capacity, state, day] += n
        if row.state is State.ASSIGNED:
            places[row.site, spot_counts.NUMBER, row.spot or ""] += n
            moves[row.site, capacity, number_projections.FOUND_IN_USE, day] += n
        for hundred, m in Counter(number // 100 for number in like.numbers).items():
            tallies[hundred, row.site, row.carrier, state, capacity] += m
    number_projections.keep_counts(connection, tallies, facets, moves)
    spot_counts.keep_counts(connection, places)


def _small_facts(connection: Connection, likes: Iterable[_Like]) -> None:
    rows = [like.row for like in likes if not like.row.is_plain]
    tags = [{"tag": tag, "number": row.number} for row in rows for tag in row.tags]
    known = [
        one
        for row in rows
        for one in number_projections.known_rows(
            Subject.NUMBER, f"+{row.number}", dict(row.known_as)
        )
    ]
    if tags:
        connection.execute(projected.number_tag.insert(), tags)
    if known:
        refs = sorted({row["ref"] for row in known})
        for start in range(0, len(refs), 900):
            connection.execute(
                projected.known_as.delete().where(
                    projected.known_as.c.ref.in_(refs[start : start + 900])
                )
            )
        connection.execute(projected.known_as.insert(), known)


def _snapshots(likes: Sequence[_Like], batch: str) -> dict[str, object]:
    """What the ledger keeps of a chunk: for numbers that are alike one snapshot and their
    ranges."""
    groups = []
    for like in likes:
        first = like.numbers[0]
        snapshot = json.loads(
            f"{like.parts[0]}{first}{like.parts[1]}{batch}-{first}{like.parts[2]}"
        )
        groups.append({"like": snapshot, "numbers": NumberSet.of(like.numbers).written})
    return {"batch": batch, "groups": groups}
