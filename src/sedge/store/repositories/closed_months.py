"""Months that are closed: their lines as they stood, and later corrections of them."""

from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from sqlalchemy import Connection, Row, insert, select

from sedge.core.spend.costs import CostKind, CostLine, Owner
from sedge.core.spend.months import Month
from sedge.store.schema.spend import closed_line as table


def is_closed(connection: Connection, month: Month) -> bool:
    query = select(table.c.id).where(table.c.month == str(month), table.c.corrects == "").limit(1)
    return connection.execute(query).first() is not None


def closed(connection: Connection) -> list[Month]:
    """The closed months, the latest first."""
    query = select(table.c.month).where(table.c.corrects == "").distinct()
    return sorted((Month.read(m) for m in connection.execute(query).scalars()), reverse=True)


def lines_of(connection: Connection, month: Month) -> list[CostLine]:
    """What the month cost when it was closed, and what corrects earlier ones."""
    query = select(table).where(table.c.month == str(month)).order_by(table.c.id)
    return [_line(row) for row in connection.execute(query)]


def told_of(connection: Connection, month: Month) -> list[CostLine]:
    """All that was ever told of a month: its own lines, and corrections of them in later
    months."""
    own = table.c.month == str(month), table.c.corrects == ""
    query = select(table).where(own[0] & own[1] | (table.c.corrects == str(month)))
    return [_line(row) for row in connection.execute(query)]


def corrections_in(connection: Connection, month: Month) -> list[tuple[str, CostLine]]:
    """The corrections that a month carries, with the month that each of them corrects."""
    query = select(table).where(table.c.month == str(month), table.c.corrects != "")
    return [(row.corrects, _line(row)) for row in connection.execute(query.order_by(table.c.id))]


def keep(
    connection: Connection, month: Month, lines: Iterable[CostLine], *, corrects: str = ""
) -> None:
    rows = [
        {
            "month": str(month),
            "corrects": corrects,
            "kind": line.kind.value,
            "thing": line.thing[:80],
            "site": line.owner.site,
            "holder_kind": line.owner.holder_kind,
            "holder_id": line.owner.holder,
            "cost_centre": line.owner.cost_centre,
            "carrier": line.carrier,
            "account": line.account,
            "product": line.product,
            "currency": line.currency,
            "amount": format(line.amount, "f"),
            "units": format(line.units, "f"),
        }
        for line in lines
    ]
    if rows:
        connection.execute(insert(table), rows)


def _line(row: Row[Any]) -> CostLine:
    return CostLine(
        CostKind(row.kind),
        row.thing,
        Owner(row.site, row.holder_kind, row.holder_id, row.cost_centre),
        row.carrier,
        row.account,
        row.product,
        row.currency,
        Decimal(row.amount),
        Decimal(row.units),
    )
