"""Rate decks: loaded from files, looked at, and found for a call."""

import csv
import io
from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, select

from sedge.core.access.roles import May
from sedge.core.enums import Subject
from sedge.core.errors import NotUnderstood
from sedge.core.numbers.e164 import read_one
from sedge.core.records import Carrier, Trunk
from sedge.core.spend.rates.deck_rows import DeckReader, missing, recognised
from sedge.core.spend.rates.exchange import read_currency
from sedge.core.spend.rates.rate_decks import (
    ALWAYS,
    Deck,
    Rate,
    deck_of,
    overlaps,
    price_of,
    replaced_from,
)
from sedge.core.spend.rates.rating import DecksOf
from sedge.formats import sheets
from sedge.services.context import Context
from sedge.store.repositories.records import Records
from sedge.store.repositories.spend import rate_decks as store
from sedge.store.repositories.spend.rate_decks import DeckFacts
from sedge.store.schema import tables

MOST_FAULTS = 50
MOST_RATES = 500_000
MOST_BYTES = 60_000_000


@dataclass(frozen=True)
class Loaded:
    """`faults` are the rows that can't be taken, by line; where there is one nothing is kept."""

    deck: DeckFacts | None
    rates: int
    faults: tuple[tuple[int, str], ...]


def load(
    context: Context, trunk: str, content: bytes, *, currency: str = "", starts: str = ""
) -> Loaded:
    """Take over a deck for a trunk from a CSV or XLSX file, in force from `starts` on (ISO 8601,
    empty: for all calls); what was in force before stays for the calls of before. Raises NotFound,
    NotUnderstood."""
    context.require(May.KEEP_BOOKS)
    with context.reading() as reading:
        of = reading.records.the(Trunk, trunk)
        carrier = reading.records.the(Carrier, of.carrier)
    return _load(context, carrier, of, content, currency=currency, starts=starts)


def load_for_carrier(
    context: Context, carrier: str, content: bytes, *, currency: str = "", starts: str = ""
) -> Loaded:
    """The same for all of a carrier's trunks."""
    context.require(May.KEEP_BOOKS)
    with context.reading() as reading:
        found = reading.records.the(Carrier, carrier)
    return _load(context, found, None, content, currency=currency, starts=starts)


def _load(
    context: Context,
    carrier: Carrier,
    trunk: Trunk | None,
    content: bytes,
    *,
    currency: str,
    starts: str,
) -> Loaded:
    currency = read_currency(currency or _usual_currency(carrier))
    day = _day(starts) if starts.strip() else None
    rates, faults = _read(content, currency)
    if not faults:
        faults = [
            (0, f"+{o.prefix} has two prices from {max(o.one.since, o.other.since)} on.")
            for o in overlaps(rates)
        ]
    if faults or not rates:
        return Loaded(None, len(rates), tuple(faults[:MOST_FAULTS] or [(0, "It has no rate.")]))
    key = f"deck-{trunk.id}" if trunk else f"deck-of-{carrier.id}"
    name = f"{carrier.name}, {trunk.name}" if trunk else carrier.name
    with context.writing() as writing:
        if day is not None:
            rates = replaced_from(store.rates_of(writing.connection, key), rates, day)
        known = DeckFacts(
            key,
            name[:120],
            carrier.id,
            trunk.id if trunk else "",
            currency,
            context.now(),
            context.actor,
            len(rates),
        )
        store.keep(writing.connection, known, rates)
        subject, of = (Subject.TRUNK, trunk.id) if trunk else (Subject.CARRIER, carrier.id)
        writing.record_event("rates.loaded", subject, of, name[:120])
    return Loaded(known, len(rates), ())


def _usual_currency(carrier: Carrier) -> str:
    return next((rate.currency for rate in carrier.rates.values()), "")


def _day(text: str, field: str = "starts") -> date:
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        message = f"“{text[:20]}” is no day: type one such as 2026-12-01."
        raise NotUnderstood(message, field=field, reason="day") from None


def _read(content: bytes, currency: str) -> tuple[list[Rate], list[tuple[int, str]]]:
    if len(content) > MOST_BYTES:
        raise NotUnderstood("A deck may have 60 MB; this is larger.", field="file")
    text = sheets.text_of(content)
    first = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = max(",;\t|", key=first.count)
    try:
        rows = csv.reader(io.StringIO(text), delimiter=delimiter)
        header = next(rows, [])
        mapping = recognised(header)
        if lacking := missing(mapping):
            message = f"The deck has no column for: {', '.join(lacking)}."
            raise NotUnderstood(message, field="file", reason="columns")
        reader = DeckReader(mapping, currency)
        rates: list[Rate] = []
        faults: list[tuple[int, str]] = []
        for line, cells in enumerate(rows, start=2):
            if not any(cells):
                continue
            try:
                rates.append(reader.read(cells))
            except NotUnderstood as wrong:
                faults.append((line, wrong.message))
                if len(faults) >= MOST_FAULTS:
                    break
            if len(rates) > MOST_RATES:
                message = f"A deck has at most {MOST_RATES:,} rates."
                raise NotUnderstood(message, field="file", reason="too-many")
    except csv.Error as error:
        message = f"The file can't be read as CSV: {error}. Check the quotes."
        raise NotUnderstood(message, field="file") from error
    return rates, faults


def decks(context: Context) -> list[DeckFacts]:
    with context.reading() as reading:
        return store.list_decks(reading.connection)


def one(context: Context, key: str) -> tuple[DeckFacts, list[Rate]]:
    """Raises NotFound."""
    with context.reading() as reading:
        known = store.facts(reading.connection, key)
        return known, store.rates_of(reading.connection, key)


def rate_of(context: Context, trunk: str, to: str, day: str = "") -> tuple[Rate | None, str]:
    """The rate of a call over a trunk on a day (today without), and its currency. Raises NotFound,
    NotOneNumber, NotUnderstood."""
    e164 = read_one(to, context.organisation.home_country, field="to")
    at = _day(day, "day") if day.strip() else context.now().date()
    with context.reading() as reading:
        reading.records.the(Trunk, trunk)
        decks = finder(reading.connection)(trunk, "")
    for deck in decks:
        if rate := deck.find(e164[1:], at.isoformat()):
            return rate, deck.currency
    return None, decks[0].currency if decks else ""


def remove(context: Context, key: str) -> None:
    """Raises NotFound."""
    context.require(May.KEEP_BOOKS)
    with context.writing() as writing:
        known = store.facts(writing.connection, key)
        store.remove(writing.connection, key)
        subject, of = (
            (Subject.TRUNK, known.trunk) if known.trunk else (Subject.CARRIER, known.carrier)
        )
        writing.record_event("rates.removed", subject, of, known.name)


def finder(connection: Connection) -> DecksOf:
    """The decks of a call, by its trunk, or where none is known by the carrier of its number: the
    trunk's own, then its carrier's, then what the carrier itself says a minute costs."""
    records = Records(connection)
    known = store.list_decks(connection)
    by_trunk = {d.trunk: d for d in known if d.trunk}
    by_carrier = {d.carrier: d for d in known if not d.trunk}
    carriers = {c.id: c for c in records.all(Carrier)}
    carrier_of_trunk = {x.id: x.carrier for x in records.all(Trunk)}
    made: dict[tuple[str, str], tuple[Deck, ...]] = {}
    carrier_of: dict[str, str] = {}

    def decks_of(trunk: str, carrier: str) -> tuple[Deck, ...]:
        kept = [x for x in (by_trunk.get(trunk), by_carrier.get(carrier)) if x is not None]
        told = told_by(carriers[carrier]) if carrier in carriers else None
        return (*(store.read_deck(connection, x) for x in kept), *([told] if told else []))

    def find(trunk: str, number: str) -> tuple[Deck, ...]:
        carrier = carrier_of_trunk.get(trunk)
        if carrier is None:
            if number not in carrier_of:
                carrier_of[number] = _carrier_of(connection, number)
            carrier = carrier_of[number]
        key = trunk if trunk in by_trunk else "", carrier
        if key not in made:
            made[key] = decks_of(*key)
        return made[key]

    return find


def _carrier_of(connection: Connection, number: str) -> str:
    if not number:
        return ""
    life = tables.life
    query = (
        select(life.c.carrier)
        .where(life.c.number == int(number))
        .order_by(life.c.changed_at.desc())
        .limit(1)
    )
    return connection.execute(query).scalar() or ""


def told_by(carrier: Carrier) -> Deck | None:
    """What a carrier says a minute costs, as a deck: by the second, no fee."""
    if not carrier.rates:
        return None
    currency = next(iter(carrier.rates.values())).currency
    rates = [
        Rate(prefix, price_of(money.amount), since=ALWAYS)
        for prefix, money in carrier.rates.items()
        if money.currency == currency
    ]
    return deck_of(f"told by {carrier.id}", carrier.name, currency, rates)
