"""Adding to kept counts: the one way all tables of counts are brought up to date."""

from collections import Counter
from typing import Any

from sqlalchemy import Connection, Table, bindparam, delete, exists, insert, literal, select, update


def add_counts(connection: Connection, table: Table, counts: Counter[Any]) -> None:
    """Add to the counts of a table whose last column is the count and whose others are its key."""
    *keys, value = list(table.c)
    rows = [
        {**{f"at_{column.name}": part for column, part in zip(keys, key, strict=True)}, "by": by}
        for key, by in counts.items()
        if by
    ]
    if not rows:
        return
    at = [column == bindparam(f"at_{column.name}", type_=column.type) for column in keys]
    fresh = select(
        *(bindparam(f"at_{column.name}", type_=column.type) for column in keys), literal(0)
    ).where(~exists().where(*at))
    connection.execute(insert(table).from_select([*keys, value], fresh), rows)
    connection.execute(update(table).where(*at).values({value.name: value + bindparam("by")}), rows)
    if less := [row for row in rows if row["by"] < 0]:
        connection.execute(delete(table).where(*at, value == 0), less)
