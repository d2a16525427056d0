"""Counted attempts at something that lets people in, by a key: taken in one statement under the
write lock, so that many at once count one after the other."""

from datetime import datetime

from sqlalchemy import Connection, delete, insert, select, update

from sedge.store.schema.access import attempt as table


def take(connection: Connection, key: str, now: datetime, until: datetime) -> tuple[int, datetime]:
    """One more attempt under a key: how many there have been since the first of this span, and when
    the span ends. A span that is over begins anew, to end at `until`."""
    row = connection.execute(
        select(table.c.count, table.c.until).where(table.c.key == key, table.c.until > now)
    ).first()
    if row is None:
        connection.execute(delete(table).where((table.c.key == key) | (table.c.until <= now)))
        connection.execute(insert(table).values(key=key, count=1, until=until))
        return 1, until
    count, ends = int(row[0]) + 1, row[1]
    connection.execute(update(table).where(table.c.key == key).values(count=count))
    return count, ends


def forget(connection: Connection, *keys: str) -> None:
    connection.execute(delete(table).where(table.c.key.in_(keys)))
