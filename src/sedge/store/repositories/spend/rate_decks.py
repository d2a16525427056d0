"""Rate decks as they are stored."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, insert, select

from sedge.core.errors import NotFound
from sedge.core.spend.rates.rate_decks import Deck, Rate, deck_of
from sedge.store.raw import raw_of
from sedge.store.schema import spend


@dataclass(frozen=True)
class DeckFacts:
    """A deck without its rates; `trunk` '' where it holds for all of the carrier's."""

    id: str
    name: str
    carrier: str
    trunk: str
    currency: str
    loaded_at: datetime
    loaded_by: str
    rows: int


def list_decks(connection: Connection) -> list[DeckFacts]:
    table = spend.rate_deck
    query = select(table).order_by(table.c.carrier, table.c.trunk)
    return [DeckFacts(*row) for row in connection.execute(query)]


def facts(connection: Connection, key: str) -> DeckFacts:
    """Raises NotFound."""
    table = spend.rate_deck
    row = connection.execute(select(table).where(table.c.id == key)).first()
    if row is None:
        raise NotFound("There is no such rate deck.", subject="rate-deck", id=key)
    return DeckFacts(*row)


def rates_of(connection: Connection, key: str) -> list[Rate]:
    table = spend.rate
    query = (
        select(
            table.c.prefix,
            table.c.price,
            table.c.fee,
            table.c.minimum,
            table.c.first,
            table.c.step,
            table.c.since,
            table.c.until,
            table.c.name,
        )
        .where(table.c.deck == key)
        .order_by(table.c.prefix, table.c.since)
    )
    return [Rate._make(row) for row in connection.execute(query)]


def read_deck(connection: Connection, known: DeckFacts) -> Deck:
    return deck_of(known.id, known.name, known.currency, rates_of(connection, known.id))


def keep(connection: Connection, known: DeckFacts, rates: Sequence[Rate]) -> None:
    """In place of what was there under its id."""
    remove(connection, known.id)
    connection.execute(insert(spend.rate_deck), vars(known))
    raw = raw_of(connection)
    raw.executemany(
        "INSERT INTO rate (deck, prefix, price, fee, minimum, first, step, since, until, name)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        ((known.id, *rate) for rate in rates),
    )


def remove(connection: Connection, key: str) -> None:
    connection.execute(delete(spend.rate).where(spend.rate.c.deck == key))
    connection.execute(delete(spend.rate_deck).where(spend.rate_deck.c.id == key))
