"""Rate decks: what a call to where costs, by the leading digits of the number called.

Amounts are whole numbers: prices a minute in millionths of the currency, fees and minima in ten
thousandths, so that a million calls add up exactly.
"""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from itertools import pairwise
from typing import NamedTuple

PRICE_UNIT = Decimal("0.000001")
MONEY_UNIT = Decimal("0.0001")
MOST_PREFIX = 15
ALWAYS = "0001-01-01"
FOREVER = "9999-12-31"


class Rate(NamedTuple):
    """`price` a minute in 10⁻⁶, `fee` of connecting and `minimum` in 10⁻⁴ of the currency; `first`
    and `step` are seconds: what is billed at least, and in what steps beyond it. In force from
    `since` to `until`, both days included (ISO 8601)."""

    prefix: str
    price: int
    fee: int = 0
    minimum: int = 0
    first: int = 1
    step: int = 1
    since: str = ALWAYS
    until: str = FOREVER
    name: str = ""


class Overlap(NamedTuple):
    """Two rates of one prefix that are in force on the same day."""

    prefix: str
    one: Rate
    other: Rate


@dataclass
class Deck:
    """All rates of a trunk or a carrier, in one currency. `find` takes about a microsecond."""

    id: str
    name: str
    currency: str
    rates: dict[str, list[Rate]] = field(default_factory=dict)
    longest: int = 1
    shortest: int = 1

    def find(self, digits: str, day: str) -> Rate | None:
        """The rate of the longest prefix that was in force on a day; `digits` without plus."""
        rates = self.rates
        for length in range(min(self.longest, len(digits)), self.shortest - 1, -1):
            known = rates.get(digits[:length])
            if known is None:
                continue
            at = bisect_right(known, day, key=_since) - 1
            if at >= 0 and known[at].until >= day:
                return known[at]
        return None


def _since(rate: Rate) -> str:
    return rate.since


def deck_of(key: str, name: str, currency: str, rates: Iterable[Rate]) -> Deck:
    by_prefix: dict[str, list[Rate]] = {}
    for rate in rates:
        by_prefix.setdefault(rate.prefix, []).append(rate)
    for known in by_prefix.values():
        known.sort(key=_since)
    lengths = [len(prefix) for prefix in by_prefix] or [1]
    return Deck(key, name, currency, by_prefix, max(lengths), min(lengths))


def overlaps(rates: Iterable[Rate]) -> Iterator[Overlap]:
    """Of which nobody could say which one counts."""
    for prefix, known in deck_of("", "", "", rates).rates.items():
        for one, other in pairwise(known):
            if one.until >= other.since:
                yield Overlap(prefix, one, other)


def replaced_from(old: Sequence[Rate], new: Sequence[Rate], day: date) -> list[Rate]:
    """Rates of a deck that a new one takes over from on a day: what was in force before stays for
    the calls of before."""
    before = day.isoformat()
    eve = date.fromordinal(day.toordinal() - 1).isoformat()
    kept = [rate._replace(until=min(rate.until, eve)) for rate in old if rate.since < before]
    return [*kept, *(rate._replace(since=max(rate.since, before)) for rate in new)]


def price_of(amount: Decimal) -> int:
    """A price a minute in its unit."""
    return int((amount / PRICE_UNIT).to_integral_value())


def money_of(amount: Decimal) -> int:
    return int((amount / MONEY_UNIT).to_integral_value())


def amount_of(units: int) -> Decimal:
    """Ten thousandths as an amount."""
    return Decimal(units) * MONEY_UNIT


def per_minute(rate: Rate) -> Decimal:
    return (Decimal(rate.price) * PRICE_UNIT).normalize()
