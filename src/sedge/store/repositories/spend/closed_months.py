"""Months that are closed: their lines as they stood, and later corrections of them."""

from collections.abc import Iterable, Sequence
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


def lines_of(connection: Connection, month: Month, *, detailed: bool = True) -> list[CostLine]:
    """What the month cost when it was closed, and what corrects earlier ones; by number, or those
    that are alike together."""
    query = (
        select(table)
        .where(table.c.month == str(month), table.c.detailed == detailed)
        .order_by(table.c.id)
    )
    return [_line(row) for row in connection.execute(query)]


def told_of(connection: Connection, month: Month) -> list[CostLine]:
    """All that was ever told of a month: its own lines, and corrections of them in later
    months."""
    own = (table.c.month == str(month)) & (table.c.corrects == "")
    query = select(table).where(own | (table.c.corrects == str(month)), table.c.detailed)
    return [_line(row) for row in connection.execute(query)]


def corrections_in(connection: Connection, month: Month) -> list[tuple[str, CostLine]]:
    """The corrections that a month carries, with the month that each of them corrects."""
    of_month = table.c.month == str(month), table.c.corrects != "", table.c.detailed
    query = select(table).where(*of_month)
    return [(row.corrects, _line(row)) for row in connection.execute(query.order_by(table.c.id))]


def keep(
    connection: Connection, month: Month, lines: Iterable[CostLine], *, corrects: str = ""
) -> None:
    found = list(lines)
    rows = [
        {
            "detailed": detailed,
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
        for detailed, told in ((True, found), (False, _together(found)))
        for line in told
    ]
    if rows:
        connection.execute(insert(table), rows)


def _together(lines: Sequence[CostLine]) -> list[CostLine]:
    """Lines that differ in who has them and in their number alone, summed."""
    sums: dict[CostLine, tuple[Decimal, Decimal]] = {}
    for line in lines:
        nothing = Decimal(0)
        like = line._replace(
            thing="", owner=line.owner._replace(holder=""), amount=nothing, units=nothing
        )
        amount, units = sums.get(like, (nothing, nothing))
        sums[like] = amount + line.amount, units + line.units
    return [like._replace(amount=amount, units=units) for like, (amount, units) in sums.items()]


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
