"""Numbers in use that no call record tells of."""

from datetime import UTC, date, datetime

from sqlalchemy import Connection, func, select

from sedge.store.repositories.records import is_open
from sedge.store.schema import spend, tables


def not_called(connection: Connection, since: date, *, limit: int) -> list[str]:
    """Numbers in use that nobody has called, and that called nobody, after a day; none where the
    records do not reach back so far."""
    life, table = tables.life, spend.usage_day
    if not _reach_back(connection, since):
        return []
    called = select(table.c.number).where(table.c.day > since.isoformat()).distinct()
    query = (
        select(life.c.number)
        .where(is_open(), tables.IN_USE, life.c.number.not_in(called))
        .order_by(life.c.number)
        .limit(limit)
    )
    return [f"+{n}" for n in connection.execute(query).scalars()]


def quiet_since(
    connection: Connection, since: date, *, limit: int
) -> dict[str, datetime | None] | None:
    """The same numbers with the day of their last call, None for never in the records; None instead
    of all where the records do not reach back so far."""
    if not _reach_back(connection, since):
        return None
    table = spend.usage_day
    numbers = not_called(connection, since, limit=limit)
    query = (
        select(table.c.number, func.max(table.c.day))
        .where(table.c.number.in_([int(n) for n in numbers]))
        .group_by(table.c.number)
    )
    last = {f"+{n}": day for n, day in connection.execute(query)}
    return {
        n: datetime.fromisoformat(last[n]).replace(tzinfo=UTC) if n in last else None
        for n in numbers
    }


def _reach_back(connection: Connection, since: date) -> bool:
    table = spend.usage_day
    query = select(table.c.day).where(table.c.day <= since.isoformat()).limit(1)
    return connection.execute(query).first() is not None
