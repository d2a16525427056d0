"""What each number cost over time, and whose it was: rows that follow the numbers' changes."""

import json
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import datetime

from sqlalchemy import Connection, bindparam, delete, func, insert, select, update

from sedge.core.enums import Subject
from sedge.core.estate import Change
from sedge.core.numbers.life import ENDED, State
from sedge.core.records import Number
from sedge.core.spend.rates.rate_decks import money_of
from sedge.store.projections.counting import add_counts
from sedge.store.schema import chain, projected, spend, tables

UNPAID = {*ENDED, State.ON_ORDER, State.PORTING_IN}
Facts = tuple[object, ...]
Row = dict[str, object]
COLUMNS = (
    "site",
    "holder_kind",
    "holder_id",
    "cost_centre",
    "carrier",
    "account",
    "currency",
    "monthly",
)


def facts_of(number: Number | None) -> Facts | None:
    """What a number costs and whose it is; None for one that nobody is charged for."""
    if number is None or number.state in UNPAID:
        return None
    holder = number.holder
    return (
        number.site,
        holder.kind.value if holder else "",
        holder.id if holder else "",
        number.cost_centre,
        number.carrier,
        number.account,
        number.monthly.currency,
        money_of(number.monthly.amount),
    )


def follow_changes(connection: Connection, changes: Iterable[Change], at: datetime) -> None:
    """A number that is changed twice in one transaction is what it is in the end."""
    first: dict[str, Number | None] = {}
    last: dict[str, Number] = {}
    for change in changes:
        if change.subject is Subject.NUMBER:
            first.setdefault(change.after.e164, change.before)
            last[change.after.e164] = change.after
    moved = [
        (e164, facts)
        for e164, after in last.items()
        if (facts := facts_of(after)) != facts_of(first[e164])
    ]
    if not moved:
        return
    table = spend.fee_span
    end = (
        update(table)
        .where(table.c.number == bindparam("of"), table.c.until.is_(None))
        .values(until=bindparam("at"))
    )
    connection.execute(end, [{"of": int(e164), "at": at} for e164, _ in moved])
    rows = [_row(int(e164), facts, at) for e164, facts in moved if facts is not None]
    if rows:
        connection.execute(insert(table), rows)
    counts: Counter[Facts] = Counter()
    for e164, facts in moved:
        for side, by in ((facts_of(first[e164]), -1), (facts, 1)):
            if side is not None:
                counts[_alike(side)] += by
    add_counts(connection, spend.fee_tally, counts)


def _alike(facts: Facts) -> Facts:
    """What numbers have in common that cost the same and are charged alike: all but who has
    them."""
    site, kind, _, *rest = facts
    return site, kind, *rest


def _row(number: int, facts: Facts, since: datetime, until: datetime | None = None) -> Row:
    named = dict(zip(COLUMNS, facts, strict=True))
    return {"number": number, **named, "since": since, "until": until}


def rebuild(connection: Connection) -> None:
    """All rows made anew from the ledger; for numbers that came in with many others, and have not
    changed since, from their records. Used by a migration, and by tests."""
    table, life, span = spend.fee_span, tables.life, projected.span
    connection.execute(delete(table))
    open_rows: dict[int, tuple[Facts, datetime]] = {}
    rows: list[Row] = []
    seen: set[int] = set()
    for at, number in _told(connection):
        facts, key = facts_of(number), int(number.e164)
        before = open_rows.get(key)
        seen.add(key)
        if before is not None and before[0] == facts:
            continue
        if before is not None:
            rows.append(_row(key, *before, at))
            del open_rows[key]
        if facts is not None:
            open_rows[key] = facts, at
    rows += [_row(key, *known) for key, known in open_rows.items()]
    begun: dict[int, datetime] = {}
    for key, since in connection.execute(select(span.c.number, span.c.since)):
        begun[key] = min(since, begun.get(key, since))
    for (body,) in connection.execute(select(life.c.body)):
        number = Number.model_validate_json(body)
        facts, key = facts_of(number), int(number.e164)
        if key not in seen and facts is not None and key in begun:
            rows.append(_row(key, facts, begun[key]))
    if rows:
        connection.execute(insert(table), rows)
    tally_anew(connection)


def tally_anew(connection: Connection) -> None:
    """The counts made anew from the rows that are open."""
    table, tally = spend.fee_span, spend.fee_tally
    keys = [column.name for column in tally.primary_key.columns]
    columns = [table.c[name] for name in keys]
    open_ones = select(*columns, func.count()).where(table.c.until.is_(None)).group_by(*columns)
    connection.execute(delete(tally))
    connection.execute(insert(tally).from_select([*keys, "count"], open_ones))


def _told(connection: Connection) -> Iterator[tuple[datetime, Number]]:
    """Numbers as the ledger tells them, in its order."""
    ledger = chain.ledger
    query = (
        select(ledger.c.at, ledger.c.after)
        .where(ledger.c.subject == Subject.NUMBER.value, ledger.c.after.is_not(None))
        .order_by(ledger.c.sequence)
    )
    for at, after in connection.execute(query):
        told = json.loads(after)
        if isinstance(told, dict) and "e164" in told and "monthly" in told:
            yield at, Number.model_validate(told)
