"""Addresses of the register that a line may mean, for somebody to choose from while typing."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from sqlalchemy import func, select

from sedge.core.errors import NotUnderstood
from sedge.core.numbers.plan import COUNTRIES
from sedge.core.records import CivicElements, Subject
from sedge.core.safety.address_line import (
    AddressParts,
    Suggestion,
    likeliest,
    read_line,
    suggest,
)
from sedge.core.safety.addresses import Segment
from sedge.services.context import Context
from sedge.store.schema import tables

MOST_TOWNS = 3
LEAST_STREET = 3  # letters, before the register is asked


@dataclass(frozen=True)
class Suggested:
    """`parts` are those of the line as it was typed, None where it has no house number and street;
    `note` says what would help where the register has nothing."""

    addresses: list[CivicElements]
    parts: AddressParts | None
    note: str = ""


def search_addresses(context: Context, country: str, line: str) -> Suggested:
    """Raises NotUnderstood for a country that there are no addresses of, OutsideSilent."""
    country = country.upper() or context.organisation.home_country
    if country not in COUNTRIES:
        message = f"Addresses are known of {', '.join(COUNTRIES)}."
        raise NotUnderstood(message, field="country")
    readings = read_line(line, country)
    if not readings:
        note = "Type the house number and the street." if len(line.strip()) > LEAST_STREET else ""
        return Suggested([], None, note)
    if not context.outside.register.is_connected:
        note = "No address register is connected here: it is taken as it was typed."
        return Suggested([], readings[0], note)
    found: list[Suggestion] = []
    for parts in _with_towns(context, country, readings):
        if len(parts.street) < LEAST_STREET:
            continue
        asked = context.outside.register.candidates(
            country, parts.city, parts.street, parts.postcode
        )
        found += suggest(parts, [Segment(**s) for s in asked], country)
    note = "" if found else "The register has no such street with that house number."
    return Suggested(likeliest(found), readings[0], note)


def _with_towns(
    context: Context, country: str, readings: list[AddressParts]
) -> Iterator[AddressParts]:
    """A line without a town may mean one in which there is a site already."""
    for parts in readings:
        if parts.city or parts.postcode:
            yield parts
        else:
            for town in _own_towns(context, country):
                yield replace(parts, city=town)


def _own_towns(context: Context, country: str) -> list[str]:
    body = tables.RECORD_TABLES[Subject.ADDRESS].c.body
    town = func.json_extract(body, "$.elements.city")
    there = func.json_extract(body, "$.elements.country") == country
    with context.reading() as reading:
        query = select(town).where(there).distinct().order_by(town).limit(MOST_TOWNS)
        return [str(one) for one in reading.connection.execute(query).scalars()]
