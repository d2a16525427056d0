"""Pricing calls: each month's in their order, so that included minutes are used up as they were."""

from collections.abc import Iterable, Iterator

from sqlalchemy import Connection, or_, select

from sedge.core.records import Product
from sedge.core.spend.months import Month
from sedge.core.spend.rates.rating import Leg, Pool, Rated, Reach, rate_all
from sedge.services.context import Context
from sedge.services.spend.rates import rate_decks
from sedge.store.repositories.records import Records
from sedge.store.repositories.spend import calls
from sedge.store.repositories.spend.calls import Kept
from sedge.store.schema import tables

WRITTEN_AT_ONCE = 10_000
COVERS = {
    "calls": frozenset({Reach.HOME}),
    "calls abroad": frozenset({Reach.ABROAD}),
}
REACHES_ANY = frozenset({Reach.HOME, Reach.ABROAD})


def rate_months(context: Context, months: Iterable[str]) -> int:
    """Price the calls of months anew; how many came out otherwise than before. The pages go on
    meanwhile: reading does not hold writers up, and what is written is written in parts."""
    return sum(rate_month(context, Month.read(month)) for month in sorted(set(months)))


def rate_month(context: Context, month: Month) -> int:
    changed = 0
    batch: list[tuple[Kept, Rated]] = []
    for pair in _found(context, month):
        batch.append(pair)
        if len(batch) >= WRITTEN_AT_ONCE:
            changed += _write(context, batch)
            batch = []
    return changed + _write(context, batch)


def _found(context: Context, month: Month) -> list[tuple[Kept, Rated]]:
    """The calls whose price is another one than before."""
    with context.as_system().reading() as reading:
        connection = reading.connection
        pools = pools_of(connection, month)
        find = rate_decks.finder(connection)
        rows: list[Kept] = []

        def legs() -> Iterator[Leg]:
            for leg, row in calls.legs_to_rate(connection, month):
                rows.append(row)
                yield leg

        found: list[tuple[Kept, Rated]] = []
        for rated in rate_all(legs(), find, pools):
            row = rows[-1]
            if (row.cost, row.currency, row.included, row.priced_by) != rated[1:]:
                found.append((row, rated))
            if len(rows) > 1:
                rows[:] = rows[-1:]
        return found


def _write(context: Context, batch: list[tuple[Kept, Rated]]) -> int:
    if batch:
        with context.as_system().writing() as writing:
            calls.keep_rated(writing.connection, batch)
            writing.touch()
    return len(batch)


def pools_of(connection: Connection, month: Month) -> dict[str, list[Pool]]:
    """The minutes that the licences of a month include, by their holders (`person:id`)."""
    grant = tables.grant
    products = {p.id: p for p in Records(connection).all(Product) if p.minutes}
    query = (
        select(grant.c.product, grant.c.holder_kind, grant.c.holder_id)
        .where(
            grant.c.product.in_(list(products)),
            grant.c.since < month.ends,
            or_(grant.c.until.is_(None), grant.c.until > month.starts),
        )
        .distinct()
    )
    pools: dict[str, list[Pool]] = {}
    shared: dict[str, Pool] = {}
    for key, kind, holder in connection.execute(query).all():
        product = products[key]
        if product.pooled:
            pool = shared.setdefault(key, _pool(product, 0))
            pool.seconds += product.minutes * 60
            pool.left += product.minutes * 60
        else:
            pool = _pool(product, product.minutes * 60)
        pools.setdefault(f"{kind}:{holder}", []).append(pool)
    return pools


def _pool(product: Product, seconds: int) -> Pool:
    covers = [COVERS[allows] for allows in product.allows if allows in COVERS]
    reaches = frozenset().union(*covers) if covers else REACHES_ANY
    return Pool(product.id, product.name, reaches, seconds, seconds)
